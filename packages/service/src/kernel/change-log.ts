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

/** The same, with the columns that may have many bytes. */
interface CapturedTable extends TableLayout {
  readonly blobs: readonly string[];
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
  return Object.fromEntries(Object.entries(capturedTables(raw)).map(([name, { columns, key }]) => [name, { columns, key }]));
}

function capturedTables(raw: Sqlite.Database): Readonly<Record<string, CapturedTable>> {
  const tables = raw.pragma('table_list') as { schema: string; name: string; type: string }[];
  const names = tables
    .filter(({ schema, name, type }) => schema === 'main' && type === 'table' && !name.startsWith('sqlite_') && !NOT_CAPTURED.has(name))
    .map(({ name }) => name)
    .sort();
  return Object.fromEntries(
    names.map((name) => {
      const info = raw.pragma(`table_info(${quoted(name)})`) as { name: string; pk: number; type: string }[];
      const key = info.filter(({ pk }) => pk > 0).sort((a, b) => a.pk - b.pk);
      if (key.length === 0) throw new Error(`The table ${name} has no primary key: its changes cannot be captured.`);
      const blobs = info.filter(({ type }) => type.toLowerCase() === 'blob').map((column) => column.name);
      return [name, { columns: info.map((column) => column.name), key: key.map((column) => column.name), blobs }];
    }),
  );
}

const inJson = (value: unknown): unknown => (value instanceof Uint8Array ? { base64: Buffer.from(value).toString('base64') } : value);

function fromJson(value: unknown): unknown {
  return typeof value === 'object' && value !== null ? Buffer.from((value as { base64: string }).base64, 'base64') : value;
}

/** Bytes of which there are so many stand in the log as "later": whoever reads it finds them in their row. */
const LATER_FROM = 1024;
const LATER = { later: true } as const;
/** With so many of them, bytes stand in the log themselves. */
const MOST_LATER = 200_000;

function isLater(value: unknown): boolean {
  return typeof value === 'object' && value !== null && 'later' in value;
}

/** What notes the changes of a table, by when. */
function triggersOf(table: string, { columns, key, blobs }: CapturedTable): Readonly<Record<'insert' | 'update' | 'delete', string>> {
  const of = (row: 'old' | 'new', names: readonly string[]): string[] => names.map((name) => `${row}.${quoted(name)}`);
  const call = (name: string, ...values: readonly string[]): string => `${name}(${values.join(', ')})`;
  const literal = `'${table.replaceAll("'", "''")}'`;
  const removed = call('note_change', "'-'", literal, ...of('old', key));
  const moved = key.map((name) => `old.${quoted(name)} is not new.${quoted(name)}`).join(' or ');
  if (blobs.length === 0) {
    const written = call('note_change', "'+'", literal, ...of('new', columns));
    // A row that changes its key is removed, then written.
    return { insert: `select ${written};`, update: `select ${removed} where ${moved}; select ${written};`, delete: `select ${removed};` };
  }
  const short = columns.map((name) => {
    const value = `new.${quoted(name)}`;
    return blobs.includes(name) ? `case when length(${value}) >= ${LATER_FROM} and may_refer() then 'later' else ${value} end` : value;
  });
  const written = call('note_bytes', literal, String(key.length), ...of('new', key), ...short);
  const old = call('note_old', literal, String(key.length), ...of('old', key), ...of('old', blobs));
  const isReferred = call('is_referred', literal, ...of('old', key));
  const others = [...key, ...blobs].map((name) => `old.${quoted(name)} is not new.${quoted(name)}`).join(' or ');
  return {
    insert: `select ${written};`,
    update: `select ${old} where (${others}) and ${isReferred}; select ${removed} where ${moved}; select ${written};`,
    delete: `select ${old} where ${isReferred}; select ${removed};`,
  };
}

interface Noted {
  readonly text: string;
  /** The row whose bytes are to be found later. */
  readonly later?: string;
  /** Whether it has bytes that an earlier record is to find. */
  readonly isOld?: boolean;
}

const rowName = (table: string, key: readonly unknown[]): string => JSON.stringify([table, ...key]);

/**
 * Notes row changes of the writing connection by triggers of that connection alone: the file does not have them. What SQLite undoes is forgotten
 * again: a statement that fails, a savepoint, a transaction.
 *
 * Many bytes are not written a second time: a record refers to them, and they are read from their row when the record is. Before such a row loses
 * them, while a record still refers to it, they are noted as what it had (`=`).
 */
export class ChangeCapture {
  #noted: Noted[] = [];
  #triggers: readonly string[] = [];
  /** Rows that records refer to: how many do. */
  readonly #later = new Map<string, number>();
  /** The same by record, in order. */
  #laterBySeq: { readonly seq: number; readonly rows: readonly string[] }[] = [];

