// Builds everything: the packages with tsc and as one bundle, the console with Vite (only when its sources changed).
// --no-check: types are removed and not checked.
import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { root, run } from './steps.mjs';

// The client is made from the endpoints of the service, so the service comes first.
const service = 'packages/service/tsconfig.build.json';
const options = process.argv.includes('--no-check') ? ['--noCheck'] : [];
run(`tsc -b ${service}`, process.execPath, ['node_modules/typescript-native/bin/tsc', '-b', service, ...options]);
run('client', process.execPath, ['scripts/client.mjs']);
// As users run it.
run('bundle', process.execPath, ['scripts/bundle.mjs', ...options]);

const consoleRoot = join(root, 'packages/console');
const hash = createHash('sha256');
for (const folder of ['src', 'public', '../client/src']) {
  for (const entry of readdirSync(join(consoleRoot, folder), { recursive: true, withFileTypes: true })) {
    if (entry.isFile()) hash.update(entry.name).update(readFileSync(join(entry.parentPath, entry.name)));
  }
}
for (const file of ['index.html', 'vite.config.ts', 'package.json']) hash.update(readFileSync(join(consoleRoot, file)));
const mark = join(consoleRoot, 'dist/.sources');
const sources = hash.digest('hex');
if (!existsSync(mark) || readFileSync(mark, 'utf8') !== sources) {
  run('vite build', 'npx', ['vite', 'build', '--logLevel', 'warn'], { cwd: consoleRoot });
  writeFileSync(mark, sources);
}
// Vite empties its folder, so the documentation comes after it. It takes a second.
run('docs', process.execPath, ['scripts/docs.mjs']);
