// node tests/soundness/run.mjs [--cases N] [--seed N] [--threads N] [--core PATH] [--all]: looks for an email that a check accepts and that goes wrong.
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { Worker } from 'node:worker_threads';

const CORE = join(import.meta.dirname, '../../packages/core');

/** Runs the cases in worker threads. The first fault that is found is given back with the seed that finds it again. */
export async function proveSoundness({
  cases,
  seed,
  core = CORE,
  all = false,
  threads = Math.max(1, Math.min(2, availableParallelism())),
}) {
  const runs = Array.from({ length: threads }, (_, i) => {
    const worker = new Worker(join(import.meta.dirname, 'worker.mjs'), {
      workerData: { core, compare: CORE, all, seed: seed + i * 1_000_003, cases: Math.ceil(cases / threads) },
    });
    return new Promise((resolve, reject) => {
      worker.on('error', reject);
      worker.on('message', (message) => {
        resolve(message);
      });
      worker.on('exit', (code) => {
        if (code !== 0) reject(new Error(`A worker ended with ${code}.`));
      });
    });
  });
  const results = await Promise.all(runs);
  const sum = (key) => results.reduce((total, one) => total + one.count[key], 0);
  return {
    cases: sum('cases'),
    templates: sum('templates'),
    accepted: sum('accepted'),
    renderings: sum('renderings'),
    kinds: Object.assign({}, ...results.map((one) => one.kinds)),
    failure: results.find((one) => one.failure !== undefined)?.failure,
  };
}

if (process.argv[1] === import.meta.filename) {
  const { values } = parseArgs({
    options: {
      cases: { type: 'string' },
      seed: { type: 'string' },
      core: { type: 'string' },
      threads: { type: 'string' },
      all: { type: 'boolean' },
    },
  });
  const from = performance.now();
  const { failure, kinds, ...count } = await proveSoundness({
    cases: Number(values.cases ?? 10_000),
    all: values.all ?? false,
    seed: Number(values.seed ?? 1),
    ...(values.core === undefined ? {} : { core: values.core }),
    ...(values.threads === undefined ? {} : { threads: Number(values.threads) }),
  });
  console.log({ ...count, seconds: Math.round((performance.now() - from) / 100) / 10 });
  for (const [kind, { count: times, example }] of Object.entries(kinds)) console.log(`${times} × ${kind}\n${example.slice(0, 1500)}\n`);
  if (failure !== undefined) {
    console.log(`seed ${failure.seed} path ${failure.path}\n${failure.fault}`);
    process.exitCode = 1;
  }
}