  constructor(private readonly raw: Sqlite.Database) {
    raw.function('note_change', { varargs: true }, (op: unknown, table: unknown, ...values: unknown[]) => {
      this.#noted.push({ text: JSON.stringify([op, table, ...values.map(inJson)]) });
      return null;
    });
    // How many columns the key has, the key, then all columns; in place of many bytes there is a text, which a column of bytes never has.
    raw.function('note_bytes', { varargs: true }, (table: unknown, size: unknown, ...rest: unknown[]) => {
      const key = rest.slice(0, Number(size));
      const blobs = this.#tables[String(table)]?.blobs ?? [];
      const columns = this.#tables[String(table)]?.columns ?? [];
      let isLater = false;
      const values = rest.slice(Number(size)).map((value, i) => {
        if (typeof value !== 'string' || !blobs.includes(columns[i] ?? '')) return inJson(value);
        isLater = true;
        return LATER;
      });
      const text = JSON.stringify(['+', table, ...values]);
      if (!isLater) this.#noted.push({ text });
      else {
        const later = rowName(String(table), key);
        this.#later.set(later, (this.#later.get(later) ?? 0) + 1);
        this.#noted.push({ text, later });
      }
      return null;
    });
    raw.function('note_old', { varargs: true }, (table: unknown, size: unknown, ...rest: unknown[]) => {
      const old = ['=', table, rest.slice(0, Number(size)), ...rest.slice(Number(size)).map(inJson)];
      this.#noted.push({ text: JSON.stringify(old), isOld: true });
      return null;
    });
    raw.function('is_referred', { varargs: true }, (table: unknown, ...key: unknown[]) =>
      this.#later.size > 0 && this.#later.has(rowName(String(table), key)) ? 1 : 0,
    );
    raw.function('may_refer', () => (this.#later.size < MOST_LATER ? 1 : 0));
    this.#watchStatements();
  }

  #tables: Readonly<Record<string, CapturedTable>> = {};

  get isOn(): boolean {
    return this.#triggers.length > 0;
  }

  /** Between transactions. */
  start(): void {
    if (this.isOn) return;
    if (this.raw.inTransaction) throw new Error('Changes are captured from the beginning of a transaction.');
    // Without it, what REPLACE removes would not be noted.
    this.raw.pragma('recursive_triggers = ON');
    this.#tables = capturedTables(this.raw);
    this.#rememberLater();
    this.#triggers = Object.entries(this.#tables).flatMap(([table, layout]) =>
      Object.entries(triggersOf(table, layout)).map(([when, body]) => {
        const name = `${table} ${when}`;
        this.raw.exec(`create temp trigger ${quoted(name)} after ${when} on main.${quoted(table)} begin ${body} end`);
        return name;
      }),
    );
  }

  /** What records of an earlier run refer to. */
  #rememberLater(): void {
    this.#later.clear();
    this.#laterBySeq = [];
    const rows = this.raw.prepare('select seq, changes from change_log order by seq').all() as { seq: number; changes: string }[];
    for (const { seq, changes } of rows) {
      if (!changes.includes(JSON.stringify(LATER))) continue;
      const found = (JSON.parse(changes) as RowChange[]).flatMap(([op, table, ...values]) => {
        const layout = this.#tables[table];
        if (op !== '+' || layout === undefined || !values.some(isLater)) return [];
        return [
          rowName(
            table,
            layout.key.map((name) => values[layout.columns.indexOf(name)]),
          ),
        ];
      });
      for (const row of found) this.#later.set(row, (this.#later.get(row) ?? 0) + 1);
      this.#laterBySeq.push({ seq, rows: found });
    }
  }

