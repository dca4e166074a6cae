// npm run verify: build, lint, format, types, arrows, tests. One command before each commit, and what CI runs.
import { mkdirSync, readFileSync, rmSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { spawnSync } from 'node:child_process';
import { build, root, run, runBeside } from './steps.mjs';

const node = process.execPath;
build();
// The longest first, so that the others are done beside it.
await runBeside([
  ['Lint', 'npx', ['eslint', '.', '--max-warnings', '0']],
  ['Reference pages are current', node, ['scripts/reference.mjs', '--check']],
  ['Types of tests', node, ['node_modules/typescript/bin/tsc', '-p', 'tsconfig.tests.json']],
  ['Types of the console', node, ['node_modules/typescript/bin/tsc', '-p', 'packages/console']],
  ['Format', 'npx', ['prettier', '--check', '--log-level', 'warn', '.']],
  ['Arrows point down', 'npm', ['run', '-s', 'arrows']],
  ['Nothing is unused', 'npx', ['knip']],
]);

const results = join(root, 'node_modules/.cache/verbalis-jest.json');
mkdirSync(dirname(results), { recursive: true });
rmSync(results, { force: true });
const jest = [
  '--experimental-vm-modules',
  '--disable-warning=ExperimentalWarning',
  'node_modules/jest/bin/jest.js',
  '--json',
  `--outputFile=${results}`,
  ...process.argv.slice(2),
];
console.error('\n▸ Tests');
const { status } = spawnSync(node, jest, { cwd: root, stdio: ['ignore', 'ignore', 'inherit'], env: { ...process.env, FORCE_COLOR: '0' } });
const { numPassedTests, numFailedTests, numPendingTests, numRuntimeErrorTestSuites } = JSON.parse(readFileSync(results, 'utf8'));
const failed = numFailedTests + numRuntimeErrorTestSuites;
console.log(`${numPassedTests} passed, ${failed} failed${numPendingTests > 0 ? `, ${numPendingTests} skipped` : ''}`);
if (numPendingTests > 0 && process.env.CI) {
  console.error('On CI a test that cannot run is a failure.');
  process.exit(1);
}
// The page of conformance says what all tests have shown; a run of some, or one that had to leave some out, says less.
if (status === 0 && numPendingTests === 0 && process.argv.length === 2)
  run('The page of conformance is current', node, ['scripts/conformance.mjs', '--check']);
process.exit(status ?? 1);
