import { getTableColumns, sql, type Placeholder, type Table } from 'drizzle-orm';
import type Sqlite from 'better-sqlite3';
import { drizzle, type BetterSQLite3Database } from 'drizzle-orm/better-sqlite3';
import { planQueries } from './planned-query.js';
import { keepingStatements } from './statements.js';

type Db = BetterSQLite3Database;
/** What a query may do that writes nothing. */
type ReadDb = Pick<Db, 'select' | 'selectDistinct' | 'with' | '$with' | 'all' | 'get'>;

/** A connection to the database file, with the statements that were prepared for it. */
export class Connection {
  readonly db: Db;
  readonly #statements: unknown[] = [];

  /** @param readsOnly whether a statement that writes is refused */
  constructor(
    readonly raw: Sqlite.Database,
    readsOnly = false,
  ) {
    this.db = drizzle(keepingStatements(raw, readsOnly) as Sqlite.Database);
    planQueries(this.db);
  }

  /** The statement with this number; made at its first use. */
  prepared<T>(n: number, make: (db: Db) => T): T {
    return (this.#statements[n] ??= make(this.db)) as T;
  }
}

/** Something that can be read from: what is committed, or a transaction that also sees what it has written itself. */
export interface Reader {
  readonly db: ReadDb;
  /** @internal */
  readonly connection: Connection;
}

/**
 * A transaction: the only thing that can write. The kernel makes it and nobody else can (its constructor needs the kernel's own token).
 * It is synchronous, runs at most once, and undoes only itself when it throws.
 */
export class Tx implements Reader {
  readonly #connection: Connection;
  readonly #effects: (() => void)[] = [];
  readonly #undoing: (() => void)[] = [];
  #ended = false;

  /** @internal */
  constructor(token: typeof KERNEL, connection: Connection) {
    if (token !== KERNEL) throw new Error('Only the kernel begins a transaction: use write().');
    this.#connection = connection;
  }

  get connection(): Connection {
    if (this.#ended) throw new Error('This transaction has ended; nothing is written through it any more.');
    return this.#connection;
  }

  get db(): Db {
    return this.connection.db;
  }

  /**
   * Runs once the transaction is on the disk, before its promise resolves; never when it was undone. It may only wake a worker or invalidate
   * a cache: whatever must happen is a row, since a crash in between loses it.
   */
  afterCommit(effect: () => void): void {
    if (this.#ended) throw new Error('This transaction has ended; it has no more effects.');
    this.#effects.push(effect);
  }

  /** Runs when the transaction was undone, for whatever reason. It may only take back what was noted in memory for it. */
  afterFailure(effect: () => void): void {
    if (this.#ended) throw new Error('This transaction has ended; it has no more effects.');
    this.#undoing.push(effect);
  }

  /** @internal Takes back what was noted for it. */
  undone(token: typeof KERNEL): void {
    if (token !== KERNEL) throw new Error('Only the kernel ends a transaction.');
    for (const effect of this.#undoing.splice(0)) effect();
  }

  /** @internal @returns its effects, in order */
  end(token: typeof KERNEL): readonly (() => void)[] {
    if (token !== KERNEL) throw new Error('Only the kernel ends a transaction.');
    this.#ended = true;
    return this.#effects;
  }
}

/** Proves that a transaction is made by the kernel; it does not leave this folder. */
export const KERNEL: unique symbol = Symbol('kernel');

interface ReadsOptions {
  /** The connection that writes, as one that reads only; left out where the other one alone is read from. */
  readonly writer?: Connection;
  /** A connection to read from meanwhile. */
  readonly other: () => Connection;
  /** Whether a transaction runs at this moment. */
  readonly isWriting: () => boolean;
}

/**
 * Reads what is committed. While a transaction runs it refuses: a read there would not see what the transaction has written.
 *
 * The connection that writes is the one to read with, too: a commit empties the page cache of every other connection, so that most reads of
 * another one go to the file. It cannot be used while it holds changes that are not committed yet.
 */
export class Reads implements Reader {
  constructor(private readonly options: ReadsOptions) {}

  get connection(): Connection {
    const { writer, other, isWriting } = this.options;
    if (isWriting()) throw new Error('A query within a transaction reads through the transaction: pass it on.');
    return writer === undefined || writer.raw.inTransaction ? other() : writer;
  }

  get db(): ReadDb {
    return this.connection.db;
  }
}

let statements = 0;

/** A query that is prepared once for each connection it is used on. */
export function reading<T>(make: (db: ReadDb) => T): (from: Reader) => T {
  const n = statements++;
  return (from) => from.connection.prepared(n, make);
}

/** A statement that writes: it can only be had from a transaction. */
export function writing<T>(make: (db: Db) => T): (tx: Tx) => T {
  const n = statements++;
  return (tx) => tx.connection.prepared(n, make);
}

/** A value for each column of a table, to be given when the statement runs: a column that is added cannot be left out of it. */
export function placeholders<T extends Table, E extends keyof T['_']['columns'] = never>(
  table: T,
  except: readonly E[] = [],
): { [K in Exclude<keyof T['_']['columns'], E>]: Placeholder } {
  const names = Object.keys(getTableColumns(table)).filter((name) => !(except as readonly string[]).includes(name));
  return Object.fromEntries(names.map((name) => [name, sql.placeholder(name)])) as never;
}
