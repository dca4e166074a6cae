import type { SigningKey } from '@verbalis/core/dkim';
import type { Logger } from 'pino';
import type { Gate, HandOverStep, ProvidersOf } from '../providers/index.js';
import type { EditionParts } from '../editions/index.js';
import { startThread, threadFile, type Thread } from '../../kernel/thread.js';
import type { Handed, HandOverJob } from './hand-over.js';

/** What a thread is started with. */
export interface PoolThreadData {
  readonly settings: ProvidersOf & { readonly log: { readonly level: string } };
  /** The folder that paths of the configuration begin at. */
  readonly folder: string;
  /** The providers of each space that delivers. */
  readonly routes: readonly (readonly string[])[];
  /** How many threads hand over. */
  readonly threads: number;
}

export interface PoolOptions extends PoolThreadData {
  readonly log: Logger;
  /** Hands over within this process: what the threads are not given. */
  readonly local: (job: HandOverJob, gate: Gate) => Promise<Handed>;
  readonly edition: (space: string, number: number) => Promise<EditionParts | undefined>;
  readonly keysFor: (domain: string) => readonly SigningKey[];
  /** Processes elsewhere that hand over, where there are such. */
  readonly elsewhere?: Elsewhere | undefined;
}

/** Processes on other machines that make emails and hand them over. */
export interface Elsewhere {
  readonly hasRoom: () => boolean;
  /** @throws ThreadFault when the process that had it is gone */
  readonly handOver: (id: string, job: unknown, gate: Gate) => Promise<unknown>;
  readonly close: () => void;
}

export interface HandOverPool {
  /** @throws ThreadFault when the thread that had it ended */
  readonly handOver: (job: HandOverJob, gate: Gate) => Promise<Handed>;
  readonly stop: () => Promise<void>;
}

/** Before a thread that ended is started again, in milliseconds. */
const AGAIN_MS = 1000;
/** How long a thread may take to end its connections, in milliseconds. */
const CLOSE_MS = 2000;

interface Place {
  thread: Thread | undefined;
  jobs: number;
}

/**
 * Hands over in threads: they render, sign and speak to providers, and report how it went. They never open the database: what they need of it
 * they ask for here. Mail with stored files stays in this process, where the files are.
 */
export function handOverPool({ threads, log, local, edition, keysFor, settings, folder, routes, elsewhere }: PoolOptions): HandOverPool {
  let isStopping = false;
  const places: Place[] = [];
  /** What threads ask and report, by delivery. */
  const gates = new Map<string, Gate>();
  const methods = {
    edition: ({ space, number }: { space: string; number: number }) => edition(space, number),
    keys: (domain: string) => keysFor(domain),
    mayLeave: (deliveryId: string) => gates.get(deliveryId)?.mayLeave() ?? false,
    reached: ({ deliveryId, step, agoMs }: { deliveryId: string; step: HandOverStep; agoMs: number }) => {
      gates.get(deliveryId)?.reached(step, agoMs);
    },
  };
  const start = (place: Place, n: number): void => {
    const name = `worker-${n}`;
    place.thread = startThread(threadFile(import.meta.url, './pool-thread.js'), {
      name,
      data: { settings, folder, threads, routes } satisfies PoolThreadData,
      methods,
      ended: (why) => {
        place.thread = undefined;
        if (isStopping) return;
        log.error({ worker: name, why }, 'a worker ended; it is started again');
        setTimeout(() => {
          if (!isStopping) start(place, n);
        }, AGAIN_MS).unref();
      },
    });
  };
  for (let n = 1; n <= threads; n += 1) {
    const place: Place = { thread: undefined, jobs: 0 };
    places.push(place);
    start(place, n);
  }

  const isForThreads = ({ provider, message }: HandOverJob): boolean => {
    const kind = settings.providers[provider]?.kind;
    return (kind === 'smtp' || kind === 'http') && message.more.raw === undefined && message.more.attached === undefined;
  };

  return {
    async handOver(job, gate) {
      if (elsewhere?.hasRoom() === true && isForThreads(job)) return (await elsewhere.handOver(job.delivery.id, job, gate)) as Handed;
      const [place] = places.filter(({ thread }) => thread !== undefined).sort((a, b) => a.jobs - b.jobs);
      if (place?.thread === undefined || !isForThreads(job)) return local(job, gate);
      const { id } = job.delivery;
      gates.set(id, gate);
      place.jobs += 1;
      try {
        return await place.thread.call<Handed>('handOver', job);
      } finally {
        gates.delete(id);
        place.jobs -= 1;
      }
    },
    async stop() {
      isStopping = true;
      elsewhere?.close();
      await Promise.all(
        places.map(async ({ thread }) => {
          if (thread === undefined) return;
          let limit: NodeJS.Timeout | undefined;
          const late = new Promise((done) => (limit = setTimeout(done, CLOSE_MS)));
          await Promise.race([thread.call('close', undefined).catch(() => undefined), late]);
          clearTimeout(limit);
          await thread.terminate();
        }),
      );
    },
  };
}
