import type Sqlite from 'better-sqlite3';
import type { Logger } from 'pino';
import type { GroupChanges } from './change-log.js';
import { StoreUnavailable } from './unavailable.js';
import { KERNEL, Tx, type Connection } from './transaction.js';

interface Member {
  readonly run: (tx: Tx) => unknown;
  readonly resolve: (value: unknown) => void;
  readonly reject: (error: unknown) => void;
  /** After this it is refused, if no group could begin. Monotonic, in milliseconds. */
  readonly giveUpAt: number;
}

export interface GroupCommitOptions {
  readonly log: Logger;
  /** How long a write waits for another process to release the file, in milliseconds. */
  readonly patienceMs?: number;
  /** How long a group that others may not have stored keeps this from closing, in milliseconds. */
  readonly closeMs?: number;
  /** How many writes wait at most. */
  readonly mostWaiting?: number;
  /** Runs between COMMIT and the effects; a test crashes here. */
  readonly committed?: () => void;
  /** Runs after each commit, when its members have their answers. */
  readonly answered?: () => void;
  /** Keeps the row changes of each group with it. */
  readonly changes?: GroupChanges;
}

/** Most writes in one transaction, and how long one takes at most, so that one commit never takes long. */
const [MOST, MOST_MS] = [500, 50];
/** How long a write that nobody waits for waits for others, in milliseconds. */
const SOON_MS = 15;
/** While another process writes, other work is done here and the lock is tried again: first after, and at most after, milliseconds. */
const [FIRST_LOOK_MS, LONGEST_LOOK_MS] = [1, 50];
const PATIENCE_MS = 5000;
const MOST_WAITING = 20_000;
/** How often those are refused that wait too long behind a group in doubt, and how long such a group keeps the service from ending. */
const [LOOK_LATE_MS, CLOSE_MS] = [250, 5000];
const SUPERSEDED = 'Another service of the cluster has taken over.';

/**
 * Many transactions, one fsync, on the one writing connection: what is asked for within one turn of the event loop shares a commit.
 * Each runs exactly once, in a savepoint of its own, so a failure undoes only itself. When SQLite gave up the whole group (a full disk, an
 * I/O error) or COMMIT fails, every member is rejected as retryable and no effect runs. Nothing here ever waits for a lock with the event
 * loop stopped.
 */
export class GroupCommit {
  readonly #raw: Sqlite.Database;
  readonly #log: Logger;
  readonly #patienceMs: number;
  readonly #mostWaiting: number;
  readonly #closeMs: number;
  readonly #committed: (() => void) | undefined;
  readonly #answered: (() => void) | undefined;
  readonly #changes: GroupChanges | undefined;
  readonly #statements: Readonly<Record<'begin' | 'commit' | 'savepoint' | 'release' | 'undo', Sqlite.Statement>>;
  #waiting: Member[] = [];
  #scheduled = false;
  #soonTimer: NodeJS.Timeout | undefined;
  #soonAt = 0;
  #lookTimer: NodeJS.Timeout | undefined;
  #lookMs = FIRST_LOOK_MS;
  #running = false;
  /** A group that others store before it is committed here: resolves when that is known. */
  #storing: Promise<void> | undefined;
  #storingSince = 0;
  readonly #giveUp = new AbortController();
  /** Another service writes now; this one never again. */
  #isSuperseded = false;

