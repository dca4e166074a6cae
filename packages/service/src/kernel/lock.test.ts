import { spawn } from 'node:child_process';
import { mkdtempSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { lockFile } from './lock.js';
import { StartError } from './unavailable.js';

const folder = (): string => mkdtempSync(join(tmpdir(), 'verbalis-lock-'));

test('one at a time, by whatever name; the message names who has it', () => {
  const file = join(folder(), 'a.sqlite');
  writeFileSync(file, '');
  const lock = lockFile(file);
  const alias = join(folder(), 'alias.sqlite');
  symlinkSync(file, alias);
  for (const name of [file, alias]) {
    expect(() => lockFile(name)).toThrow(StartError);
    expect(() => lockFile(name)).toThrow(`Another Verbalis service is running on ${name} (process ${process.pid}, since `);
  }
  lock.release();
  lockFile(alias).release();
});

test('the operating system frees it when a process is killed', async () => {
  const file = join(folder(), 'a.sqlite');
  const code = `
    const Sqlite = require('better-sqlite3');
    const raw = new Sqlite(process.argv[1]);
    raw.exec('begin exclusive');
    console.log('held');
    setInterval(() => {}, 1000);`;
  const child = spawn(process.execPath, ['-e', code, `${file}.lock`], { cwd: process.cwd(), stdio: ['ignore', 'pipe', 'inherit'] });
  await new Promise((held) => child.stdout.once('data', held));
  expect(() => lockFile(file)).toThrow('Another Verbalis service is running');
  const ended = new Promise((exit) => child.once('exit', exit));
  child.kill('SIGKILL');
  await ended;
  lockFile(file).release();
});

test('a folder that cannot be used is named', () => {
  expect(() => lockFile('/dev/null/a.sqlite')).toThrow(/The lock file beside \/dev\/null\/a\.sqlite cannot be used: [A-Z]/);
});
