// What the scripts share: running commands, and installing what is not there yet.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';

export const root = resolve(import.meta.dirname, '..');

/** Runs a command with its output shown; ends the process when it fails. */
export function run(title, command, args, options = {}) {
  console.error(`\n▸ ${title}`);
  const { status, error } = spawnSync(command, args, { cwd: root, stdio: 'inherit', ...options });
  if (error) console.error(error.message);
  if (status !== 0) process.exit(status ?? 1);
}

/** Installs the packages, unless those of this very lock file are there. */
export function ensurePackages() {
  const lock = createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex');
  const mark = join(root, 'node_modules/.verbalis-lock');
  if (existsSync(mark) && readFileSync(mark, 'utf8') === lock) return;
  const [major] = process.versions.node.split('.').map(Number);
  if (major < 20) console.error(`Verbalis needs Node 20.19 or newer, better 22; this is ${process.version}.`);
  run('Installing packages (the first time takes some minutes: SQLite is built)', 'npm', [
    'ci',
    '--no-audit',
    '--no-fund',
    '--loglevel=error',
  ]);
  writeFileSync(mark, lock);
}

export function build() {
  run('Building', process.execPath, ['scripts/build.mjs']);
}
