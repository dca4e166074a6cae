// Servers of a benchmark run as processes of their own, as they do in life.
import { spawn } from 'node:child_process';
import { mkdtempSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { createInterface } from 'node:readline';

export const root = resolve(import.meta.dirname, '../..');

export function folder() {
  return mkdtempSync(join(tmpdir(), 'verbalis-bench-'));
}

export async function freePort() {
  const server = createServer();
  await new Promise((done) => server.listen(0, '127.0.0.1', done));
  const { port } = server.address();
  await new Promise((done) => server.close(done));
  return port;
}

/** Starts `node FILE ARGS` and reads the line of JSON that it says first. */
export async function started(file, args, env = {}) {
  const child = spawn(process.execPath, [file, ...args], { env: { ...process.env, ...env }, stdio: ['ignore', 'pipe', 'inherit'] });
  const line = await new Promise((done, fail) => {
    createInterface({ input: child.stdout }).once('line', done);
    child.once('exit', (code) => fail(new Error(`${file} ended with ${code}`)));
  });
  const said = JSON.parse(line);
  return {
    // The command line wraps what it prints.
    said: said.result ?? said,
    pid: child.pid,
    stop: () => child.kill('SIGKILL'),
    end: () => child.kill('SIGTERM'),
    ended: new Promise((done) => child.once('exit', done)),
  };
}
