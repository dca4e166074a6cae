import { randomBytes } from 'node:crypto';
import Sqlite from 'better-sqlite3';
import { asc, eq, gt, lte } from 'drizzle-orm';
import type { Clock } from './clock.js';
import { changeLog, kernelState } from './tables.js';
import type { Reader, Tx } from './transaction.js';

/**
 * One row as it was written (`+`, all columns in the order of the layout) or removed (`-`, the columns of its key). Values are JSON; bytes are
 * `{"base64": "…"}`.
 */
export type RowChange = readonly ['+' | '-', string, ...unknown[]];

/** Columns of a table, and those that make a row this one. */
export interface TableLayout {
  readonly columns: readonly string[];
  readonly key: readonly string[];
}

/** The tables whose changes are captured, by name. */
export type Layout = Readonly<Record<string, TableLayout>>;

/** The changes of one group of transactions. */
export interface ChangeRecord {
  readonly seq: number;
  /** When it was committed, by the date of the service. */
  readonly at: number;
  /** A JSON array of {@link RowChange}. */
  readonly changes: string;
}

/** Tables that describe the file itself. */
const NOT_CAPTURED = new Set(['__drizzle_migrations', 'change_log']);

const quoted = (name: string): string => `"${name.replaceAll('"', '""')}"`;

/**
 * The tables of a file, from its schema. Full-text indexes are none: they are made again from rows.
 * @throws where a table has no primary key, so that its rows cannot be told apart
 */
export function layoutOf(raw: Sqlite.Database): Layout {
  const tables = raw.pragma('table_list') as { schema: string; name: string; type: string }[];
  const names = tables
    .filter(({ schema, name, type }) => schema === 'main' && type === 'table' && !name.startsWith('sqlite_') && !NOT_CAPTURED.has(name))
    .map(({ name }) => name)
    .sort();
  return Object.fromEntries(
    names.map((name) => {
      const info = raw.pragma(`table_info(${quoted(name)})`) as { name: string; pk: number }[];
      const key = info.filter(({ pk }) => pk > 0).sort((a, b) => a.pk - b.pk);
      if (key.length === 0) throw new Error(`The table ${name} has no primary key: its changes cannot be captured.`);
      return [name, { columns: info.map((column) => column.name), key: key.map((column) => column.name) }];
    }),
  );
}

const inJson = (value: unknown): unknown => (value instanceof Uint8Array ? { base64: Buffer.from(value).toString('base64') } : value);

function fromJson(value: unknown): unknown {
  return typeof value === 'object' && value !== null ? Buffer.from((value as { base64: string }).base64, 'base64') : value;
}

/**
 * Notes row changes of the writing connection by triggers of that connection alone: the file does not have them. What SQLite undoes is forgotten
 * again: a statement that fails, a savepoint, a transaction.
 */
export class ChangeCapture {
  #noted: string[] = [];
  #triggers: readonly string[] = [];

  constructor(private readonly raw: Sqlite.Database) {
    raw.function('note_change', { varargs: true }, (op: unknown, table: unknown, ...values: unknown[]) => {
      this.#noted.push(JSON.stringify([op, table, ...values.map(inJson)]));
      return null;
    });
    this.#watchStatements();
  }

  get isOn(): boolean {
    return this.#triggers.length > 0;
  }

  /** Between transactions. */
  start(): void {
    if (this.isOn) return;
    if (this.raw.inTransaction) throw new Error('Changes are captured from the beginning of a transaction.');
    // Without it, what REPLACE removes would not be noted.
    this.raw.pragma('recursive_triggers = ON');
    const made: string[] = [];
    for (const [table, { columns, key }] of Object.entries(layoutOf(this.raw))) {
      const add = (name: string, when: string, body: string): void => {
        this.raw.exec(`create temp trigger ${quoted(name)} after ${when} begin select ${body}; end`);
        made.push(name);
      };
      const noted = (op: string, row: string, names: readonly string[]): string =>
        `note_change('${op}', '${table}', ${names.map((name) => `${row}.${quoted(name)}`).join(', ')})`;
      const moved = key.map((name) => `old.${quoted(name)} is not new.${quoted(name)}`).join(' or ');
      add(`${table}_added`, `insert on main.${quoted(table)}`, noted('+', 'new', columns));
      // A row that changes its key is removed, then written.
      add(
        `${table}_changed`,
        `update on main.${quoted(table)}`,
        `${noted('-', 'old', key)} where ${moved}; select ${noted('+', 'new', columns)}`,
      );
      add(`${table}_removed`, `delete on main.${quoted(table)}`, noted('-', 'old', key));
    }
    this.#triggers = made;
  }

