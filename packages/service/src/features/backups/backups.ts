import type { Logger } from 'pino';
import { boundedThread, inTime, threadFile, type Clock, type Kernel, type StepResult, type WorkerGroup } from '../../kernel/index.js';
import type { Made, MakeRequest } from './backups-thread.js';
import type { Backup } from './files.js';
import type { BackupSettings } from './settings.js';

export interface BackupOptions {
  readonly store: Kernel;
  readonly clock: Clock;
  readonly log: Logger;
  readonly workers: WorkerGroup;
  readonly folder: string;
  readonly settings: BackupSettings;
  /** The ledger of erasures beside the database; it is copied into the folder. */
  readonly ledgerFile: string;
  readonly changed: () => void;
}

export type Backups = ReturnType<typeof backups>;

const HOUR = 3_600_000;
/** After one that failed, the next is made after this time. */
const AGAIN_MS = 15 * 60_000;
/** A copy of a large database may take so long, in milliseconds. */
const THREAD_MS = 6 * HOUR;
const IDLE_MS = 10_000;
/** One that takes longer is trouble, in milliseconds. */
const LONG_MS = HOUR;
/** Who asks what is in the folder waits so long for a share that does not answer, in milliseconds; so does the service that ends. */
const PATIENCE_MS = 5000;

/** Lets those who ask at the same time share the answer. */
function shared<T>(work: () => Promise<T>): { readonly get: () => Promise<T>; readonly current: () => Promise<T> | undefined } {
  let underWay: Promise<T> | undefined;
  return {
    get: () =>
      (underWay ??= work().finally(() => {
        underWay = undefined;
      })),
    current: () => underWay,
  };
}

/** Makes backups on schedule and on request. Only threads touch the folder: a mounted share may answer late, or never. */
export function backups({ store, clock, log, workers, folder, settings, ledgerFile, changed }: BackupOptions) {
  const thread = (name: string) =>
    boundedThread(threadFile(import.meta.url, 'backups-thread.js'), { name, limitMs: THREAD_MS, idleMs: IDLE_MS });
  const maker = thread('backups');
  const reader = thread('backups-list');
  let isLookedAt = false;
  let last: number | undefined;
  let problem: string | undefined;
  let failedAt: number | undefined;
  let begunAt: number | undefined;

  async function make(): Promise<Backup> {
    const request: MakeRequest = { database: store.file, folder, asOf: clock.now(), keep: settings.keep, ledgerFile };
    begunAt = clock.now();
    // A share that hangs is trouble while it does, not when it has answered.
    const cancel = clock.after(LONG_MS + 1, changed);
    try {
      const { removed, ...made } = await maker.call<Made>('make', request);
      last = Date.parse(made.manifest.asOf);
      problem = undefined;
      failedAt = undefined;
      log.info({ file: made.file, bytes: made.manifest.bytes, removed }, 'a backup was made');
      return made;
    } catch (error) {
      problem = (error as Error).message;
      failedAt = clock.now();
      log.error({ err: error, folder }, 'no backup could be made');
      throw error;
    } finally {
      begunAt = undefined;
      cancel();
      changed();
    }
  }

  const making = shared(make);
  const listing = shared(() => reader.call<Backup[]>('list', { folder }));

  /** @throws Error where the folder cannot be read, or does not answer */
  async function list(): Promise<Backup[]> {
    const underWay = listing.get();
    const found = await inTime(
      PATIENCE_MS,
      underWay.then((backups) => ({ backups })),
    );
    if (found !== undefined) return found.backups;
    if (listing.current() === underWay) throw new Error(`The folder ${folder} does not answer.`);
    return underWay;
  }

  function due(): number {
    if (failedAt !== undefined) return failedAt + AGAIN_MS;
    return last === undefined ? 0 : last + settings.everyHours * HOUR;
  }

  async function step(): Promise<StepResult> {
    if (!isLookedAt) {
      // A folder that cannot be read is the fault of the backup that is made now.
      const newest = (await list().catch(() => [])).at(-1);
      isLookedAt = true;
      last ??= newest === undefined ? undefined : Date.parse(newest.manifest.asOf);
      // A clock that was set back since: it is made soon rather than after a year.
      if (last !== undefined && last > clock.now()) last = undefined;
    }
    if (due() > clock.now()) return { did: 0, next: due() };
    // What fails is shown and tried again later; the worker has nothing else to do.
    await making.get().catch(() => undefined);
    return { did: 1, next: due() };
  }

  /** What an operator must know, in a sentence. */
  function trouble(): string | undefined {
    if (begunAt !== undefined && clock.now() - begunAt > LONG_MS)
      return `A backup has been under way for ${Math.round((clock.now() - begunAt) / 60_000)} minutes. Does ${folder} answer?`;
    return problem === undefined ? undefined : `No backup could be made: ${problem}`;
  }

  const worker = workers.add({ name: 'backups', step });
  return {
    /** Those who ask while one is being made share it. */
    make: making.get,
    list,
    last: () => last,
    trouble,
    isBusy: () => making.current() !== undefined,
    start: worker.start,
    stop: () => worker.stop(PATIENCE_MS),
    /** Ends the threads. A backup that is not whole by then has no name yet, and never gets one. */
    close: async () => {
      await inTime(PATIENCE_MS, making.current() ?? Promise.resolve(undefined));
      await inTime(PATIENCE_MS, Promise.all([maker.stop(), reader.stop()]));
    },
  };
}