  constructor(
    private readonly connection: Connection,
    options: GroupCommitOptions,
  ) {
    const { raw } = connection;
    this.#raw = raw;
    this.#log = options.log;
    this.#patienceMs = options.patienceMs ?? PATIENCE_MS;
    this.#closeMs = options.closeMs ?? CLOSE_MS;
    this.#mostWaiting = options.mostWaiting ?? MOST_WAITING;
    this.#committed = options.committed;
    this.#answered = options.answered;
    this.#changes = options.changes;
    this.#statements = {
      begin: raw.prepare('begin immediate'),
      commit: raw.prepare('commit'),
      savepoint: raw.prepare('savepoint member'),
      release: raw.prepare('release member'),
      undo: raw.prepare('rollback to member'),
    };
  }

  /** Whether something waits to be written. */
  get busy(): boolean {
    return this.#waiting.length > 0 || this.#storing !== undefined;
  }

  /** For how long it has not been known whether a group is stored, in milliseconds; 0 where nothing is in doubt. */
  get doubtMs(): number {
    return this.#storing === undefined ? 0 : performance.now() - this.#storingSince;
  }

  /** Whether a transaction runs at this moment. */
  get running(): boolean {
    return this.#running;
  }

  /**
   * Runs a transaction; resolves when it is on the disk, with what `run` returned. `run` is synchronous and runs at most once.
   * @throws StoreUnavailable when nothing was written and the same may be tried again; else what `run` threw
   */
  write<T>(run: (tx: Tx) => T): Promise<T> {
    const done = this.#add(run);
    this.#schedule();
    return done;
  }

  /**
   * The same for what can wait a moment: it goes with the next write, or after a moment in which others may join.
   * @param withinMs how long it may wait, in milliseconds
   */
  writeSoon<T>(run: (tx: Tx) => T, withinMs = SOON_MS): Promise<T> {
    const done = this.#add(run);
    const at = performance.now() + withinMs;
    if (!this.#scheduled && (this.#soonTimer === undefined || at < this.#soonAt)) {
      clearTimeout(this.#soonTimer);
      this.#soonAt = at;
      this.#soonTimer = setTimeout(() => {
        this.#flush();
      }, withinMs);
    }
    return done;
  }

  /** Writes now what `writeSoon` keeps for a moment. */
  writeNow(): void {
    if (this.#soonTimer !== undefined && !this.#scheduled) this.#flush();
  }

  /** Writes what waits, then refuses what could not be written. */
  async close(): Promise<void> {
    // What is stored elsewhere and not committed here is found there at the next start.
    const limit = setTimeout(() => {
      this.#giveUp.abort();
    }, this.#closeMs);
    while (this.busy) {
      const count = this.#waiting.length;
      if (this.#storing === undefined) this.#flush();
      const isLeft = await this.#stored();
      if (!isLeft && this.#waiting.length === count) break;
    }
    clearTimeout(limit);
    clearTimeout(this.#soonTimer);
    clearTimeout(this.#lookTimer);
    for (const { reject } of this.#waiting.splice(0)) reject(new StoreUnavailable('The service is stopping.'));
  }

  /** Waits for a group that others store. @returns whether there was one */
  async #stored(): Promise<boolean> {
    if (this.#storing === undefined) return false;
    await this.#storing;
    return true;
  }

  #add<T>(run: (tx: Tx) => T): Promise<T> {
    if (this.#waiting.length >= this.#mostWaiting)
      return Promise.reject(new StoreUnavailable(`${this.#waiting.length} writes are waiting for the database.`));
    return new Promise<T>((resolve, reject) => {
      const giveUpAt = performance.now() + this.#patienceMs;
      this.#waiting.push({ run, resolve: resolve as (value: unknown) => void, reject, giveUpAt });
    });
  }

  #schedule(): void {
    if (this.#scheduled) return;
    this.#scheduled = true;
    setImmediate(() => {
      this.#flush();
    });
  }

  /** The one place where a group begins, runs and commits. */
  #flush(): void {
    clearTimeout(this.#soonTimer);
    this.#soonTimer = undefined;
    // The group before is not known to be stored: this goes on when it is.
    if (this.#storing !== undefined) return;
    if (this.#isSuperseded) this.#refuse(this.#waiting.splice(0), new StoreUnavailable(SUPERSEDED));
    if (this.#waiting.length > 0 && this.#begin()) {
      const [only] = this.#waiting.length === 1 ? this.#waiting.splice(0) : [];
      this.#end(only === undefined ? this.#runMembers() : this.#runAlone(only));
    }
    this.#goOn();
  }

  #goOn(): void {
    this.#scheduled = this.#lookTimer !== undefined || this.#storing !== undefined;
    if (this.#waiting.length > 0) this.#schedule();
  }

  /** A group has run: it is stored by others where that is needed, then committed. */
  #end(ran: readonly Ran[] | undefined): void {
    if (ran === undefined) return;
    let store: ReturnType<GroupChanges['seal']>;
    try {
      store = this.#changes?.seal();
    } catch (error) {
      this.#rollback();
      this.#lost(ran, error);
      return;
    }
    if (store === undefined) {
      this.#commit(ran);
      return;
    }
    this.#storingSince = performance.now();
    const cancel = this.#refuseLate();
    this.#storing = store(this.#giveUp.signal)
      .catch((error: unknown) => {
        this.#log.error({ err: error }, 'a group could not be stored by others');
        return 'unknown' as const;
      })
      .then((isStored) => {
        cancel();
        this.#storing = undefined;
        if (isStored === true) this.#commit(ran);
        else this.#unstored(ran, isStored);
        this.#goOn();
      });
  }

  #unstored(ran: readonly Ran[], isStored: false | 'unknown'): void {
    this.#rollback();
    // Whatever comes after a group of which nothing is known could only make it worse.
    this.#isSuperseded = true;
    this.#lost(ran, new StoreUnavailable(isStored === false ? SUPERSEDED : 'The service is stopping.'));
    if (isStored === false) this.#changes?.superseded();
  }

  /** While nothing is known of a group, those behind it wait, but only for a limited time. @returns what ends it */
  #refuseLate(): () => void {
    const timer = setInterval(() => {
      this.#refuseOverdue(new StoreUnavailable('The brokers of the cluster do not confirm what is written.'));
    }, LOOK_LATE_MS);
    return () => {
      clearInterval(timer);
    };
  }

  #refuseOverdue(error: unknown): void {
    const now = performance.now();
    const late = this.#waiting.filter((member) => member.giveUpAt <= now);
    if (late.length === 0) return;
    this.#waiting = this.#waiting.filter((member) => member.giveUpAt > now);
    this.#refuse(late, error);
  }

  /** @returns whether a transaction has begun; if not, who has waited too long is refused and the others wait on */
  #begin(): boolean {
    try {
      this.#statements.begin.run();
      this.#lookMs = FIRST_LOOK_MS;
      return true;
    } catch (error) {
      if (!isBusy(error)) {
        this.#refuse(this.#waiting.splice(0), error);
        return false;
      }
      this.#refuseOverdue(error);
      this.#lookTimer = setTimeout(() => {
        this.#lookTimer = undefined;
        this.#flush();
      }, this.#lookMs);
      this.#lookMs = Math.min(LONGEST_LOOK_MS, this.#lookMs * 2);
      return false;
    }
  }

  /** Runs the members in order. @returns those that ran; undefined when SQLite gave the whole group up */
  #runMembers(): Ran[] | undefined {
    const ran: Ran[] = [];
    const until = performance.now() + MOST_MS;
    this.#running = true;
    try {
      while (ran.length < MOST && (ran.length === 0 || performance.now() < until)) {
        const member = this.#waiting.shift();
        if (member === undefined) break;
        const result = this.#runOne(member);
        ran.push(result);
        if (!this.#raw.inTransaction) {
          this.#lost(ran, 'error' in result ? result.error : undefined);
          return undefined;
        }
      }
    } finally {
      this.#running = false;
    }
    return ran;
  }

  /** One that has the group for itself needs no savepoint: undoing it is undoing the group. */
  #runAlone(member: Member): Ran[] | undefined {
    const tx = new Tx(KERNEL, this.connection);
    this.#running = true;
    try {
      const value = member.run(tx);
      refusePromise(value);
      return [{ member, value, tx, effects: tx.end(KERNEL) }];
    } catch (error) {
      tx.end(KERNEL);
      this.#rollback();
      tx.undone(KERNEL);
      member.reject(unavailableOf(error) ?? error);
      return undefined;
    } finally {
      this.#running = false;
    }
  }

  #runOne(member: Member): Ran {
    const { savepoint, release, undo } = this.#statements;
    const tx = new Tx(KERNEL, this.connection);
    const mark = this.#changes?.mark() ?? 0;
    try {
      savepoint.run();
      const value = member.run(tx);
      refusePromise(value);
      release.run();
      return { member, value, tx, effects: tx.end(KERNEL) };
    } catch (error) {
      tx.end(KERNEL);
      tx.undone(KERNEL);
      if (this.#raw.inTransaction) {
        try {
          undo.run();
          release.run();
          this.#changes?.undoTo(mark);
        } catch (again) {
          // A savepoint that cannot be undone leaves nothing to trust: the group is given up.
          this.#log.error({ err: again }, 'a transaction could not be undone alone; its group is undone');
          this.#rollback();
        }
      }
      return { member, error };
    }
  }

  #commit(ran: readonly Ran[]): void {
    try {
      this.#statements.commit.run();
    } catch (error) {
      this.#rollback();
      this.#lost(ran, error);
      return;
    }
    this.#committed?.();
    this.#changes?.committed();
    for (const one of ran) {
      if ('error' in one) {
        one.member.reject(unavailableOf(one.error) ?? one.error);
        continue;
      }
      for (const effect of one.effects) {
        try {
          effect();
        } catch (error) {
          this.#log.error({ err: error }, 'what follows a transaction failed');
        }
      }
      one.member.resolve(one.value);
    }
    this.#answered?.();
  }

  #lost(ran: readonly Ran[], error: unknown): void {
    this.#log.error({ err: error, transactions: ran.length }, 'a group of transactions was undone; each may be tried again');
    this.#changes?.undoTo(0);
    for (const one of ran) if ('tx' in one) one.tx.undone(KERNEL);
    this.#refuse(
      ran.map(({ member }) => member),
      error,
    );
  }

  #refuse(members: readonly Member[], error: unknown): void {
    for (const { reject } of members) reject(new StoreUnavailable(sentenceOf(error), error));
  }

  #rollback(): void {
    this.#changes?.undoTo(0);
    try {
      if (this.#raw.inTransaction) this.#raw.exec('rollback');
    } catch (error) {
      this.#log.error({ err: error }, 'a group of transactions could not be undone');
    }
  }
}

