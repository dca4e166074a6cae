import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { ROOT } from './support/service.js';

/** Runs steps as the scripts do. @returns how many failed, and the titles in the order in which they ended */
function runSteps(steps: readonly (readonly [string, string, readonly string[], ...string[]])[], most: number) {
  const program = `import(${JSON.stringify(join(ROOT, 'scripts/steps.mjs'))}).then(async ({ runBeside }) => process.exit((await runBeside(JSON.parse(process.argv[1]), ${most})).length))`;
  const { status: failed, stderr } = spawnSync(process.execPath, ['-e', program, JSON.stringify(steps)], { encoding: 'utf8' });
  return { failed, titles: [...stderr.matchAll(/^▸ (.*)$/gm)].map(([, title]) => title), stderr };
}

test('a step begins when all that it needs have ended well, whatever their order', () => {
  const { failed, titles } = runSteps(
    [
      ['both', 'true', [], 'left', 'right'],
      ['right', 'true', [], 'left'],
      ['left', 'true', []],
    ],
    2,
  );
  expect(titles).toEqual(['left', 'right', 'both']);
  expect(failed).toBe(0);
});

test('one that fails or cannot be started shows why, stops what needs it, and nothing else', () => {
  const { failed, titles, stderr } = runSteps(
    [
      ['broken', 'sh', ['-c', 'echo no space left; exit 7']],
      ['needs it', 'true', [], 'broken'],
      ['absent', '/nowhere/at-all', []],
      ['another', 'true', []],
    ],
    1,
  );
  expect(titles).toEqual(['broken: failed', 'absent: failed', 'another']);
  expect(stderr).toContain('no space left');
  expect(stderr).toContain('/nowhere/at-all');
  expect(failed).toBe(2);
});
