import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { ROOT } from './support/service.js';

const folders = (path: string): string[] =>
  readdirSync(join(ROOT, path), { withFileTypes: true })
    .filter((entry) => entry.isDirectory())
    .map((entry) => entry.name);
const page = readFileSync(join(ROOT, 'docs/architecture.md'), 'utf8');
const order = [
  ...readFileSync(join(ROOT, 'packages/service/src/features/order.ts'), 'utf8').matchAll(/^ +(?:\{ )?name: '([a-z-]+)'(?:,| \},)$/gm),
].map((match) => match[1]);

test('docs/architecture.md lists every folder of core and every feature', () => {
  for (const step of folders('packages/core/src')) expect(page).toContain(`| \`${step}\``);
  for (const feature of folders('packages/service/src/features'))
    expect(page).toContain(`[\`${feature}\`](../packages/service/src/features/${feature}/README.md)`);
});

test('every feature has its place in the order, and nothing else has', () => {
  expect([...order].sort()).toEqual(folders('packages/service/src/features').sort());
});

test('command line and console name their folders like features', () => {
  // What belongs to no feature of the service: the service as a whole, the demo, the completion of shells, parts that pages share.
  const other = new Set(['service', 'demo', 'completion', 'parts']);
  for (const path of ['packages/cli/src', 'packages/console/src'])
    expect({ path, unknown: folders(path).filter((name) => !order.includes(name) && !other.has(name)) }).toEqual({ path, unknown: [] });
});