type Ran =
  | { readonly member: Member; readonly value: unknown; readonly tx: Tx; readonly effects: readonly (() => void)[] }
  | { readonly member: Member; readonly error: unknown };

function refusePromise(value: unknown): void {
  if (typeof (value as PromiseLike<unknown> | undefined)?.then === 'function')
    throw new Error('A transaction is synchronous, but this one returned a promise.');
}

function codeOf(error: unknown): string {
  return (error as { code?: string } | undefined)?.code ?? '';
}

function isBusy(error: unknown): boolean {
  return /^SQLITE_(BUSY|LOCKED)/.test(codeOf(error));
}

/** A fault of the disk or the file, after which the same may be tried again; undefined for any other error. */
export function unavailableOf(error: unknown): StoreUnavailable | undefined {
  if (error instanceof StoreUnavailable) return error;
  const isOfTheFile = /^SQLITE_(BUSY|LOCKED|FULL|IOERR|NOMEM|CANTOPEN|READONLY|CORRUPT|NOTADB)|^ENOSPC$/.test(codeOf(error));
  return isOfTheFile ? new StoreUnavailable(sentenceOf(error), error) : undefined;
}

/** What is wrong with the database, in a sentence for people. */
export function sentenceOf(error: unknown): string {
  const code = codeOf(error);
  if (/^SQLITE_(BUSY|LOCKED)/.test(code)) return 'Another process is writing to the database file.';
  if (code === 'SQLITE_FULL' || code === 'ENOSPC') return 'The disk is full.';
  if (code.startsWith('SQLITE_READONLY')) return 'The database file is read-only.';
  if (/^SQLITE_(CORRUPT|NOTADB)/.test(code)) return 'The database file is damaged. Restore it from a backup.';
  if (code.startsWith('SQLITE_CANTOPEN')) return 'The database file cannot be opened (no permission, or too few file descriptors).';
  if (code.startsWith('SQLITE_IOERR')) return 'The disk reported an error.';
  return `The database could not be written: ${error instanceof Error ? error.message : String(error)}.`;
}
