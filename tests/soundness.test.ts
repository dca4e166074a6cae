import { expect, test } from '@jest/globals';
import { proveSoundness } from './soundness/run.mjs';
import { LIMITS } from './support/limits.js';
import { scaled } from './support/scale.js';

const CASES = scaled(3000, 100_000);

test(
  'what a check accepts renders for all data that the schema accepts, and both parts say the same',
  async () => {
    // A new seed each day finds new cases; it is told, so that they can be had again.
    const seed = Math.floor(Date.now() / 86_400_000);
    const { failure, ...count } = await proveSoundness({ cases: CASES, seed });
    process.stdout.write(
      `soundness: seed ${seed}, ${count.cases} cases, ${count.accepted} templates accepted, ${count.renderings} emails\n`,
    );
    if (failure !== undefined) throw new Error(`seed ${failure.seed} path ${failure.path}\n${failure.fault}`);
    expect(count.cases).toBeGreaterThanOrEqual(CASES);
    // Cases that are all refused would prove nothing.
    expect(count.accepted).toBeGreaterThan(count.templates / 20);
  },
  LIMITS.longTest,
);
