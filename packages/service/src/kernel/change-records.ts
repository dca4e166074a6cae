import Sqlite from 'better-sqlite3';
import {
  capturedTables,
  fromJson,
  inJson,
  isLater,
  LATER,
  quoted,
  rowName,
  type CapturedTable,
  type ChangeRecord,
  type Layout,
  type RowChange,
} from './change-layout.js';

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
