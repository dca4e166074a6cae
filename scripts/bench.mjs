// npm run bench -- NAME --json: runs bench/NAME.mjs and prints what it measured.
// A benchmark gives two things to time, ours and a baseline; they take turns, and the medians are compared.
import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { installAndBuild, root } from './steps.mjs';

const args = process.argv.slice(2);
const name = args.find((one) => !one.startsWith('--'));
const file = join(root, 'bench', `${name}.mjs`);
if (name === undefined || !existsSync(file)) {
  const known = readdirSync(join(root, 'bench'))
    .filter((one) => one.endsWith('.mjs'))
    .map((one) => one.slice(0, -4));
  console.error(`Which benchmark? npm run bench -- NAME [--json]\nThere are: ${known.join(', ')}`);
  process.exit(2);
}
// What the build says goes to stderr; only the figures go to stdout.
const log = console.log;
console.log = console.error;
await installAndBuild();
const { default: bench, runs = 5 } = await import(pathToFileURL(file));
const median = (values) => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)];
const results = [];
for (const { name: what, unit, ours, baseline, close } of await bench()) {
  const taken = { ours: [], baseline: [] };
  // One unmeasured turn each warms up.
  await ours();
  await baseline?.();
  for (let i = 0; i < runs; i += 1) {
    taken.ours.push(await ours());
    if (baseline) taken.baseline.push(await baseline());
    console.error(
      `${what}: run ${i + 1}: ours ${taken.ours.at(-1).toFixed(2)}${baseline ? `, baseline ${taken.baseline.at(-1).toFixed(2)}` : ''} ${unit}`,
    );
  }
  await close?.();
  const round = (value) => Number(value.toPrecision(4));
  const [a, b] = [median(taken.ours), baseline ? median(taken.baseline) : null];
  results.push({ name: what, ours: round(a), baseline: b === null ? null : round(b), ratio: b === null ? null : round(a / b), unit, runs });
}
log(
  args.includes('--json')
    ? JSON.stringify(results)
    : results
        .map((one) => `${one.name}: ${one.ours} ${one.unit} against ${one.baseline ?? 'nothing'}: ratio ${one.ratio ?? 'none'}`)
        .join('\n'),
);
process.exit(0);
