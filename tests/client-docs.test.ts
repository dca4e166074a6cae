import { spawn, spawnSync } from 'node:child_process';
import { cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import ts from 'typescript';
import { freePort } from './support/postfix.js';
import { ROOT, startTestService, until, type TestService } from './support/service.js';

// The blocks of docs/client.md: typed against a mail folder as verbalis types writes it, and run, each server asked as a browser would.

// Inside the checkout, so that packages are found.
const folder = join(ROOT, 'node_modules/.cache/client-docs');
const blocks = [...readFileSync(join(ROOT, 'docs/client.md'), 'utf8').matchAll(/^```ts ?(\w*)\n([\s\S]*?)^```$/gm)].map(
  ([, name = '', code = '']) => ({ name, code }),
);
const of = (...names: string[]): string =>
  blocks
    .filter(({ name }) => names.includes(name))
    .map(({ code }) => code)
    .join('\n');
const [head = { code: '' }] = blocks;
let all: TestService;

beforeAll(async () => {
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder, { recursive: true });
  const mail = join(folder, 'mail');
  cpSync(join(ROOT, 'packages/cli/starter'), mail, { recursive: true });
  const verbalis = join(ROOT, 'packages/cli/bin/verbalis.js');
  const { status } = spawnSync(process.execPath, [verbalis, 'types', mail, '--out', join(folder, 'mail-data.ts')]);
  expect(status).toBe(0);
  all = await startTestService({
    change: { spaces: { harbour: { mode: 'capture', mailFolder: mail, senderDomains: ['quillmere-library.example'] } } },
  });
});
afterAll(async () => {
  await all.stop();
  rmSync(folder, { recursive: true, force: true });
});

const programs: Readonly<Record<string, string>> = {
  calls: of('', 'wait'),
  express: `${head.code}\n${of('express')}`,
  fastify: `${head.code}\n${of('fastify')}`,
  node: `${head.code}\n${of('node')}`,
};

function run(name: string, port: number): { text: () => string; ended: Promise<number | null>; stop: () => void } {
  const code = (programs[name] ?? '').replaceAll('3000', String(port));
  const { outputText } = ts.transpileModule(code, { compilerOptions: { module: ts.ModuleKind.ESNext, target: ts.ScriptTarget.ES2022 } });
  const file = join(folder, `${name}.mjs`);
  writeFileSync(file, outputText);
  const child = spawn(process.execPath, [file], {
    env: { ...process.env, VERBALIS_URL: all.service.url, VERBALIS_KEY: all.key },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  let text = '';
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (bytes: Buffer) => (text += bytes.toString()));
  const ended = new Promise<number | null>((done) => child.once('close', done));
  return { text: () => text, ended, stop: () => child.kill('SIGKILL') };
}

test('every block compiles with the types of the mail folder', () => {
  for (const [name, code] of Object.entries(programs)) writeFileSync(join(folder, `${name}.ts`), code);
  writeFileSync(join(folder, 'package.json'), '{"type":"module"}');
  const names = Object.keys(programs).map((name) => join(folder, `${name}.ts`));
  const compiler = ts.createProgram(names, {
    strict: true,
    noEmit: true,
    skipLibCheck: true,
    target: ts.ScriptTarget.ES2022,
    module: ts.ModuleKind.NodeNext,
    moduleResolution: ts.ModuleResolutionKind.NodeNext,
    types: ['node'],
  });
  expect(ts.getPreEmitDiagnostics(compiler).map(({ messageText }) => ts.flattenDiagnosticMessageText(messageText, '\n'))).toEqual([]);
});

test('the calls', async () => {
  const { ended, text } = run('calls', 0);
  expect({ status: await ended, text: text() }).toEqual({
    status: 0,
    text: expect.stringContaining('https://quillmere-library.example/renew/204'),
  });
});

test.each(['express', 'fastify', 'node'])('a server with %s', async (name) => {
  const port = await freePort();
  const { stop, ended, text } = run(name, port);
  const sample: unknown = JSON.parse(readFileSync(join(ROOT, 'packages/cli/starter/templates/loan-due/samples/typical.json'), 'utf8'));
  const ask = (body: object): Promise<Response> =>
    fetch(`http://127.0.0.1:${port}/loans/${name}/remind`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
  const email = `${name}@post.example`;
  const answer = await until(() => ask({ email, ...(sample as object) }).catch(() => undefined));
  expect({ status: answer.status, text: text() }).toEqual({ status: 202, text: '' });
  const { message } = (await answer.json()) as { message: string };
  expect((await all.client.messages.get(message)).to).toEqual([expect.objectContaining({ address: email })]);
  // What is not right is an error, not an end.
  expect((await ask({ email: 'nobody' })).status).toBeGreaterThanOrEqual(400);
  stop();
  await ended;
});