  stop(): void {
    for (const name of this.#triggers) this.raw.exec(`drop trigger temp.${quoted(name)}`);
    this.#triggers = [];
    this.#noted = [];
  }

  /** How much was noted; for {@link undoTo}. */
  get mark(): number {
    return this.#noted.length;
  }

  undoTo(mark: number): void {
    this.#noted.length = mark;
  }

  /** @returns what was noted since the last time, as a JSON array; undefined for nothing */
  take(): string | undefined {
    if (this.#noted.length === 0) return undefined;
    const text = `[${this.#noted.join(',')}]`;
    this.#noted = [];
    return text;
  }

  /** A statement that fails has undone its rows, and a caller may go on in spite of it. Text is Unicode before it is written. */
  #watchStatements(): void {
    const { raw } = this;
    const prepare: (source: string) => Sqlite.Statement = raw.prepare.bind(raw);
    raw.prepare = ((source: string) => {
      const statement = prepare(source);
      for (const name of ['run', 'get', 'all'] as const) {
        const original: (...parameters: unknown[]) => unknown = statement[name].bind(statement);
        Object.assign(statement, {
          [name]: (...parameters: unknown[]) => {
            const mark = this.#noted.length;
            // Half a surrogate pair would be stored as bytes that are no text, and come back as others.
            for (let i = 0; i < parameters.length; i += 1) {
              const value = parameters[i];
              if (typeof value === 'string' && !value.isWellFormed()) parameters[i] = value.toWellFormed();
            }
            try {
              return original(...parameters);
            } catch (error) {
              this.#noted.length = mark;
              throw error;
            }
          },
        });
      }
      return statement;
    }) as typeof raw.prepare;
  }
}

/** Records that are written in one transaction. */
const AT_ONCE = 500;

/**
 * Opens a copy to write records into it. It counts for nothing before it is whole: the caller syncs it at the end.
 * @param layout of the tables that the records are of
 */
export function openCopy(file: string, layout: Layout) {
  const raw = new Sqlite(file);
  raw.pragma('synchronous = OFF');
  raw.pragma('foreign_keys = OFF');
  raw.pragma('secure_delete = ON');
  const write = changeWriter(raw, layout);
  let [records, seq] = [0, 0];
  raw.exec('begin');
  return {
    write(record: ChangeRecord): readonly RowChange[] {
      const changes = write(record.changes);
      records += 1;
      ({ seq } = record);
      if (records % AT_ONCE === 0) raw.exec('commit; begin');
      return changes;
    },
    end(): void {
      // The numbers of the log go on from here.
      if (records > 0) raw.prepare("update sqlite_sequence set seq = ? where name = 'change_log'").run(seq);
      raw.exec('commit');
    },
    close(): void {
      raw.close();
    },
  };
}

/** Writes captured changes into another file with the same tables. */
export function changeWriter(raw: Sqlite.Database, layout: Layout): (changes: string) => readonly RowChange[] {
  const statements = new Map(
    Object.entries(layout).map(([table, { columns, key }]) => {
      const set = columns.filter((name) => !key.includes(name)).map((name) => `${quoted(name)} = excluded.${quoted(name)}`);
      const put = raw.prepare(
        `insert into main.${quoted(table)} (${columns.map(quoted).join(', ')}) values (${columns.map(() => '?').join(', ')}) ` +
          `on conflict (${key.map(quoted).join(', ')}) do ${set.length === 0 ? 'nothing' : `update set ${set.join(', ')}`}`,
      );
      const remove = raw.prepare(`delete from main.${quoted(table)} where ${key.map((name) => `${quoted(name)} = ?`).join(' and ')}`);
      return [table, { '+': put, '-': remove }] as const;
    }),
  );
  return (text) => {
    const changes = JSON.parse(text) as RowChange[];
    for (const [op, table, ...values] of changes) {
      const statement = statements.get(table)?.[op];
      if (statement === undefined) throw new Error(`A change of the table "${table}" cannot be written: there is no such table.`);
      statement.run(values.map(fromJson));
    }
    return changes;
  };
}

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
  /** Records after one, in order; at least one where there is any, and not many more bytes than wanted. */
  readonly after: (seq: number, most: { readonly bytes: number; readonly records: number }) => ChangeRecord[];
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

/** When the last migration of a file was made; it names the layout of its tables. */
export function layoutNumber(raw: Sqlite.Database): number {
  return (raw.prepare('select max(created_at) from __drizzle_migrations').pluck().get() as number | null) ?? 0;
}

/** @internal The door to the change log, and what the kernel calls when a group has ended. */
export function changeLogOn(raw: Sqlite.Database, { capture, reads, write, writeSoon }: ChangeLogParts) {
  const listeners = new Set<() => void>();
  let owner: symbol | undefined;
  const lastSeq = raw.prepare("select seq from sqlite_sequence where name = 'change_log'").pluck();
  const kept = raw.prepare('select coalesce(sum(length(changes)), 0) from change_log').pluck();
  const anew = (tx: Tx): string => {
    const lineage = newLineage();
    tx.db.delete(changeLog).run();
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
    after: (seq, most) => {
      const found = reads.db.select().from(changeLog).where(gt(changeLog.seq, seq)).orderBy(asc(changeLog.seq)).limit(most.records).all();
      let bytes = 0;
      const upTo = found.findIndex(({ changes }) => (bytes += changes.length) > most.bytes);
      return upTo === -1 ? found : found.slice(0, upTo + 1);
    },
    keptBytes: () => kept.get() as number,
    forget: (upTo) =>
      writeSoon((tx) => {
        tx.db.delete(changeLog).where(lte(changeLog.seq, upTo)).run();
      }),
    last: () => (lastSeq.get() as number | undefined) ?? 0,
    lineage: () => lineageOf(reads),
    layout: () => ({ layout: layoutNumber(raw), tables: layoutOf(raw) }),
    onRecord: (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
  };
  return {
    log,
    recorded: () => {
      for (const listener of listeners) listener();
    },
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
  const insert = raw.prepare('insert into change_log (at, changes) values (?, ?)');
  let isSealed = false;
  let recorded: () => void = () => undefined;
  return {
    mark: () => capture.mark,
    undoTo: (mark) => {
      capture.undoTo(mark);
      if (mark === 0) isSealed = false;
    },
    seal: () => {
      const changes = capture.take();
      if (changes === undefined) return;
      insert.run(clock.now(), changes);
      isSealed = true;
    },
    committed: () => {
      if (isSealed) recorded();
      isSealed = false;
    },
    onRecorded: (run) => {
      recorded = run;
    },
  };
}
