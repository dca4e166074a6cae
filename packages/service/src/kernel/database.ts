import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import Sqlite from 'better-sqlite3';
import { eq } from 'drizzle-orm';
import { migrate } from 'drizzle-orm/better-sqlite3/migrator';
import type { Logger } from 'pino';
import { apartFrom, type Apart } from './apart.js';
import { inAct } from './audit-log.js';
import { ChangeCapture } from './change-capture.js';
import { breakLineage, changeLogOn, groupChanges, leaveLog, positionOf, type ChangeLog } from './change-log.js';
import type { ChangeSink, LogPlace } from './change-sink.js';
import { Checkpoints } from './checkpoints.js';
import { GroupCommit, type GroupCommitOptions } from './group-commit.js';
import { lockFile } from './lock.js';
import { keepPrivate } from './private-file.js';
import { quarantineOn, type Quarantine } from './quarantine.js';
import { layoutNumber } from './change-layout.js';
import type { Clock } from './clock.js';
import { takeSnapshot } from './snapshot.js';
import { startErrorOf } from './start-error.js';
import { kernelState } from './tables.js';
import { Connection, Reads, type Reader, type Tx } from './transaction.js';
import { StartError, StoreUnavailable } from './unavailable.js';

export interface KernelOptions {
  readonly file: string;
  /** The folder of drizzle's migrations. */
  readonly migrations: string;
  readonly log: Logger;
  readonly clock: Clock;
  readonly group?: Partial<Omit<GroupCommitOptions, 'changes' | 'answered'>>;
  /** What the secrets are known by: a file that was made with others is refused. */
  readonly secrets?: string;
  /** Captures row changes from the first write on; without it, what was captured before ends here. */
  readonly captureChanges?: boolean;
  /** A log that several services share: what changes is in it before it is committed here. */
  readonly sink?: ChangeSink;
  /** Is given the writing connection before anything is prepared on it; a test makes statements fail here. */
  readonly instrument?: (raw: Sqlite.Database) => void;
}

/** The database: one connection that writes and reads, and the lock that keeps other services away. */
export interface Kernel {
  readonly reads: Reader;
  /** Runs a query that reads much, in a thread of its own. */
  readonly apart: Apart;
  readonly quarantine: Quarantine;
  /** See {@link GroupCommit.write}. */
  readonly write: <T>(run: (tx: Tx) => T) => Promise<T>;
  /** See {@link GroupCommit.writeSoon}. */
  readonly writeSoon: <T>(run: (tx: Tx) => T, withinMs?: number) => Promise<T>;
  readonly writeNow: () => void;
  /** Whether something waits to be written. */
  readonly busy: () => boolean;
  /** For how long it has not been known whether the last changes are stored in the log that is shared, in milliseconds. */
  readonly doubtMs: () => number;
  /** Writes something, to see whether it can be. @returns what is wrong, in a sentence */
  readonly probe: () => Promise<string | undefined>;
  /** How many times a service has started on this file: the owner of a claimed row stores it, so that claims of an earlier run are recognised. */
  readonly epoch: number;
  /** The file that is open. */
  readonly file: string;
  readonly changes: ChangeLog;
  /** Empties the log beside the file, in which what was removed may still stand. @returns whether it could be emptied whole */
  readonly emptyLog: () => Promise<boolean>;
  readonly close: () => Promise<void>;
}

/** Pages that a connection keeps, in KiB. */
const CACHE_KIB = 16_384;

/** @internal */
export function openFile(file: string, { readonly }: { readonly readonly: boolean }): Sqlite.Database {
  // Nothing waits for a lock with the event loop stopped: see GroupCommit.
  const raw = new Sqlite(file, { timeout: readonly ? 1000 : 0, readonly });
  raw.pragma(`cache_size = -${CACHE_KIB}`);
  return raw;
}

/** @internal What a file's migrations say of the program that wrote it. @returns whether this version changes its tables @throws StartError */
export function refuseForeign(raw: Sqlite.Database, file: string, migrations: string): boolean {
  const tables = raw.prepare("select count(*) from sqlite_master where type = 'table'").pluck().get() as number;
  if (tables === 0) return false;
  const isOurs = raw.prepare("select count(*) from sqlite_master where name = '__drizzle_migrations'").pluck().get() === 1;
  const { entries } = JSON.parse(readFileSync(join(migrations, 'meta/_journal.json'), 'utf8')) as { entries: { when: number }[] };
  const known = new Set(entries.map((entry) => entry.when));
  const applied = isOurs ? (raw.prepare('select created_at from __drizzle_migrations').pluck().all() as number[]) : [];
  if (!isOurs) throw new StartError(`${file} is a database of another program. Set another databaseFile.`);
  if (applied.some((number) => !known.has(number)))
    throw new StartError(
      `${file} was written by another version of Verbalis, with a database layout that this version does not know. ` +
        'Start the version that wrote it, or restore a backup that this version made.',
    );
  return known.size > applied.length;
}

/** A file as the version before had it, beside it: the way back after an upgrade. */
function keepOld(raw: Sqlite.Database, file: string, { log, clock }: KernelOptions): void {
  const to = `${file}.before-upgrade-${layoutNumber(raw)}`;
  // One that is there was made by an upgrade that did not come to its end.
  if (existsSync(to)) return;
  log.info({ file: to }, 'the tables are changed for this version; the database is copied first');
  takeSnapshot(file, to, clock.now());
}

