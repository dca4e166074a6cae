import Sqlite from 'better-sqlite3';
import { inThread } from './thread.js';

inThread((_remote, { file }: { readonly file: string }) => {
  const raw = new Sqlite(file, { readonly: true, timeout: 5000 });
  return {
    all: ({ sql, params }: { readonly sql: string; readonly params: readonly unknown[] }): unknown[] =>
      raw
        .prepare(sql)
        .raw()
        .all(...params),
  };
});
