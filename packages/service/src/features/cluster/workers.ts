import { randomBytes } from 'node:crypto';
import type { Logger } from 'pino';
import { ThreadFault, type Clock } from '../../kernel/index.js';
import { CallFault, type Calls } from './calls.js';

// Delivery workers: processes that make emails and hand them over for the primary. They have no database. What they do with an email is what a
// thread of the primary does: before its content leaves they ask, and the primary writes the attempt down first. So nothing leaves that was
// canceled, and a primary that was passed over can let nothing leave any more.

/** What an email that is handed over asks and reports. */
export interface RemoteGate {
  readonly mayLeave: () => Promise<boolean>;
  readonly reached: (step: 'connected' | 'opening' | 'gave-up', agoMs: number) => void;
}

/** Gives emails to delivery workers. */
export interface DeliveryWorkers {
  /** Whether one of them has room. */
  readonly hasRoom: () => boolean;
  /**
   * Has an email handed over. @param id of its delivery; one is under way once at most
   * @throws ThreadFault when the worker is gone: where its content may have left, nobody knows how it went
   */
  readonly handOver: (id: string, job: unknown, gate: RemoteGate) => Promise<unknown>;
  readonly known: () => readonly WorkerState[];
  readonly close: () => void;
}

/** A worker, as the primary sees it. */
export interface WorkerState {
  readonly worker: string;
  /** Emails that it has. */
  readonly underWay: number;
  readonly room: number;
}

/** A worker says this every second. */
interface Alive {
  readonly worker: string;
  /** How many emails it processes concurrently. */
  readonly most: number;
  readonly version: string;
}

/** What a worker is given. */
interface Given {
  /** Where it asks and reports. */
  readonly run: string;
  readonly id: string;
  readonly job: unknown;
}

interface UnderWay {
  readonly worker: string;
  readonly gate: RemoteGate;
  readonly resolve: (handed: unknown) => void;
  readonly reject: (error: unknown) => void;
  hasLeft: boolean;
}

const workerSubjects = (prefix: string) => ({
  alive: `${prefix}.workers.alive`,
  wanted: `${prefix}.workers.wanted`,
  of: (worker: string): string => `${prefix}.workers.of.${worker}`,
  run: (run: string): string => `${prefix}.workers.run.${run}`,
});

const ALIVE_MS = 1000;
/** A worker that was silent for so long gets nothing more, and gives back what has not left. */
const SILENT_MS = 5000;
/** What has left is waited for so much longer: a worker tells how it went when it reaches the brokers again. */
const LEFT_MS = 60_000;
const CALL_MS = 5000;

export interface WorkersOptions {
  readonly calls: Calls;
  readonly prefix: string;
  readonly clock: Clock;
  readonly log: Logger;
  /** Only workers of the same version understand what they are given. */
  readonly version: string;
  /** What a worker needs of an email's edition and keys. */
  readonly methods: Readonly<Record<string, (input: never) => unknown>>;
}

/** The primary's side. */
export function deliveryWorkers({ calls, prefix, clock, log, version, methods }: WorkersOptions): DeliveryWorkers {
  const run = randomBytes(9).toString('base64url');
  const subjects = workerSubjects(prefix);
  const workers = new Map<string, { most: number; underWay: number; heardAt: number }>();
  const jobs = new Map<string, UnderWay>();
  const refused = new Set<string>();

  const isFresh = ({ heardAt }: { readonly heardAt: number }): boolean => clock.elapsed() - heardAt < SILENT_MS;

  const ends = [
    calls.answer(subjects.alive, ({ worker, most, version: other }: Alive) => {
      if (other !== version) {
        if (!refused.has(worker)) log.warn({ worker, version: other }, 'a delivery worker is of another version, and gets nothing');
        refused.add(worker);
        return;
      }
      const known = workers.get(worker);
      if (known === undefined) {
        log.info({ worker, most }, 'a delivery worker is there');
        workers.set(worker, { most, underWay: 0, heardAt: clock.elapsed() });
      } else Object.assign(known, { most, heardAt: clock.elapsed() });
    }),
    calls.answer(subjects.run(run), async ({ method, id, input }: { method: string; id: string; input: unknown }) => {
      const job = jobs.get(id);
      switch (method) {
        case 'mayLeave': {
          const may = (await job?.gate.mayLeave()) ?? false;
          if (may && job !== undefined) job.hasLeft = true;
          return may;
        }
        case 'reached': {
          const { step, agoMs } = input as { step: Parameters<RemoteGate['reached']>[0]; agoMs: number };
          job?.gate.reached(step, agoMs);
          return undefined;
        }
        case 'ended':
          job?.resolve(input);
          return true;
        case 'failed':
          job?.reject(new Error(String(input)));
          return true;
        default:
          return methods[method]?.(input as never);
      }
    }),
  ];
  // Those who are there need not wait for their next second.
  calls.tell(subjects.wanted, run);

  /** Gives back what a worker had that was not heard of for long. */
  function look(): void {
    const now = clock.elapsed();
    for (const [name, worker] of workers) {
      if (isFresh(worker)) continue;
      for (const job of jobs.values())
        if (job.worker === name && (!job.hasLeft || now - worker.heardAt > SILENT_MS + LEFT_MS))
          job.reject(new ThreadFault(`The delivery worker ${name} was not heard of any more.`));
      if (worker.underWay > 0) continue;
      log.warn({ worker: name }, 'a delivery worker is gone');
      workers.delete(name);
    }
  }
  const timer = setInterval(look, ALIVE_MS);
  timer.unref();

  const roomy = () =>
    [...workers]
      .filter(([, worker]) => isFresh(worker) && worker.underWay < worker.most)
      .sort(([, a], [, b]) => a.underWay - b.underWay)[0];

  return {
    hasRoom: () => roomy() !== undefined,
    async handOver(id, job, gate) {
      const found = roomy();
      if (found === undefined) throw new ThreadFault('No delivery worker has room.');
      const [name, worker] = found;
      worker.underWay += 1;
      try {
        return await new Promise((resolve, reject) => {
          jobs.set(id, { worker: name, gate, resolve, reject, hasLeft: false });
          calls.call(subjects.of(name), { run, id, job } satisfies Given, CALL_MS).catch((error: unknown) => {
            // It may have it all the same; then it asks, and hears that it may not.
            if (jobs.get(id)?.hasLeft !== true)
              reject(new ThreadFault(`The delivery worker ${name} did not take an email: ${(error as Error).message}`));
          });
        });
      } finally {
        jobs.delete(id);
        worker.underWay -= 1;
      }
    },
    known: () =>
      [...workers]
        .filter(([, worker]) => isFresh(worker))
        .map(([name, { underWay, most }]) => ({ worker: name, underWay, room: most - underWay })),
    close: () => {
      clearInterval(timer);
      for (const end of ends) end();
      for (const { reject } of [...jobs.values()]) reject(new ThreadFault('This node is the primary no more.'));
    },
  };
}

