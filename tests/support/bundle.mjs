// Tests of the whole drive the packages as users get them: in one folder, made once for all suites. Linking 1500 modules anew took each of
// them four seconds.
import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, rmSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { bundle, sourceOf } from '../../scripts/bundle.mjs';
import { root } from '../../scripts/steps.mjs';

const KEPT_MS = 24 * 3_600_000;

function filesIn(folder, wanted) {
  return readdirSync(join(root, folder), { recursive: true })
    .filter((file) => wanted.test(file) && !file.includes('node_modules'))
    .map((file) => join(root, folder, file));
}

/** What tests import of our packages. */
function entriesOf() {
  const names = new Set();
  for (const folder of ['tests', 'examples'])
    for (const file of filesIn(folder, /\.tsx?$/))
      for (const [, name] of readFileSync(file, 'utf8').matchAll(/['"](@verbalis\/[^'"]+)['"]/g)) names.add(name);
  return [...names].sort().flatMap((name) => {
    const source = sourceOf(name);
    return source === undefined ? [] : [[name, source]];
  });
}

/** Makes the bundle, unless that of these very sources is there: another run may be using it. @returns its folder */
export async function testBundle() {
  const entries = entriesOf();
  const hash = createHash('sha256')
    .update(JSON.stringify(entries))
    .update(readFileSync(join(root, 'package-lock.json')));
  for (const name of ['core', 'client', 'service', 'simulators', 'cli', 'test-kit'])
    for (const file of filesIn(`packages/${name}/src`, /\.ts$/).sort()) hash.update(file).update(readFileSync(file));
  hash.update(readFileSync(join(root, 'scripts/bundle.mjs')));
  const name = `tests-${hash.digest('hex').slice(0, 16)}`;
  const all = join(root, 'packages/cli/bundle');
  for (const old of existsSync(all) ? readdirSync(all) : []) {
    const folder = join(all, old);
    if (old.startsWith('tests') && old !== name && Date.now() - statSync(folder).mtimeMs > KEPT_MS)
      rmSync(folder, { recursive: true, force: true });
  }
  if (!existsSync(join(all, name, '.packages.json'))) await bundle(name, Object.fromEntries(entries));
  return join(all, name);
}
