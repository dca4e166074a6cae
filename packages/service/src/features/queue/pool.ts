import type { Outcome } from '@verbalis/core/smtp';
import type { SigningKey } from '@verbalis/core/dkim';
import type { Logger } from 'pino';
import type { ProvidersOf } from '../providers/index.js';
import type { EditionParts } from '../editions/index.js';
import { startThread, ThreadFault, threadFile, type Thread } from '../../kernel/thread.js';
import type { Handed, HandOverJob } from './hand-over.js';

/** What a thread is started with. */
export interface PoolThreadData {
  readonly settings: ProvidersOf & { readonly log: { readonly level: string } };
  /** The folder that paths of the configuration begin at. */
  readonly folder: string;
  /** Into how many parts the connections of a provider are divided. */
  readonly shares: number;
}

export interface PoolOptions extends PoolThreadData {
  readonly threads: number;
  readonly log: Logger;
  /** Hands over within this process: what the threads are not given. */
  readonly local: (job: HandOverJob) => Promise<Handed>;
  readonly edition: (space: string, number: number) => Promise<EditionParts | undefined>;
  readonly keysFor: (domain: string) => readonly SigningKey[];
}

export interface HandOverPool {
  readonly handOver: (job: HandOverJob) => Promise<Handed>;
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
export function handOverPool({ threads, log, local, edition, keysFor, settings, folder, shares }: PoolOptions): HandOverPool {
  let isStopping = false;
  const places: Place[] = [];
  const methods = {
    edition: ({ space, number }: { space: string; number: number }) => edition(space, number),
    keys: (domain: string) => keysFor(domain),
  };
  const start = (place: Place, n: number): void => {
    const name = `worker-${n}`;
    place.thread = startThread(threadFile(import.meta.url, './pool-thread.js'), {
      name,
      data: { settings, folder, shares } satisfies PoolThreadData,
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
    async handOver(job) {
      const [place] = places.filter(({ thread }) => thread !== undefined).sort((a, b) => a.jobs - b.jobs);
      if (place?.thread === undefined || !isForThreads(job)) return local(job);
      place.jobs += 1;
      try {
        return await place.thread.call<Handed>('handOver', job);
      } catch (error) {
        if (!(error instanceof ThreadFault)) throw error;
        // Nobody knows how far it came: the provider may have accepted it.
        const outcome: Outcome = { kind: 'uncertain', phase: 'content', reply: undefined, reason: error.message };
        return { outcome, bytes: undefined };
      } finally {
        place.jobs -= 1;
      }
    },
    async stop() {
      isStopping = true;
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
