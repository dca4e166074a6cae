import type Sqlite from 'better-sqlite3';
import { LRUCache } from 'lru-cache';

/** Text of all statements that one connection keeps, in characters: what SQLite compiles of one grows with it. */
const MOST_KEPT = 1_000_000;
/** A longer text, such as that of an insert of hundreds of rows, is not kept: it hardly comes again. In characters. */
const LONGEST_KEPT = 6000;

/** What Drizzle asks of a statement. */
export type KeptStatement = Pick<Sqlite.Statement, 'run' | 'get' | 'all'> & { readonly raw: () => Pick<Sqlite.Statement, 'get' | 'all'> };

/**
 * A statement in its two forms. A statement of the package stays in array mode once it was asked for it, so that form is one of its own.
 */
class Kept implements KeptStatement {
  #plain: Sqlite.Statement | undefined;
  #rows: Sqlite.Statement | undefined;

  constructor(private readonly prepare: () => Sqlite.Statement) {}

  get #own(): Sqlite.Statement {
    return (this.#plain ??= this.prepare());
  }

  run(...parameters: unknown[]): Sqlite.RunResult {
    return this.#own.run(...parameters);
  }

  get(...parameters: unknown[]): unknown {
    return this.#own.get(...parameters);
  }

  all(...parameters: unknown[]): unknown[] {
    return this.#own.all(...parameters);
  }

  raw(): Sqlite.Statement {
    return (this.#rows ??= this.prepare().raw());
  }
}

/** The part of a connection that Drizzle uses. */
export interface StatementClient {
  readonly prepare: (source: string) => KeptStatement;
  readonly transaction: Sqlite.Database['transaction'];
}

/**
 * Prepares each text once for a connection. A query that is built with every call is compiled by SQLite only the first time
 * (docs/decisions/2026-12-01-kept-statements.md). SQLite itself compiles a kept statement again when the tables have changed
 * (https://www.sqlite.org/c3ref/prepare.html, SQLITE_SCHEMA).
 * @param readsOnly whether a statement that writes is refused
 */
export function keepingStatements(raw: Sqlite.Database, readsOnly = false): StatementClient {
  const kept = new LRUCache<string, Kept>({
    maxSize: MOST_KEPT,
    maxEntrySize: LONGEST_KEPT,
    sizeCalculation: (_statement, { length }) => length,
  });
  const prepared = (source: string): Sqlite.Statement => {
    const statement = raw.prepare(source);
    if (readsOnly && !statement.readonly) throw new Error(`Outside of a transaction nothing is written: ${source}`);
    return statement;
  };
  return {
    prepare(source) {
      let found = kept.get(source);
      if (found === undefined) {
        found = new Kept(() => prepared(source));
        kept.set(source, found);
      }
      return found;
    },
    transaction: raw.transaction.bind(raw),
  };
}
