import { createHash } from 'node:crypto';
import Sqlite from 'better-sqlite3';
import { layoutOf } from '@verbalis/service/kernel';

/** A hash of every table of a database file: of all rows by their key, each value with its type; and of the numbers that SQLite gives rows next. */
export function hashesOf(file: string): Record<string, string> {
  const raw = new Sqlite(file, { readonly: true });
  try {
    const found = Object.entries(layoutOf(raw)).map(([table, { columns, key }]) => {
      const names = columns.map((name) => `"${name}"`);
      const rows = raw
        .prepare(
          `select ${names.map((name) => `${name}, typeof(${name})`).join(', ')} from "${table}" order by ${key.map((name) => `"${name}"`).join(', ')}`,
        )
        .raw();
      const hash = createHash('sha256');
      let n = 0;
      for (const row of rows.iterate() as Iterable<unknown[]>) {
        n += 1;
        for (const value of row) hash.update(value instanceof Uint8Array ? value : JSON.stringify(value)).update('\0');
      }
      return [table, `${n} ${hash.digest('hex')}`];
    });
    const numbers = raw.prepare("select name, seq from sqlite_sequence where name <> 'change_log' order by name").raw().all();
    return { ...Object.fromEntries(found), sqlite_sequence: JSON.stringify(numbers) };
  } finally {
    raw.close();
  }
}
