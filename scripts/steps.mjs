// What the scripts share: running commands, and installing what is not there yet.
import { spawn, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join, resolve } from 'node:path';

export const root = resolve(import.meta.dirname, '..');

/** Runs a command with its output shown; ends the process when it fails. */
export function run(title, command, args, options = {}) {
  console.error(`\n▸ ${title}`);
  const { status, error } = spawnSync(command, args, { cwd: root, stdio: 'inherit', ...options });
  if (error) console.error(error.message);
  if (status !== 0) process.exit(status ?? 1);
}

/**
 * Runs commands beside each other, as many as there are processors (at least two); what each printed is shown when it has ended.
 * @returns 0, or the status of one that failed, after all have ended
 */
export async function runBeside(steps, most = Math.max(2, availableParallelism())) {
  const waiting = [...steps];
  let failed = 0;
  const work = async () => {
    for (let step = waiting.shift(); step !== undefined; step = waiting.shift()) {
      const [title, command, args] = step;
      const child = spawn(command, args, { cwd: root, stdio: ['ignore', 'pipe', 'pipe'] });
      const printed = [];
      for (const stream of [child.stdout, child.stderr]) stream.on('data', (bytes) => printed.push(bytes));
      const status = await new Promise((done) => {
        child.once('error', (error) => {
          printed.push(Buffer.from(`${error.message}\n`));
          done(1);
        });
        child.once('close', done);
      });
      console.error(`\n▸ ${title}${status === 0 ? '' : ': failed'}`);
      process.stderr.write(Buffer.concat(printed));
      if (status !== 0) failed = status ?? 1;
    }
  };
  await Promise.all(Array.from({ length: most }, work));
  return failed;
}

const mark = join(root, 'node_modules/.verbalis-lock');
const lockHash = () =>
  createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex');

/** Installs the packages, unless those of this very lock file are there, and builds. The first time, SQLite is compiled beside the build. */
export async function installAndBuild() {
  const lock = lockHash();
  if (existsSync(mark) && readFileSync(mark, 'utf8') === lock) {
    run('Building', process.execPath, ['scripts/build.mjs']);
    return;
  }
  const [major] = process.versions.node.split('.').map(Number);
  if (major < 20) console.error(`Verbalis needs Node 20.19 or newer, better 22; this is ${process.version}.`);
  const quiet = ['--no-audit', '--no-fund', '--loglevel=error'];
  run('Installing packages', 'npm', ['ci', '--ignore-scripts', ...quiet]);
  console.error('\n▸ Compiling SQLite, and building (the first time takes some minutes) …');
  const status = await runBeside([
    ['SQLite', 'npm', ['rebuild', 'better-sqlite3', ...quiet]],
    ['Building', process.execPath, ['scripts/build.mjs']],
  ]);
  if (status !== 0) process.exit(status);
  writeFileSync(mark, lock);
}
