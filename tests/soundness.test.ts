import { expect, test } from '@jest/globals';
import { LIMITS } from './support/limits.js';

interface Proof {
  readonly cases: number;
  readonly templates: number;
  readonly accepted: number;
  readonly renderings: number;
  readonly failure: { readonly seed: number; readonly path: string; readonly fault: string } | undefined;
}

// Plain JavaScript, since worker threads run it: nothing compiles it.
const RUNNER: string = './soundness/run.mjs';

/** A template of a made-up schema with one datum for it, each a case. */
const CASES = process.env['CI'] === undefined ? 6000 : 100_000;

test(
  'what a check accepts renders for all data that the schema accepts, and both parts say the same',
  async () => {
    const runner: { proveSoundness: (wanted: { cases: number; seed: number }) => Promise<Proof> } = await import(
      './soundness/run.mjs' as string
    );
    // A new seed each day finds new cases; it is told, so that they can be had again.
    const seed = Math.floor(Date.now() / 86_400_000);
    const { failure, ...count } = await runner.proveSoundness({ cases: CASES, seed });
    process.stdout.write(
      `soundness: seed ${seed}, ${count.cases} cases, ${count.accepted} templates accepted, ${count.renderings} mails\n`,
    );
    if (failure !== undefined) throw new Error(`seed ${failure.seed} path ${failure.path}\n${failure.fault}`);
    expect(count.cases).toBeGreaterThanOrEqual(CASES);
    // Cases that are all refused would prove nothing.
    expect(count.accepted).toBeGreaterThan(count.templates / 20);
  },
  LIMITS.longTest,
);