/** What a worker can ask of the primary that gave it an email. */
export interface PrimaryOfJob {
  /** @throws CallFault */
  readonly ask: <T>(method: string, input: unknown) => Promise<T>;
}

export interface WorkerOptions {
  readonly calls: Calls;
  readonly prefix: string;
  readonly name: string;
  readonly version: string;
  /** How many emails it processes concurrently. */
  readonly most: number;
  readonly clock: Clock;
  readonly log: Logger;
  /** Makes an email and hands it over. @throws where it cannot be made */
  readonly handOver: (job: never, gate: RemoteGate, primary: PrimaryOfJob) => Promise<unknown>;
}

/** How long a worker tells a primary how it went, and how often. In milliseconds. */
const [TELL_MS, TELL_AGAIN_MS] = [120_000, 1000];

/** Asks until it is known: an attempt may be written down whose answer was lost. Where nobody is there to answer, nothing may leave. */
async function mayLeave(ask: PrimaryOfJob['ask']): Promise<boolean> {
  for (;;) {
    try {
      return await ask<boolean>('mayLeave', undefined);
    } catch (error) {
      if (!(error instanceof CallFault) || error.isNobody) return false;
    }
  }
}

/** A worker's side. @returns what ends it when nothing is under way any more */
export function startWorking({ calls, prefix, name, version, most, clock, log, handOver }: WorkerOptions): {
  readonly stop: () => Promise<void>;
  readonly underWay: () => number;
} {
  const subjects = workerSubjects(prefix);
  const underWay = new Set<Promise<void>>();
  let isStopping = false;

  const say = (): void => {
    if (!isStopping) calls.tell(subjects.alive, { worker: name, most, version } satisfies Alive);
  };

  /** Tells how it went until someone has heard it: an email that has left must not be sent again for want of a word. */
  async function tell(
    run: string,
    report: { readonly method: 'ended' | 'failed'; readonly id: string; readonly input: unknown },
  ): Promise<void> {
    const end = clock.elapsed() + TELL_MS;
    for (;;) {
      try {
        await calls.call(subjects.run(run), report, CALL_MS);
        return;
      } catch (error) {
        if (clock.elapsed() > end) {
          log.error({ err: error, delivery: report.id }, 'the primary did not hear how an email went; it counts as uncertain there');
          return;
        }
        await new Promise((done) => setTimeout(done, TELL_AGAIN_MS));
      }
    }
  }

  async function work({ run, id, job }: Given): Promise<void> {
    const ask = <T>(method: string, input: unknown): Promise<T> => calls.call<T>(subjects.run(run), { method, id, input }, CALL_MS);
    const gate: RemoteGate = {
      mayLeave: () => mayLeave(ask),
      reached: (step, agoMs) => {
        calls.tell(subjects.run(run), { method: 'reached', id, input: { step, agoMs } });
      },
    };
    try {
      const handed = await handOver(job as never, gate, { ask });
      await tell(run, { method: 'ended', id, input: handed });
    } catch (error) {
      await tell(run, { method: 'failed', id, input: error instanceof Error ? error.message : String(error) });
    }
  }

  const ends = [
    calls.answer(subjects.of(name), (given: Given) => {
      if (isStopping) throw new Error('This worker ends.');
      const one = work(given).finally(() => underWay.delete(one));
      underWay.add(one);
      return 'taken';
    }),
    calls.answer(subjects.wanted, say),
  ];
  say();
  const timer = setInterval(say, ALIVE_MS);
  return {
    underWay: () => underWay.size,
    stop: async () => {
      isStopping = true;
      clearInterval(timer);
      for (const end of ends) end();
      await Promise.all(underWay);
    },
  };
}
