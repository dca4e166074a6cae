import type Sqlite from 'better-sqlite3';
import { capturedTables, inJson, isLater, LATER, quoted, rowName, type CapturedTable, type RowChange } from './change-layout.js';

/** Bytes of which there are so many are "later" in the log: its readers find them in their row. */
const LATER_FROM = 1024;
/** Beyond so many such rows, the log itself holds the bytes. */
const MOST_LATER = 200_000;

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
      const values = rest
        .slice(Number(size))
        .map((value, i) => (typeof value === 'string' && blobs.includes(columns[i] ?? '') ? LATER : inJson(value)));
      const text = JSON.stringify(['+', table, ...values]);
      if (!values.includes(LATER)) this.#noted.push({ text });
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
    raw.function('may_refer', () => (!this.#isWhole && this.#later.size < MOST_LATER ? 1 : 0));
    this.#watchStatements();
  }

  #tables: Readonly<Record<string, CapturedTable>> = {};
  #isWhole = false;

  get isOn(): boolean {
    return this.#triggers.length > 0;
  }

  /** Between transactions. @param isWhole whether the records hold all bytes, for followers that do not have this file */
  start({ isWhole = false } = {}): void {
    this.#isWhole = isWhole;
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
    const query = this.raw.prepare('select seq, changes from change_log where instr(changes, ?) > 0 order by seq');
    const rows = query.iterate(JSON.stringify(LATER)) as Iterable<{ readonly seq: number; readonly changes: string }>;
    for (const { seq, changes } of rows) {
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

  /** What was noted is on the disk, as this record; undefined where no record of the file has it. */
  kept(seq: number | undefined): void {
    const rows = this.#noted.flatMap(({ later }) => later ?? []);
    if (rows.length > 0 && seq !== undefined) this.#laterBySeq.push({ seq, rows });
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
