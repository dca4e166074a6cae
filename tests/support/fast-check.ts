import type fastCheck from 'fast-check';
import { createRequire } from 'node:module';

/** Loaded outside of Jest's sandbox, once for all suites of a worker: the tables of its strings take it a second. */
const load = (globalThis as Readonly<Record<symbol, unknown>>)[Symbol.for('verbalis.load')] as
  | ((file: string) => Promise<{ readonly default: typeof fastCheck }>)
  | undefined;
if (load === undefined) throw new Error('Property tests run in the environment of tests/support/environment.mjs.');
const { default: fc } = await load(createRequire(import.meta.url).resolve('../../node_modules/fast-check/lib/fast-check.js'));

// On CI the same cases come each time, so that what fails there was changed there; everywhere else new ones are tried.
if (process.env['CI'] !== undefined) fc.configureGlobal({ seed: 20_261_128 });

export default fc;
