import Sqlite from 'better-sqlite3';
import { Connection, type Reader } from './transaction.js';

/** What was looked at, and what is wrong. */
export interface Audit {
  /** As people read it: "states of deliveries". */
  readonly name: string;
  /** How many were looked at. */
  readonly looked: number;
  readonly wrong: number;
  /** The first of what is wrong, in sentences. */
  readonly faults: readonly string[];
}

/** Looks through records that say the same twice, or that belong together. It reads only. */
export type Auditor = (from: Reader) => Audit;

const MOST_SHOWN = 20;

/** Collects what an audit finds. */
export function auditing(name: string) {
  const faults: string[] = [];
  let [looked, wrong] = [0, 0];
  return {
    looked: (n = 1): void => {
      looked += n;
    },
    wrong: (fault: string): void => {
      wrong += 1;
      if (faults.length < MOST_SHOWN) faults.push(fault);
    },
    result: (): Audit => ({ name, looked, wrong, faults }),
  };
}

/** A connection that reads, for a thread of its own. */
export function openReading(file: string): Sqlite.Database {
  return new Sqlite(file, { readonly: true, fileMustExist: true, timeout: 5000 });
}

/** Opens a database file to be read, as it is at one moment, also while a service writes to it. */
export function readAtOnce<T>(file: string, run: (reads: Reader, raw: Sqlite.Database) => T): T {
  const raw = openReading(file);
  try {
    raw.exec('begin');
    const connection = new Connection(raw);
    return run({ db: connection.db, connection }, raw);
  } finally {
    raw.close();
  }
}
