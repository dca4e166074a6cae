import { fork } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { watchMailFolder } from './index.js';

/** Empties a file, and writes it some milliseconds later, as programs do that are interrupted in between. */
const WRITER = `
const { openSync, writeSync, closeSync } = require('node:fs');
process.on('message', ({ file, text, ms }) => {
  const fd = openSync(file, 'w');
  for (const end = performance.now() + ms; performance.now() < end; );
  writeSync(fd, text);
  closeSync(fd);
  process.send('written');
});`;

test('who reads a file at each change has all of it in the end, however slowly it was written', async () => {
  const parent = mkdtempSync(join(tmpdir(), 'verbalis-watch-'));
  const folder = join(parent, 'mail');
  mkdirSync(folder);
  const file = join(folder, 'message.md');
  writeFileSync(file, '');
  let seen = '';
  let look = (): void => undefined;
  const unwatch = await watchMailFolder(folder, (path) => {
    void readFile(join(folder, path), 'utf8').then((text) => {
      seen = text;
      look();
    });
  });
  writeFileSync(join(parent, 'writer.cjs'), WRITER);
  const writer = fork(join(parent, 'writer.cjs'), { execArgv: [] });
  for (let round = 0; round < 25; round += 1) {
    const text = `version ${round}`;
    const whole = new Promise<void>((done) => {
      look = () => {
        if (seen === text) done();
      };
    });
    writer.send({ file, text, ms: (round % 6) + 0.5 });
    await whole;
  }
  expect(seen).toBe('version 24');
  writer.disconnect();
  await once(writer, 'exit');
  await unwatch();
  rmSync(parent, { recursive: true });
});
