import { mkdirSync } from 'node:fs';
import { dirname } from 'node:path';
import { fileURLToPath } from 'node:url';
import Sqlite from 'better-sqlite3';
import { drizzle, type BetterSQLite3Database } from 'drizzle-orm/better-sqlite3';
import { migrate } from 'drizzle-orm/better-sqlite3/migrator';
import { BUSY_MS } from './group-commit.js';
import * as schema from './schema.js';

export type Db = BetterSQLite3Database<typeof schema>;

export interface Database {
  readonly db: Db;
  readonly raw: Sqlite.Database;
  readonly close: () => void;
}

// From src/store (tests) and from dist/store the migrations stand at the same distance.
const MIGRATIONS = fileURLToPath(new URL('../../drizzle', import.meta.url));

/** Opens the database file, bringing it up to date. What is committed is on the disk (`synchronous=FULL`). */
export function openDatabase(file: string): Database {
  if (file !== ':memory:') mkdirSync(dirname(file), { recursive: true });
  const raw = new Sqlite(file);
  raw.pragma('journal_mode = WAL');
  raw.pragma('synchronous = FULL');
  raw.pragma(`busy_timeout = ${BUSY_MS}`);
  // Pages that are written again and again reach the file less often; 16 MB of log, 16 MB of pages in memory.
  raw.pragma('wal_autocheckpoint = 4000');
  raw.pragma('cache_size = -16384');
  raw.pragma('foreign_keys = ON');
  const db = drizzle(raw, { schema });
  migrate(db, { migrationsFolder: MIGRATIONS });
  return { db, raw, close: () => raw.close() };
}
