import type Sqlite from 'better-sqlite3';

interface Waiting {
  readonly write: () => unknown;
  readonly resolve: (value: unknown) => void;
  readonly reject: (error: unknown) => void;
}

/** Most writes in one transaction, so that one commit never takes long. */
const MOST = 500;
/** How long a write that is in no hurry waits for others, in milliseconds. */
const SOON_MS = 15;
/** While another process writes, other work is done here; after so many looks we stand in line. In milliseconds, and times. */
const [LOOK_MS, LOOKS] = [1, 30];
/** How long SQLite waits for another process, in milliseconds; as it is set when the file is opened. */
export const BUSY_MS = 5000;

/**
 * Many writes, one fsync: what is asked for within one turn of the event loop shares a transaction.
 * Each write stands alone: one that throws does not touch the others. All are tried together first; only when one of them throws they are
 * made again, each with a savepoint of its own, so that a write may run twice before it counts once.
 */
export class GroupCommit {
  #waiting: Waiting[] = [];
  #scheduled = false;
  #timer: NodeJS.Timeout | undefined;
  #looks = 0;
  readonly #begin: Sqlite.Statement;
  readonly #patience: { readonly none: Sqlite.Statement; readonly usual: Sqlite.Statement };

  constructor(private readonly raw: Sqlite.Database) {
    this.#begin = raw.prepare('begin immediate');
    this.#patience = { none: raw.prepare('pragma busy_timeout = 0'), usual: raw.prepare(`pragma busy_timeout = ${BUSY_MS}`) };
  }

  /** Whether something waits to be written. */
  get busy(): boolean {
    return this.#waiting.length > 0;
  }

  /** Resolves when the write is on the disk. */
  write<T>(write: () => T): Promise<T> {
    const done = this.#add(write);
    if (!this.#scheduled) {
      this.#scheduled = true;
      setImmediate(() => {
        this.#flush();
      });
    }
    return done;
  }

  /** The same for what nobody waits for: it goes with the next write, or after a moment in which others may join. */
  writeSoon<T>(write: () => T): Promise<T> {
    const done = this.#add(write);
    if (!this.#scheduled)
      this.#timer ??= setTimeout(() => {
        this.#flush();
      }, SOON_MS);
    return done;
  }

  /** What was in no hurry is written now. */
  hurry(): void {
    if (this.#timer !== undefined && !this.#scheduled) this.#flush();
  }

  #add<T>(write: () => T): Promise<T> {
    return new Promise<T>((resolve, reject) => {
      this.#waiting.push({ write, resolve: resolve as (value: unknown) => void, reject });
    });
  }

  #flush(): void {
    clearTimeout(this.#timer);
    this.#timer = undefined;
    if (!this.#isOurs()) {
      this.#scheduled = true;
      setTimeout(() => {
        this.#flush();
      }, LOOK_MS);
      return;
    }
    const batch = this.#waiting.splice(0, MOST);
    if (!this.#together(batch)) this.#apart(batch);
    this.#scheduled = this.#waiting.length > 0;
    if (this.#scheduled) {
      setImmediate(() => {
        this.#flush();
      });
    }
  }

  /** Begins a transaction, if no other process writes just now. @returns whether this is no time to wait */
  #isOurs(): boolean {
    // A closed file is told by the writes themselves.
    if (!this.raw.open) return true;
    if (this.#looks >= LOOKS) {
      this.#looks = 0;
      return true;
    }
    this.#patience.none.get();
    try {
      this.#begin.run();
    } catch (error) {
      if ((error as { code?: string }).code !== 'SQLITE_BUSY') return true;
      this.#looks += 1;
      return false;
    } finally {
      this.#patience.usual.get();
    }
    this.#looks = 0;
    return true;
  }

  /** @returns whether none of them threw; if one did, nothing is written */
  #together(batch: readonly Waiting[]): boolean {
    let values: unknown[];
    try {
      if (!this.raw.inTransaction) this.#begin.run();
      values = batch.map(({ write }) => write());
      this.raw.exec('commit');
    } catch {
      if (this.raw.inTransaction) this.raw.exec('rollback');
      return false;
    }
    batch.forEach(({ resolve }, i) => {
      resolve(values[i]);
    });
    return true;
  }

  #apart(batch: readonly Waiting[]): void {
    const done: (() => void)[] = [];
    try {
      this.raw
        .transaction(() => {
          const one = this.raw.transaction((write: () => unknown) => write());
          for (const { write, resolve, reject } of batch) {
            try {
              const value = one(write);
              done.push(() => {
                resolve(value);
              });
            } catch (error) {
              if (!this.raw.inTransaction) throw error;
              done.push(() => {
                reject(error);
              });
            }
          }
        })
        .immediate();
      for (const settle of done) settle();
    } catch (error) {
      for (const { reject } of batch) reject(error);
    }
  }
}
