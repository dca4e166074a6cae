// Tests of the whole drive the packages as users get them: in one folder, made once for all suites. Linking 1500 modules anew took each of
// them four seconds.
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { build, bundleMore, BUNDLES, hashOfSources, isCurrent, sourceOf } from '../../scripts/bundle.mjs';
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

/**
 * Modules that give what the environment loads outside of Jest's sandbox (environment.mjs). What adds to Jest's `expect` (test-kit/src/jest.ts) does so inside.
 */
function writeDoors(folder, exported) {
  for (const [name, names] of Object.entries(exported)) {
    if (!name.startsWith('@verbalis/')) continue;
    const file = join(folder, `${name}.js`);
    const door = join(folder, 'outside', `${name}.js`);
    mkdirSync(dirname(door), { recursive: true });
    const source =
      name === '@verbalis/test-kit/jest'
        ? "import { expect } from '@jest/globals';\nimport { mailMatchers } from '../test-kit.js';\nexpect.extend(mailMatchers);\n"
        : `export const { ${names.join(', ')} } = await globalThis[Symbol.for('verbalis.load')](${JSON.stringify(file)});\n`;
    writeFileSync(door, source);
  }
}

/** Builds, and makes the bundle, unless that of these very sources is there: another run may be using it. @returns the folder of its modules */
export async function testBundle() {
  const entries = entriesOf();
  // Tests run what was built.
  if (!isCurrent()) await build();
  const digest = createHash('sha256').update(JSON.stringify(entries)).update(hashOfSources()).digest('hex');
  const name = `tests-${digest.slice(0, 16)}`;
  for (const old of readdirSync(BUNDLES)) {
    const folder = join(BUNDLES, old);
    if (old.startsWith('tests') && old !== name && Date.now() - statSync(folder).mtimeMs > KEPT_MS)
      rmSync(folder, { recursive: true, force: true });
  }
  const folder = join(BUNDLES, name);
  if (!existsSync(join(folder, 'outside'))) writeDoors(folder, await bundleMore(name, Object.fromEntries(entries)));
  return join(folder, 'outside');
}
