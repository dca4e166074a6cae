import { join } from 'node:path';
import type { Logger } from 'pino';
import { snapshotThread, type Clock, type Kernel, type StepResult, type WorkerGroup } from '../../kernel/index.js';
import { backupName, backupsIn, removeOld, type Backup } from './files.js';
import type { BackupSettings } from './settings.js';

export interface BackupOptions {
  readonly store: Kernel;
  readonly clock: Clock;
  readonly log: Logger;
  readonly workers: WorkerGroup;
  readonly folder: string;
  readonly settings: BackupSettings;
  /** Copies the ledger of erasures into the folder. */
  readonly copyLedger: (folder: string) => void;
  readonly changed: () => void;
}

export type Backups = ReturnType<typeof backups>;

const HOUR = 3_600_000;
/** After one that failed, the next is made after this time. */
const AGAIN_MS = 15 * 60_000;

/** Makes backups by itself, and when somebody asks. */
export function backups({ store, clock, log, workers, folder, settings, copyLedger, changed }: BackupOptions) {
  const snapshots = snapshotThread(store.file, clock);
  let last: number | undefined;
  let problem: string | undefined;
  let failedAt: number | undefined;
  let underWay: Promise<Backup> | undefined;

  async function make(): Promise<Backup> {
    const file = join(folder, backupName(clock.now()));
    try {
      await backupsIn(folder);
      const manifest = await snapshots.take(file);
      copyLedger(folder);
      const removed = await removeOld(folder, settings.keep);
      last = Date.parse(manifest.asOf);
      problem = undefined;
      failedAt = undefined;
      log.info({ file, bytes: manifest.bytes, removed }, 'a backup was made');
      return { file, manifest };
    } catch (error) {
      problem = (error as Error).message;
      failedAt = clock.now();
      log.error({ err: error, folder }, 'no backup could be made');
      throw error;
    } finally {
      changed();
    }
  }

  /** Those who ask while one is being made share it. */
  function makeOne(): Promise<Backup> {
    underWay ??= make().finally(() => {
      underWay = undefined;
    });
    return underWay;
  }

  function due(): number {
    if (failedAt !== undefined) return failedAt + AGAIN_MS;
    return last === undefined ? 0 : last + settings.everyHours * HOUR;
  }

  async function step(): Promise<StepResult> {
    if (last === undefined && failedAt === undefined) {
      // A folder that cannot be read is the fault of the backup that is made now.
      const newest = (await backupsIn(folder).catch(() => [])).at(-1);
      last = newest === undefined ? undefined : Date.parse(newest.manifest.asOf);
      // A clock that was set back since: it is made soon rather than after a year.
      if (last !== undefined && last > clock.now()) last = undefined;
    }
    if (due() > clock.now()) return { did: 0, next: due() };
    // What fails is shown and tried again later; the worker has nothing else to do.
    await makeOne().catch(() => undefined);
    return { did: 1, next: due() };
  }

  const worker = workers.add({ name: 'backups', step });
  return {
    make: makeOne,
    list: () => backupsIn(folder),
    last: () => last,
    trouble: () => (problem === undefined ? undefined : `No backup could be made: ${problem}`),
    isBusy: () => underWay !== undefined,
    start: worker.start,
    stop: worker.stop,
    close: async () => {
      await underWay?.catch(() => undefined);
      await snapshots.stop();
    },
  };
}
