import { randomBytes } from 'node:crypto';
import type Sqlite from 'better-sqlite3';
import { asc, eq, gt, lte } from 'drizzle-orm';
import type { ChangeCapture } from './change-capture.js';
import { layoutNumber, layoutOf, type ChangeRecord, type Layout } from './change-layout.js';
import { readRecords, type Most } from './change-records.js';
import { BEGINNING, type ChangeSink, type LogPlace, type PlannedGroup } from './change-sink.js';
import type { Clock } from './clock.js';
import { listeners } from './listeners.js';
import { changeLog, kernelState, logPosition } from './tables.js';
import type { Reader, Tx } from './transaction.js';

export interface ChangeLogParts {
  readonly capture: ChangeCapture;
  readonly reads: Reader;
  readonly write: <T>(run: (tx: Tx) => T) => Promise<T>;
  readonly writeSoon: <T>(run: (tx: Tx) => T, withinMs?: number) => Promise<T>;
  readonly groups: GroupsKept;
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
export function changeLogOn({ capture, reads, write, writeSoon, groups }: ChangeLogParts) {
  const recorded = listeners();
  let owner: symbol | undefined;
  // On the connection that reads: a group that is not committed yet counts for nothing.
  const { raw } = reads.connection;
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
      groups.keep(true);
      if (!capture.isOn) capture.start();
      return write((tx) => lineageOf(tx) ?? anew(tx));
    },
    owner: () => owner,
    end: async () => {
      owner = undefined;
      if (!groups.areKept()) return;
      await write(breakLineage);
      groups.keep(false);
      if (!groups.haveSink) capture.stop();
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
  /** Within the transaction, before COMMIT. @returns what must be stored before the COMMIT; undefined where nothing must */
  readonly seal: () => PlannedGroup['store'] | undefined;
  /** After COMMIT. */
  readonly committed: () => void;
  /** The log of others has gone on without this file. */
  readonly superseded: () => void;
}

/** @internal Whether groups are kept in the file, for those who copy it. */
export interface GroupsKept {
  readonly areKept: () => boolean;
  readonly keep: (isKept: boolean) => void;
  readonly haveSink: boolean;
}

/** The position of a file in its shared log; undefined where it has none. */
export function positionOf(from: Pick<Reader, 'db'>): (LogPlace & { readonly log: string }) | undefined {
  const { log, seq, group } = logPosition;
  return from.db.select({ log, seq, group }).from(logPosition).get();
}

/** Notes the position of a file in its shared log. */
export function setPosition(tx: Tx, { log, seq, group }: LogPlace & { readonly log: string }): void {
  tx.db
    .insert(logPosition)
    .values({ id: 1, log, seq, group })
    .onConflictDoUpdate({ target: logPosition.id, set: { log, seq, group } })
    .run();
}

/** From now on the file is used by one service alone. */
export function leaveLog(tx: Tx): void {
  tx.db.delete(logPosition).run();
}

export interface GroupChangesParts {
  readonly capture: ChangeCapture;
  readonly clock: Clock;
  readonly isKept: boolean;
  readonly sink?: ChangeSink | undefined;
  /** The position of the file in the sink's log. */
  readonly place?: LogPlace;
}

/** @internal */
export function groupChanges(
  raw: Sqlite.Database,
  { capture, clock, isKept, sink, place: first = BEGINNING }: GroupChangesParts,
): GroupChanges & GroupsKept & { onRecorded: (run: () => void) => void } {
  const insert = raw.prepare('insert into change_log (at, has_old, changes) values (?, ?, ?)');
  const shared =
    sink === undefined
      ? undefined
      : { sink, move: raw.prepare('update log_position set seq = ?, group_id = ?'), layout: layoutNumber(raw) };
  let areKept = isKept;
  let sealed: { readonly seq: number | undefined; readonly place: LogPlace | undefined } | undefined;
  let place = first;
  let recorded: () => void = () => undefined;
  return {
    haveSink: sink !== undefined,
    areKept: () => areKept,
    keep: (kept) => {
      areKept = kept;
    },
    mark: () => capture.mark,
    undoTo: (mark) => {
      capture.undoTo(mark);
      if (mark === 0) sealed = undefined;
    },
    seal: () => {
      const noted = capture.sealed();
      sealed = undefined;
      if (noted === undefined) return undefined;
      const at = clock.now();
      const seq = areKept ? Number(insert.run(at, noted.isOld ? 1 : 0, noted.text).lastInsertRowid) : undefined;
      const planned = shared?.sink.plan({ at, changes: noted.text }, place, shared.layout);
      if (planned !== undefined) shared?.move.run(planned.place.seq, planned.place.group);
      sealed = { seq, place: planned?.place };
      return planned?.store;
    },
    committed: () => {
      if (sealed === undefined) return;
      const { seq } = sealed;
      place = sealed.place ?? place;
      sealed = undefined;
      capture.kept(seq);
      if (seq !== undefined) recorded();
    },
    superseded: () => sink?.superseded(),
    onRecorded: (run) => {
      recorded = run;
    },
  };
}
