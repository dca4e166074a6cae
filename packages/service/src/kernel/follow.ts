import type Sqlite from 'better-sqlite3';
import type { Logger } from 'pino';
import { apartFrom } from './apart.js';
import { readAtOnce } from './audit.js';
import { ChangeCapture } from './change-capture.js';
import { layoutNumber, layoutOf, type Layout, type RowChange } from './change-layout.js';
import { changeLogOn, positionOf, setPosition } from './change-log.js';
import { changeWriter } from './change-records.js';
import type { LogPlace } from './change-sink.js';
import type { Clock } from './clock.js';
import { openFile, refuseForeign, refuseOtherSecrets, type Kernel } from './database.js';
import { lockFile } from './lock.js';
import { keepPrivate } from './private-file.js';
import { quarantineOn } from './quarantine.js';
import { startErrorOf } from './start-error.js';
import { kernelState } from './tables.js';
import { Connection, KERNEL, Reads, Tx } from './transaction.js';
import { StartError, StoreUnavailable } from './unavailable.js';

export interface FollowOptions {
  readonly file: string;
  readonly migrations: string;
  readonly log: Logger;
  readonly clock: Clock;
  readonly secrets?: string;
  /** What names the log that is followed. */
  readonly of: string;
}

/** A group of changes, as a log has it. */
export interface LoggedGroup {
  /** Where the log stands behind it. */
  readonly place: LogPlace;
  /** A JSON array of row changes. */
  readonly changes: string;
}

/** Writes what a group leaves to be made from rows. */
export type Follows = (tx: Tx, changes: readonly RowChange[]) => void;

/** A database that follows the log of another service: it is read, and written by nothing but that log. */
export interface Following {
  /** Everything that is written through it is refused. */
  readonly kernel: Kernel;
  readonly place: () => LogPlace;
  readonly layout: number;
  readonly tables: Layout;
  /** Writes groups, in their order, in one transaction. @returns the tables that they changed @throws what SQLite throws; then nothing is written */
  readonly apply: (groups: readonly LoggedGroup[], follows?: Follows) => ReadonlySet<string>;
  /** Records up to this place change nothing. */
  readonly skipTo: (place: LogPlace) => void;
}

const REFUSAL = 'This service is on standby: it answers reads alone.';
const RETRY_SECONDS = 5;

function setUp(raw: Sqlite.Database): void {
  raw.pragma('journal_mode = WAL');
  // What is lost by a loss of power is read from the log again.
  raw.pragma('synchronous = NORMAL');
  raw.pragma('foreign_keys = OFF');
  raw.pragma('secure_delete = ON');
}

/**
 * Takes the lock of a database file and opens it to follow a log. Its tables stay as they are: they are those of the log.
 * @throws StartError where it is no part of that log
 */
export function follow({ file, migrations, log, clock, secrets, of }: FollowOptions): Following {
  const lock = lockFile(file);
  let writer: Connection | undefined;
  try {
    keepPrivate(file);
    const raw = openFile(file, { readonly: false });
    const connection = new Connection(raw);
    writer = connection;
    refuseForeign(raw, file, migrations);
    refuseOtherSecrets(raw, file, secrets);
    setUp(raw);
    const capture = new ChangeCapture(raw);
    const found = positionOf(connection);
    if (found?.log !== of) throw new StartError(`${file} is not part of this cluster.`);
    let place: LogPlace = found;
    const tables = layoutOf(raw);
    const write = changeWriter(raw, tables);
    let isWriting = false;
    const reader = new Connection(openFile(file, { readonly: true }));
    const reads = new Reads({ other: () => reader, isWriting: () => isWriting });
    const { apart, stop: stopApart } = apartFrom(file);
    const refuse = (): Promise<never> => Promise.reject(new StoreUnavailable(REFUSAL, undefined, RETRY_SECONDS));
    const { log: changes } = changeLogOn({
      capture,
      reads,
      write: refuse,
      writeSoon: refuse,
      groups: { areKept: () => false, keep: () => undefined, haveSink: true },
    });

    function inTransaction(run: (tx: Tx) => void): void {
      const tx = new Tx(KERNEL, connection);
      isWriting = true;
      try {
        raw.exec('begin immediate');
        run(tx);
        raw.exec('commit');
      } catch (error) {
        if (raw.inTransaction) raw.exec('rollback');
        throw error;
      } finally {
        isWriting = false;
        tx.end(KERNEL);
      }
    }

    return {
      layout: layoutNumber(raw),
      tables,
      place: () => place,
      apply(groups, follows) {
        const last = groups.at(-1);
        const changed = new Set<string>();
        if (last === undefined) return changed;
        inTransaction((tx) => {
          for (const { changes: text } of groups) {
            const rows = write(text);
            for (const [, table] of rows) changed.add(table);
            follows?.(tx, rows);
          }
          setPosition(tx, { log: of, ...last.place });
        });
        ({ place } = last);
        return changed;
      },
      skipTo(to) {
        inTransaction((tx) => {
          setPosition(tx, { log: of, ...to });
        });
        place = to;
      },
      kernel: {
        file,
        changes,
        reads,
        apart,
        quarantine: quarantineOn(reads, clock, log),
        write: refuse,
        writeSoon: refuse,
        writeNow: () => undefined,
        busy: () => false,
        doubtMs: () => 0,
        probe: () => Promise.resolve(lock.fault()),
        epoch: reads.db.select({ epoch: kernelState.epoch }).from(kernelState).get()?.epoch ?? 0,
        emptyLog: () => Promise.resolve(false),
        close: async () => {
          await stopApart();
          reader.raw.close();
          raw.close();
          lock.release();
        },
      },
    };
  } catch (error) {
    writer?.raw.close();
    lock.release();
    throw startErrorOf(error, file);
  }
}

/** Where a database file is in a log that it shares, and the layout of its tables. */
export interface FilePlace {
  /** Undefined where it shares none. */
  readonly place: (LogPlace & { readonly log: string }) | undefined;
  readonly layout: number;
}

/** @throws what SQLite throws where it is no database of ours */
export function placeOfFile(file: string): FilePlace {
  return readAtOnce(file, (reads, raw) => {
    const isKnown = raw.prepare("select 1 from sqlite_master where name = 'log_position'").get() !== undefined;
    return { place: isKnown ? positionOf(reads) : undefined, layout: layoutNumber(raw) };
  });
}
