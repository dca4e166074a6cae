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

/** Runs one command; what it printed is shown when it has ended. @returns its status */
async function runQuietly(title, command, args) {
  const child = spawn(command, args, { cwd: root, stdio: ['ignore', 'pipe', 'pipe'] });
  const printed = [];
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (bytes) => printed.push(bytes));
  const status = await new Promise((done) => {
    child.once('error', (error) => {
      printed.push(Buffer.from(`${error.message}\n`));
      done(1);
    });
    child.once('close', (code) => done(code ?? 1));
  });
  console.error(`\n▸ ${title}${status === 0 ? '' : ': failed'}`);
  process.stderr.write(Buffer.concat(printed));
  return status;
}

/**
 * Runs commands beside each other, in their order, as many as there are processors (at least two).
 * @param steps title, command, arguments, and the title of a step that must have ended well before this one begins
 * @returns 0, or the status of one that failed, after all have ended that could begin
 */
export async function runBeside(steps, most = Math.max(2, availableParallelism())) {
  const waiting = [...steps];
  const running = new Set();
  const done = new Set();
  let failed = 0;
  for (;;) {
    const next = running.size < most ? waiting.findIndex(([, , , after]) => after === undefined || done.has(after)) : -1;
    if (next === -1) {
      if (running.size === 0) return failed;
      await Promise.race(running);
      continue;
    }
    const [[title, command, args]] = waiting.splice(next, 1);
    const step = runQuietly(title, command, args).then((status) => {
      running.delete(step);
      if (status === 0) done.add(title);
      else failed = status;
    });
    running.add(step);
  }
}

const QUIET = ['--no-audit', '--no-fund', '--loglevel=error'];
const mark = join(root, 'node_modules/.verbalis-lock');
const lockHash = () =>
  createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex');

/**
 * Installs the packages, unless those of this very lock file are there, and builds. The first time, SQLite is compiled beside it.
 * @param checks steps that need what was built, but not SQLite; see {@link runBeside}
 */
export async function installAndBuild(checks = []) {
  const building = ['Building', process.execPath, ['scripts/build.mjs']];
  const then = checks.map(([title, command, args]) => [title, command, args, 'Building']);
  const lock = lockHash();
  const isInstalled = existsSync(mark) && readFileSync(mark, 'utf8') === lock;
  if (isInstalled) run(...building);
  else {
    const [major] = process.versions.node.split('.').map(Number);
    if (major < 20) console.error(`Verbalis needs Node 20.19 or newer, better 22; this is ${process.version}.`);
    run('Installing packages', 'npm', ['ci', '--ignore-scripts', ...QUIET]);
    console.error('\n▸ Compiling SQLite, and building (the first time takes some minutes) …');
  }
  const status = await runBeside(isInstalled ? checks : [['SQLite', 'npm', ['rebuild', 'better-sqlite3', ...QUIET]], building, ...then]);
  if (status !== 0) process.exit(status);
  if (!isInstalled) writeFileSync(mark, lock);
}
