// All that must be right: tests, and beside them lint, types, format, reference pages, arrows, unused code.
import { mkdirSync, readFileSync, rmSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { spawn } from 'node:child_process';
import { installAndBuild, root, run, runBeside } from './steps.mjs';

const node = process.execPath;

/** What tests drive. */
const BESIDE = [['Packages of Debian', node, ['scripts/debian.mjs']]];
const SERVERS = [['Mail servers to test against', node, ['scripts/mail-servers.mjs'], 'Packages of Debian']];
/**
 * What runs beside the tests, one after the other: they wait now and then, and SQLite is compiled sooner without these beside it. The linter
 * checks all types; the build only removes them.
 */
const CHECKS = [
  ['Reference pages are current', node, ['scripts/reference.mjs', '--check']],
  ['Lint and types', 'npx', ['oxlint', '--deny-warnings']],
  ['Format', 'npx', ['oxfmt', '--check', '.']],
  ['Arrows point down', 'npm', ['run', '-s', 'arrows']],
  ['Nothing is unused', 'npx', ['knip', '--tsConfig', 'tsconfig.build.json']],
];

/** Runs the tests. @param args for Jest: names of files, options @returns its status, and how many were skipped */
async function test(args) {
  const results = join(root, 'node_modules/.cache/verbalis-jest.json');
  mkdirSync(dirname(results), { recursive: true });
  rmSync(results, { force: true });
  const jest = [
    '--experimental-vm-modules',
    '--disable-warning=ExperimentalWarning',
    'node_modules/jest/bin/jest.js',
    '--json',
    `--outputFile=${results}`,
    ...args,
  ];
  console.error('\n▸ Tests');
  const child = spawn(node, jest, { cwd: root, stdio: ['ignore', 'ignore', 'inherit'], env: { ...process.env, FORCE_COLOR: '0' } });
  const status = await new Promise((done) => child.once('close', (code) => done(code ?? 1)));
  const { numPassedTests, numFailedTests, numPendingTests, numRuntimeErrorTestSuites } = JSON.parse(readFileSync(results, 'utf8'));
  const failed = numFailedTests + numRuntimeErrorTestSuites;
  console.log(`${numPassedTests} passed, ${failed} failed${numPendingTests > 0 ? `, ${numPendingTests} skipped` : ''}`);
  return { status, skipped: numPendingTests };
}

/** Builds, runs all checks, and ends the process: with 0 only if all is right. @param args for Jest */
export async function checks(args) {
  await installAndBuild({ beside: BESIDE, then: SERVERS, isChecked: false });
  const [{ status: tested, skipped }, failed] = await Promise.all([test(args), runBeside(CHECKS, 1)]);
  const status = tested === 0 ? failed.length : tested;
  for (const title of failed) console.error(`▸ ${title}: failed, see above`);
  if (skipped > 0 && process.env.CI) {
    console.error('On CI a test that cannot run is a failure.');
    process.exit(1);
  }
  // The page of conformance says what all tests have shown; a run of some, or one that had to leave some out, says less.
  if (status === 0 && skipped === 0 && args.length === 0)
    run('The page of conformance is current', node, ['scripts/conformance.mjs', '--check']);
  process.exit(status);
}
