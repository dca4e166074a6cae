import { randomBytes } from 'node:crypto';
import type Sqlite from 'better-sqlite3';
import { asc, eq, gt, lte } from 'drizzle-orm';
import type { ChangeCapture } from './change-capture.js';
import { layoutNumber, layoutOf, type ChangeRecord, type Layout } from './change-layout.js';
import { readRecords, type Most } from './change-records.js';
import type { Clock } from './clock.js';
import { listeners } from './listeners.js';
import { changeLog, kernelState } from './tables.js';
import type { Reader, Tx } from './transaction.js';

export interface ChangeLogParts {
  readonly capture: ChangeCapture;
  readonly reads: Reader;
  readonly write: <T>(run: (tx: Tx) => T) => Promise<T>;
  readonly writeSoon: <T>(run: (tx: Tx) => T, withinMs?: number) => Promise<T>;
}

/**
 * The log of row changes: the one seam for continuous copies, restoring to a point in time, and replication. While it is off it costs nothing;
 * what changes then is unknown, so that it goes on with another lineage.
 */
export interface ChangeLog {
  /** Captures changes from now on. @param owner who follows them; the last one does @returns the lineage that they belong to */
  readonly begin: (owner: symbol) => Promise<string>;
  readonly owner: () => symbol | undefined;
  readonly end: () => Promise<void>;
  /** Goes on with another lineage: the records before it belong to what nobody follows any more. */
  readonly beginAnew: () => Promise<string>;
  /** See {@link readRecords}. */
  readonly after: (seq: number, most: Most) => ChangeRecord[];
  /** The first record after one, without its changes; undefined where there is none. */
  readonly next: (seq: number) => Pick<ChangeRecord, 'seq' | 'at'> | undefined;
  /** Bytes of all records that are kept. */
  readonly keptBytes: () => number;
  /** All who follow have these. */
  readonly forget: (upTo: number) => Promise<void>;
  /** The last record; 0 where there was none. */
  readonly last: () => number;
  readonly lineage: () => string | undefined;
  readonly layout: () => { readonly layout: number; readonly tables: Layout };
  /** Calls back when there is a new record. @returns a function that ends it */
  readonly onRecord: (listener: () => void) => () => void;
}

/** A lineage that nothing else has. */
const newLineage = (): string => randomBytes(8).toString('hex');

/** Changes are captured no more: those that come now are missing in the log. */
export function breakLineage(tx: Tx): void {
  tx.db.update(kernelState).set({ lineage: null }).where(eq(kernelState.id, 1)).run();
  tx.db.delete(changeLog).run();
}

function lineageOf(from: Reader): string | undefined {
  return from.db.select({ lineage: kernelState.lineage }).from(kernelState).get()?.lineage ?? undefined;
}

/** @internal The door to the change log, and what the kernel calls when a group has ended. */
export function changeLogOn(raw: Sqlite.Database, { capture, reads, write, writeSoon }: ChangeLogParts) {
  const recorded = listeners();
  let owner: symbol | undefined;
  const lastSeq = raw.prepare("select seq from sqlite_sequence where name = 'change_log'").pluck();
  const kept = raw.prepare('select coalesce(sum(octet_length(changes)), 0) from change_log').pluck();
  const anew = (tx: Tx): string => {
    const lineage = newLineage();
    tx.db.delete(changeLog).run();
    tx.afterCommit(() => {
      // Of this group itself there is a record.
      capture.read(log.last() - 1);
    });
    tx.db.update(kernelState).set({ lineage }).where(eq(kernelState.id, 1)).run();
    return lineage;
  };
  const log: ChangeLog = {
    begin: async (by) => {
      owner = by;
      capture.start();
      return write((tx) => lineageOf(tx) ?? anew(tx));
    },
    owner: () => owner,
    end: async () => {
      owner = undefined;
      if (!capture.isOn) return;
      await write(breakLineage);
      capture.stop();
    },
    beginAnew: () => write(anew),
    after: (seq, most) => readRecords(reads.connection.raw, seq, most),
    next: (seq) =>
      reads.db
        .select({ seq: changeLog.seq, at: changeLog.at })
        .from(changeLog)
        .where(gt(changeLog.seq, seq))
        .orderBy(asc(changeLog.seq))
        .limit(1)
        .get(),
    keptBytes: () => kept.get() as number,
    forget: (upTo) =>
      writeSoon((tx) => {
        tx.db.delete(changeLog).where(lte(changeLog.seq, upTo)).run();
        tx.afterCommit(() => {
          capture.read(upTo);
        });
      }),
    last: () => (lastSeq.get() as number | undefined) ?? 0,
    lineage: () => lineageOf(reads),
    layout: () => ({ layout: layoutNumber(raw), tables: layoutOf(raw) }),
    onRecord: recorded.add,
  };
  return {
    log,
    recorded: recorded.call,
  };
}

/** @internal How a group of transactions keeps its changes: see GroupCommit. */
export interface GroupChanges {
  readonly mark: () => number;
  readonly undoTo: (mark: number) => void;
  /** Within the transaction, before COMMIT. */
  readonly seal: () => void;
  /** After COMMIT. */
  readonly committed: () => void;
}

/** @internal */
export function groupChanges(
  raw: Sqlite.Database,
  capture: ChangeCapture,
  clock: Clock,
): GroupChanges & { onRecorded: (run: () => void) => void } {
  const insert = raw.prepare('insert into change_log (at, has_old, changes) values (?, ?, ?)');
  let sealed: number | undefined;
  let recorded: () => void = () => undefined;
  return {
    mark: () => capture.mark,
    undoTo: (mark) => {
      capture.undoTo(mark);
      if (mark === 0) sealed = undefined;
    },
    seal: () => {
      const noted = capture.sealed();
      sealed = noted === undefined ? undefined : Number(insert.run(clock.now(), noted.isOld ? 1 : 0, noted.text).lastInsertRowid);
    },
    committed: () => {
      if (sealed === undefined) return;
      capture.kept(sealed);
      sealed = undefined;
      recorded();
    },
    onRecorded: (run) => {
      recorded = run;
    },
  };
}
