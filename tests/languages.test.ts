import { spawn } from 'node:child_process';
import { cpSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createClient } from '@verbalis/client';
import { DEMO_FOLDER, OPERATOR, ROOT, startTestService, temporaryFolder, type TestService } from './support/service.js';

// The programs of docs/languages.md, each as a reader copies it, against a space that captures.

const programs = new Map(
  [...readFileSync(join(ROOT, 'docs/languages.md'), 'utf8').matchAll(/^```(sh|python|go|ruby|php)\n([\s\S]*?)^```$/gm)].map(
    ([, language = '', code = '']) => [language, code],
  ),
);
const RUNS: readonly (readonly [language: string, file: string, ...command: string[]])[] = [
  ['sh', 'send.sh', 'bash', '-e', 'send.sh'],
  ['python', 'send.py', 'python3', 'send.py'],
  ['ruby', 'send.rb', 'ruby', 'send.rb'],
  ['go', 'send.go', 'go', 'run', 'send.go'],
  ['php', 'send.php', 'php', 'send.php'],
];

let all: TestService;
const { path, remove } = temporaryFolder();
beforeAll(async () => {
  // A space for each: the idempotency key of the programs is the same.
  const space = { mode: 'capture', mailFolder: DEMO_FOLDER };
  all = await startTestService({
    change: { spaces: Object.fromEntries(['harbour', ...RUNS.map(([language]) => language)].map((name) => [name, space])) },
  });
});
afterAll(async () => {
  await all.stop();
  remove();
});

test.each(RUNS)('%s', async (language, file, program, ...args) => {
  const operator = createClient({ url: all.service.url, key: OPERATOR, space: language });
  const { key } = await operator.keys.add({ name: language, scopes: ['send', 'read'] });
  const folder = join(path, language);
  mkdirSync(folder);
  writeFileSync(join(folder, file), programs.get(language) ?? '');
  cpSync(join(ROOT, 'demo/mail/templates/refund-receipt/samples/typical.json'), join(folder, 'data.json'));
  const run = (): Promise<{ status: number | null; out: string; err: string }> =>
    new Promise((done, fail) => {
      const child = spawn(program ?? '', args, {
        cwd: folder,
        env: {
          ...process.env,
          VERBALIS_URL: all.service.url,
          VERBALIS_KEY: key,
          HOME: folder,
          GOCACHE: join(folder, 'cache'),
          GO111MODULE: 'off',
        },
      });
      let [out, err] = ['', ''];
      child.stdout.on('data', (bytes: Buffer) => (out += bytes.toString()));
      child.stderr.on('data', (bytes: Buffer) => (err += bytes.toString()));
      child.once('error', (error) =>
        fail(new Error(`${program ?? ''} is not there; "npm test" installs it on Debian. (${error.message})`)),
      );
      child.once('close', (status) => done({ status, out, err }));
    });
  const ran = await run();
  expect({ status: ran.status, err: ran.err }).toEqual({ status: 0, err: '' });
  expect(ran.out).toContain('Your refund for SM-1042');
  // The same event, handed in again: still one email.
  expect((await run()).status).toBe(0);
  expect((await operator.captured.list()).captured).toHaveLength(1);
});