/** @internal Refuses secrets that a file was not made with. */
export function refuseOtherSecrets(raw: Sqlite.Database, file: string, secrets: string | undefined): void {
  const known = raw.prepare('select secrets from kernel_state').pluck().get() as string | null | undefined;
  if (secrets === undefined || known === undefined || known === null || known === secrets) return;
  throw new StartError(
    `${file} was made with other secrets: its signing keys, webhook secrets and return paths cannot be read with these. ` +
      'Restore the secrets file that belongs to it (secretsFile).',
  );
}

interface Writer {
  readonly connection: Connection;
  readonly capture: ChangeCapture;
  /** Whether the tables were changed: what was captured before is of other tables. */
  readonly migrated: boolean;
}

function openWriter(options: KernelOptions): Writer {
  const { file, migrations, instrument, secrets } = options;
  keepPrivate(file);
  const raw = openFile(file, { readonly: false });
  try {
    if (refuseForeign(raw, file, migrations)) keepOld(raw, file, options);
    raw.pragma('journal_mode = WAL');
    // What is committed is on the disk.
    raw.pragma('synchronous = FULL');
    raw.pragma('foreign_keys = ON');
    // What is removed is overwritten: neither a copy of the file nor the next owner of its disk can read it.
    raw.pragma('secure_delete = ON');
    // Savepoints keep what they may have to undo in memory.
    raw.pragma('temp_store = MEMORY');
    const capture = new ChangeCapture(raw);
    instrument?.(raw);
    const connection = new Connection(raw);
    const layout = raw.pragma('schema_version', { simple: true });
    migrate(connection.db, { migrationsFolder: migrations });
    refuseOtherSecrets(raw, file, secrets);
    return { connection, capture, migrated: layout !== raw.pragma('schema_version', { simple: true }) };
  } catch (error) {
    raw.close();
    throw error;
  }
}

/** The position of a file in its shared log. @throws StartError where it is not part of that log */
function placeIn(connection: Connection, file: string, sink: ChangeSink | undefined): LogPlace | undefined {
  if (sink === undefined) return undefined;
  const place = positionOf(connection);
  if (place === undefined || place.log !== sink.log)
    throw new StartError(`${file} is not part of this cluster${place === undefined ? '' : ', but of another one'}.`, {
      hint: 'Move it aside: the service then begins with what the cluster has. To make a cluster of this file: verbalis cluster init.',
    });
  return place;
}

/**
 * Takes the lock of a database file, opens it and brings its tables up to date.
 * @throws StartError when another service has it, or it cannot be used, with what to do
 */
export async function openKernel(options: KernelOptions): Promise<Kernel> {
  const { file, log, clock, secrets, captureChanges = false, sink } = options;
  const lock = lockFile(file);
  let writer: Connection | undefined;
  try {
    const { connection, capture, migrated } = openWriter(options);
    writer = connection;
    const { raw } = connection;
    const place = placeIn(connection, file, sink);
    const groupsChanges = groupChanges(raw, { capture, clock, isKept: captureChanges, sink, ...(place === undefined ? {} : { place }) });
    if (captureChanges || sink !== undefined) capture.start({ isWhole: sink !== undefined });
    const checkpoints = new Checkpoints(raw, file, log);
    const group = new GroupCommit(connection, { log, ...options.group, changes: groupsChanges, answered: checkpoints.committed });
    let other: Connection | undefined;
    const reads = new Reads({
      writer: new Connection(raw, true),
      other: () => (other ??= new Connection(openFile(file, { readonly: true }))),
      isWriting: () => group.running,
    });
    const { apart, stop: stopApart } = apartFrom(file);
    const epoch = await group.write((tx) => {
      const before = tx.db.select().from(kernelState).get();
      const now = { epoch: (before?.epoch ?? 0) + 1, secrets: before?.secrets ?? secrets ?? null };
      if (before === undefined)
        tx.db
          .insert(kernelState)
          .values({ id: 1, ...now })
          .run();
      else tx.db.update(kernelState).set(now).where(eq(kernelState.id, 1)).run();
      if (!captureChanges || migrated) breakLineage(tx);
      if (sink === undefined) leaveLog(tx);
      return now.epoch;
    });
    const changes = changeLogOn({
      capture,
      groups: groupsChanges,
      reads,
      write: (run) => group.write(run),
      writeSoon: (run, ms) => group.writeSoon(run, ms),
    });
    groupsChanges.onRecorded(changes.recorded);
    return {
      file,
      changes: changes.log,
      reads,
      apart,
      quarantine: quarantineOn(reads, clock, log),
      write: (run) => group.write(inAct(run)),
      writeSoon: (run, withinMs) => group.writeSoon(run, withinMs),
      writeNow: () => {
        group.writeNow();
      },
      busy: () => group.busy,
      doubtMs: () => group.doubtMs,
      probe: async () => {
        try {
          await group.write((tx) => {
            tx.db.update(kernelState).set({ epoch }).where(eq(kernelState.id, 1)).run();
          });
          return lock.fault();
        } catch (error) {
          if (error instanceof StoreUnavailable) return error.message;
          throw error;
        }
      },
      epoch,
      emptyLog: () =>
        checkpoints.alone(() => {
          // A group that is not committed yet keeps the log.
          if (raw.inTransaction) return false;
          const [row] = raw.pragma('wal_checkpoint(TRUNCATE)') as { busy: number }[];
          return row?.busy === 0;
        }),
      close: async () => {
        await group.close();
        await checkpoints.stop();
        await stopApart();
        other?.raw.close();
        raw.close();
        lock.release();
      },
    };
  } catch (error) {
    writer?.raw.close();
    lock.release();
    throw startErrorOf(error, file);
  }
}
