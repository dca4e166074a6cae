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
 * Runs commands beside each other, in their order.
 * @typedef {[title: string, command: string, args: string[], ...after: string[]]} Step `after`: the steps that must have ended well before it begins
 * @param {Step[]} steps
 * @param most so many at a time
 * @returns the titles of those that failed, after all have ended that could begin
 */
export async function runBeside(steps, most) {
  const waiting = [...steps];
  const running = new Set();
  const done = new Set();
  const failed = [];
  for (;;) {
    const next = running.size < most ? waiting.findIndex(([, , , ...after]) => after.every((title) => done.has(title))) : -1;
    if (next === -1) {
      if (running.size === 0) return failed;
      await Promise.race(running);
      continue;
    }
    const [[title, command, args]] = waiting.splice(next, 1);
    const step = runQuietly(title, command, args).then((status) => {
      running.delete(step);
      if (status === 0) done.add(title);
      else failed.push(title);
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
 * @param {{ beside?: Step[]; then?: Step[]; isChecked?: boolean }} more steps that need nothing, steps that need what was built, but
 * not SQLite, and whether types are checked: not where something else does
 */
export async function installAndBuild({ beside = [], then = [], isChecked = true } = {}) {
  const build = ['Building', process.execPath, ['scripts/build.mjs', ...(isChecked ? [] : ['--no-check'])]];
  const after = (title, steps) => steps.map((step) => [...step, title]);
  const lock = lockHash();
  const isInstalled = existsSync(mark) && readFileSync(mark, 'utf8') === lock;
  if (isInstalled && beside.length + then.length === 0) return run(...build);
  const [major] = process.versions.node.split('.').map(Number);
  if (major < 20) console.error(`Verbalis needs Node 20.19 or newer, better 22; this is ${process.version}.`);
  const install = ['Packages of npm', 'npm', ['ci', '--ignore-scripts', ...QUIET]];
  // CI waits for it with a processor idle, and uses it for one run of the tests: 63 s of processor time in place of 99.
  const compile = [
    'SQLite',
    'env',
    [...(process.env.CI ? ['CFLAGS=-O1', 'CXXFLAGS=-O1'] : []), 'npm', 'rebuild', 'better-sqlite3', ...QUIET],
  ];
  const first = isInstalled ? [build] : [install, ...after('Packages of npm', [compile, build])];
  if (!isInstalled) console.error('\n▸ Installing packages, compiling SQLite, and building (the first time takes some minutes) …');
  // What is fetched from elsewhere waits for the network, and leaves its processor to the others.
  const most = Math.max(2, availableParallelism()) + (isInstalled ? 0 : beside.length);
  const failed = await runBeside([...beside, ...first, ...after('Building', then)], most);
  if (failed.length > 0) process.exit(1);
  if (!isInstalled) writeFileSync(mark, lock);
}
