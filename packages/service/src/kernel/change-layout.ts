import type Sqlite from 'better-sqlite3';

// The form of the log of changes: what a record is, and which tables it is about.

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
export interface CapturedTable extends TableLayout {
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
const NOT_CAPTURED = new Set(['__drizzle_migrations', 'change_log', 'log_position']);

export const quoted = (name: string): string => `"${name.replaceAll('"', '""')}"`;

/**
 * The tables of a file, from its schema. Full-text indexes are left out: they are built from rows.
 * @throws where a table has no primary key, so that its rows cannot be distinguished
 */
export function layoutOf(raw: Sqlite.Database): Layout {
  return Object.fromEntries(Object.entries(capturedTables(raw)).map(([name, { columns, key }]) => [name, { columns, key }]));
}

export function capturedTables(raw: Sqlite.Database): Readonly<Record<string, CapturedTable>> {
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

export const inJson = (value: unknown): unknown =>
  value instanceof Uint8Array ? { base64: Buffer.from(value).toString('base64') } : value;

export function fromJson(value: unknown): unknown {
  return typeof value === 'object' && value !== null ? Buffer.from((value as { base64: string }).base64, 'base64') : value;
}

/** Stands for bytes that are found in their row. */
export const LATER = { later: true } as const;

export function isLater(value: unknown): boolean {
  return typeof value === 'object' && value !== null && 'later' in value;
}

/** A row, as a text. */
export const rowName = (table: string, key: readonly unknown[]): string => JSON.stringify([table, ...key]);

/** When the last migration of a file was made; it names the layout of its tables. */
export function layoutNumber(raw: Sqlite.Database): number {
  return (raw.prepare('select max(created_at) from __drizzle_migrations').pluck().get() as number | null) ?? 0;
}
