import { statSync } from 'node:fs';
import { join, resolve } from 'node:path';
import type { Logger } from 'pino';
import {
  boundedThread,
  inTime,
  snapshotThread,
  threadFile,
  ThreadFault,
  type Clock,
  type StepResult,
  type WorkerGroup,
} from '../../kernel/index.js';
import type { Appended, OpenedFolder, ShownSnapshot } from './copies-thread.js';
import { lineageFolder, snapshotName } from './folder.js';
import type { Head } from './log-files.js';
import type { CopySettings } from './settings.js';
import type { Store } from './store.js';

export interface CopierOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly log: Logger;
  readonly workers: WorkerGroup;
  readonly folder: string;
  readonly settings: CopySettings;
  /** The ledger of erasures beside the database. */
  readonly ledgerFile: string;
  /** Is called when {@link Copier.trouble} may have changed. */
  readonly changed: () => void;
}

/** How the copies are. */
export interface CopyStatus {
  readonly lineage: string | undefined;
  /** Records that the folder lacks, and how old the oldest of them is. */
  readonly behind: number;
  readonly lagMs: number;
  readonly problem: string | undefined;
  readonly isOnSameDisk: boolean;
  readonly snapshotUnderWay: boolean;
  readonly snapshots: readonly ShownSnapshot[];
}

export type Copier = ReturnType<typeof copier>;

const NAME = 'copies';
/** Changes that come within this time are written together, in milliseconds. */
const GATHER_MS = 150;
/** What is written at once. */
const MOST = { bytes: 8 * 1024 * 1024, records: 2000 };
/** A write that takes longer is given up; a share may be gone. A purge of many files may take its time, too. */
const THREAD_MS = 60_000;
const [HOUR, DAY, MIB] = [3_600_000, 24 * 3_600_000, 1024 * 1024];
/** A share that does not answer keeps the service from ending for so long, in milliseconds. */
const PATIENCE_MS = 5000;
/** After a snapshot that failed, the next is tried after this time. */
const AGAIN_MS = 10 * 60_000;