  stop(): void {
    for (const name of this.#triggers) this.raw.exec(`drop trigger temp.${quoted(name)}`);
    this.#triggers = [];
    this.undoTo(0);
    this.#later.clear();
    this.#laterBySeq = [];
  }

  /** How much was noted; for {@link undoTo}. */
  get mark(): number {
    return this.#noted.length;
  }

  undoTo(mark: number): void {
    for (const { later } of this.#noted.splice(mark)) if (later !== undefined) this.#drop(later);
  }

  #drop(row: string): void {
    const n = this.#later.get(row) ?? 0;
    if (n > 1) this.#later.set(row, n - 1);
    else this.#later.delete(row);
  }

  /** @returns what was noted since the last time, as a JSON array; undefined for nothing. It stays noted until {@link kept} */
  sealed(): { readonly text: string; readonly isOld: boolean } | undefined {
    if (this.#noted.length === 0) return undefined;
    return { text: `[${this.#noted.map(({ text }) => text).join(',')}]`, isOld: this.#noted.some(({ isOld }) => isOld === true) };
  }

  /** What was noted is on the disk, as this record. */
  kept(seq: number): void {
    const rows = this.#noted.flatMap(({ later }) => later ?? []);
    if (rows.length > 0) this.#laterBySeq.push({ seq, rows });
    this.#noted = [];
  }

  /** Records up to this one are read: their rows may go. */
  read(upTo: number): void {
    const end = this.#laterBySeq.findIndex(({ seq }) => seq > upTo);
    for (const { rows } of this.#laterBySeq.splice(0, end === -1 ? this.#laterBySeq.length : end)) for (const row of rows) this.#drop(row);
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
            const mark = this.mark;
            // Half a surrogate pair would be stored as bytes that are no text, and come back as others.
            for (let i = 0; i < parameters.length; i += 1) {
              const value = parameters[i];
              if (typeof value === 'string' && !value.isWellFormed()) parameters[i] = value.toWellFormed();
            }
            try {
              return original(...parameters);
            } catch (error) {
              this.undoTo(mark);
              throw error;
            }
          },
        });
      }
      return statement;
    }) as typeof raw.prepare;
  }
}

/** How much of a log is read at once: not many more bytes than wanted, but at least one record where there is any. */
export interface Most {
  readonly bytes: number;
  readonly records: number;
}

/** What rows had before they lost it, in the order in which they did. */
type OldBytes = readonly { readonly seq: number; readonly at: number; readonly row: string; readonly values: readonly unknown[] }[];

/**
 * Records after one, in order, each with all bytes that it refers to. It is read at one moment.
 * @param raw a connection that reads
 */
export function readRecords(raw: Sqlite.Database, after: number, most: Most): ChangeRecord[] {
  return raw.transaction(() => {
    const tables = capturedTables(raw);
    const rows = raw.prepare('select seq, at from change_log where seq > ? order by seq limit ?').all(after, most.records) as Omit<
      ChangeRecord,
      'changes'
    >[];
    const [first] = rows;
    if (first === undefined) return [];
    const old: OldBytes = (
      raw.prepare('select seq, changes from change_log where seq >= ? and has_old = 1 order by seq').all(first.seq) as Omit<
        ChangeRecord,
        'at'
      >[]
    ).flatMap(({ seq, changes }) =>
      (JSON.parse(changes) as [string, string, ...unknown[]][]).flatMap(([op, table, key, ...values], at) =>
        op === '=' ? [{ seq, at, row: rowName(table, key as unknown[]), values }] : [],
      ),
    );
    const changesOf = raw.prepare('select changes from change_log where seq = ?').pluck();
    const read: ChangeRecord[] = [];
    let bytes = 0;
    for (const row of rows) {
      const changes = withBytes(raw, { ...row, changes: changesOf.get(row.seq) as string }, tables, old);
      read.push({ ...row, changes });
      bytes += changes.length;
      if (bytes > most.bytes) break;
    }
    return read;
  })();
}

/** A record with the bytes that it refers to: those that the row lost first after it, or has now. */
function withBytes(
  raw: Sqlite.Database,
  { seq, changes }: ChangeRecord,
  tables: Readonly<Record<string, CapturedTable>>,
  old: OldBytes,
): string {
  if (!changes.includes(JSON.stringify(LATER)) && !changes.includes('["=",')) return changes;
  const found = (JSON.parse(changes) as [string, string, ...unknown[]][]).flatMap(([op, table, ...values], at) => {
    if (op === '=') return [];
    const layout = tables[table];
    if (layout === undefined || !values.some(isLater)) return [[op, table, ...values]];
    const { columns, key, blobs } = layout;
    const own = key.map((name) => values[columns.indexOf(name)]);
    const row = rowName(table, own);
    const lost = old.find((entry) => entry.row === row && (entry.seq > seq || (entry.seq === seq && entry.at > at)));
    const now =
      lost?.values ??
      (
        raw
          .prepare(
            `select ${blobs.map(quoted).join(', ')} from ${quoted(table)} where ${key.map((name) => `${quoted(name)} = ?`).join(' and ')}`,
          )
          .raw()
          .get(...own) as unknown[] | undefined
      )?.map(inJson);
    if (now === undefined) throw new Error(`The bytes of ${row} are gone that record ${seq} refers to.`);
    return [[op, table, ...values.map((value, i) => (isLater(value) ? now[blobs.indexOf(columns[i] ?? '')] : value))]];
  });
  return JSON.stringify(found);
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
