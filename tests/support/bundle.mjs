// Tests of the whole drive the packages as users get them: in one folder, made once for all suites. Linking 1500 modules anew took each of
// them four seconds.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { bundle, sourceOf } from '../../scripts/bundle.mjs';
import { root } from '../../scripts/steps.mjs';

export default async function setUp() {
  const names = new Set();
  for (const folder of ['tests', 'examples'])
    for (const file of readdirSync(join(root, folder), { recursive: true }))
      if (/\.tsx?$/.test(file) && !file.includes('node_modules'))
        for (const [, name] of readFileSync(join(root, folder, file), 'utf8').matchAll(/['"](@verbalis\/[^'"]+)['"]/g)) names.add(name);
  const entries = [...names].flatMap((name) => {
    const source = sourceOf(name);
    return source === undefined ? [] : [[name, source]];
  });
  await bundle('tests', Object.fromEntries(entries));
}