/** Writes every change into a folder, soon after it was committed, and the whole database now and then. */
export function copier(options: CopierOptions) {
  const { store, clock, log, workers, folder, settings, ledgerFile, changed } = options;
  const { changes } = store;
  const thread = boundedThread(threadFile(import.meta.url, 'copies-thread.js'), { name: NAME, limitMs: THREAD_MS, idleMs: 10 * DAY });
  const snapshots = snapshotThread(store.file, clock);
  const owner = Symbol(NAME);
  let isOpen = false;
  let wasOpened = false;
  /** A person wants the copies to start again, whatever is or was in the folder. */
  let isWantedAnew = false;
  let lineage: string | undefined;
  /** The last record that is in the folder. */
  let copied = 0;
  let onSameDisk = false;
  let folderProblem: string | undefined;
  let snapshotProblem: string | undefined;
  let ledgerSize = -1;
  let wasTrouble = false;
  let known: readonly ShownSnapshot[] = [];
  let snapshotDue = 0;
  let taking: Promise<void> | undefined;

  const headOf = (name: string): Head => ({ format: 1, product: 'verbalis', lineage: name, ...changes.layout() });

  /** Goes on with another lineage, in a folder of its own, and a snapshot to begin with. */
  async function beginAnew(why: string): Promise<void> {
    lineage = await changes.beginAnew();
    log.warn({ lineage, why }, 'the copies start over with a snapshot');
    copied = (changes.next(0)?.seq ?? changes.last() + 1) - 1;
    await thread.call('begin', { folder, head: headOf(lineage), from: copied });
    await store.write((tx) => {
      store.copies.begun(tx, folder);
    });
    snapshotDue = 0;
  }

  /** Finds where the folder stands. */
  async function open(): Promise<void> {
    lineage = await changes.begin(owner);
    const found = await thread.call<OpenedFolder>('open', { folder, database: store.file, head: headOf(lineage) });
    onSameDisk = found.isOnSameDisk;
    // A share that was unmounted leaves an empty folder, on the disk whose loss this is for.
    const isWanted = isWantedAnew;
    if (!found.isMarked && !isWanted && store.copies.folder() === folder)
      throw new Error(`${folder} has no copies any more: is its disk mounted? If it was replaced: verbalis copies begin.`);
    if (onSameDisk) log.warn({ folder }, 'the copies lie on the same disk as the database: losing the one loses the other');
    const first = changes.next(0)?.seq ?? changes.last() + 1;
    if (isWanted) await beginAnew('an operator wants it');
    else if (found.last === undefined) await beginAnew(found.isMarked ? 'the folder has no changes of this database' : 'the folder is new');
    else if (found.last > changes.last() || first > found.last + 1) await beginAnew('changes are missing in the folder');
    else copied = found.last;
    if (isWanted) isWantedAnew = false;
    known = await thread.call<ShownSnapshot[]>('snapshots', { folder });
    const newest = known.filter((snapshot) => snapshot.lineage === lineage).at(-1);
    snapshotDue = newest === undefined ? 0 : Date.parse(newest.asOf) + settings.snapshotHours * HOUR;
    isOpen = true;
    wasOpened = true;
  }

  /** Writes what the folder lacks. @returns how many records */
  async function copy(): Promise<number> {
    if (changes.next(copied) === undefined) return 0;
    const { records, last, isGap } = await thread.call<Appended>('append', { folder, after: copied, most: MOST });
    if (isGap) {
      await beginAnew('changes were given up');
      return 0;
    }
    copied = last;
    // The last one stays, so that a gap is seen at the next start.
    await changes.forget(copied - 1);
    return records;
  }

  async function copyLedger(): Promise<void> {
    const size = statSync(ledgerFile, { throwIfNoEntry: false })?.size ?? 0;
    if (size === ledgerSize) return;
    await thread.call('ledger', { folder, from: ledgerFile });
    ledgerSize = size;
  }

  /** What an operator must know, in a sentence; undefined where all is well. */
  function trouble(): string | undefined {
    const { lagMs } = lag();
    if (lagMs > settings.alertSeconds * 1000) return `The copies are ${Math.round(lagMs / 1000)} s behind. ${folderProblem ?? ''}`.trim();
    return snapshotProblem;
  }

  /** Watchers are called when trouble begins or ends, not at every step. */
  function reportTrouble(): void {
    const isTrouble = trouble() !== undefined;
    if (isTrouble === wasTrouble) return;
    wasTrouble = isTrouble;
    changed();
  }

  async function takeSnapshot(): Promise<void> {
    const of = lineage ?? '';
    try {
      const manifest = await snapshots.take(join(lineageFolder(resolve(folder), of), snapshotName(clock.now())));
      await thread.call('turn', {});
      const removed = await thread.call<number>('purge', { folder, lineage: of, before: clock.now() - settings.keepDays * DAY });
      known = await thread.call<ShownSnapshot[]>('snapshots', { folder });
      log.info({ sequence: manifest.sequence, bytes: manifest.bytes, removed }, 'a snapshot was added to the copies');
      snapshotProblem = undefined;
      snapshotDue = clock.now() + settings.snapshotHours * HOUR;
    } catch (error) {
      log.error({ err: error }, 'a snapshot could not be added to the copies');
      snapshotProblem = `No snapshot could be taken: ${(error as Error).message}`;
      snapshotDue = clock.now() + AGAIN_MS;
    }
    reportTrouble();
  }

  function startSnapshot(): void {
    taking ??= takeSnapshot().finally(() => {
      taking = undefined;
      worker.wake();
    });
  }

  async function step(): Promise<StepResult> {
    let did = 0;
    // A share that hangs is trouble while it does, not when it has answered.
    const cancel = clock.after(settings.alertSeconds * 1000 + 1, reportTrouble);
    try {
      if (!isOpen || isWantedAnew) await open();
      did = await copy();
      await copyLedger();
      if (clock.now() >= snapshotDue) startSnapshot();
      folderProblem = undefined;
    } catch (error) {
      isOpen = false;
      folderProblem = error instanceof ThreadFault ? `The folder does not answer: ${error.message}` : (error as Error).message;
      if (changes.keptBytes() > settings.behindMiB * MIB) {
        // There must be room for what apps send.
        log.error({ folder }, 'the copies are too far behind; waiting changes are dropped, and the copies will start over');
        lineage = await changes.beginAnew();
      }
      throw error;
    } finally {
      cancel();
      reportTrouble();
    }
    return { did, next: did >= MOST.records ? 'now' : taking === undefined ? snapshotDue : undefined };
  }

  const worker = workers.add({ name: NAME, step, gatherMs: GATHER_MS });
  let unfollow: (() => void) | undefined;

  function lag(): { readonly behind: number; readonly lagMs: number } {
    // Before the folder was looked at, nobody knows; where it cannot be, it has at least the record that is always kept.
    if (!wasOpened && folderProblem === undefined) return { behind: 0, lagMs: 0 };
    const known = wasOpened ? copied : (changes.next(0)?.seq ?? 0);
    const behind = Math.max(0, changes.last() - known);
    const oldest = behind === 0 ? undefined : changes.next(known)?.at;
    return { behind, lagMs: oldest === undefined ? 0 : Math.max(0, clock.now() - oldest) };
  }

  return {
    status: (): CopyStatus => ({
      lineage,
      ...lag(),
      problem: folderProblem ?? snapshotProblem,
      isOnSameDisk: onSameDisk,
      snapshotUnderWay: taking !== undefined,
      snapshots: known,
    }),
    lag,
    trouble,
    /** Starts again with a snapshot, also in a folder that was emptied. */
    beginAnew(): void {
      isWantedAnew = true;
      worker.wake();
    },
    /** Takes a snapshot now. @returns false where one is under way */
    snapshotNow(): boolean {
      if (taking !== undefined) return false;
      snapshotDue = 0;
      worker.wake();
      return true;
    },
    /** What waits for more changes to come is not busy. */
    isBusy: () => taking !== undefined,
    start: () => {
      unfollow = changes.onRecord(worker.wake);
      worker.start();
    },
    stop: async () => {
      unfollow?.();
      await worker.stop(PATIENCE_MS);
      // Another one may follow, for another configuration.
      isOpen = false;
      await inTime(PATIENCE_MS, thread.call('close', {}));
    },
    /** Writes what is left where no other has followed, and ends the threads. */
    close: async () => {
      await inTime(PATIENCE_MS, taking ?? Promise.resolve());
      const last = async (): Promise<boolean> => {
        if (changes.owner() !== owner) return true;
        await open();
        while ((await copy()) > 0);
        return true;
      };
      if ((await inTime(PATIENCE_MS, last())) !== true)
        log.warn('the last changes are not in the copies; they are written at the next start');
      await inTime(PATIENCE_MS, thread.stop());
      await inTime(PATIENCE_MS, snapshots.stop());
    },
  };
}
