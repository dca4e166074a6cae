import type Sqlite from 'better-sqlite3';
import type { Logger } from 'pino';
import { boundedThread, threadFile } from './thread.js';

/** What SQLite says of the log: its pages, and those of them that are in the file. */
export interface LogState {
  readonly log: number;
  readonly checkpointed: number;
}

/** So many pages of the log are moved together, which is 16 MB: those that are written again and again reach the file less often. */
const PAGES = 4000;
/** Where the thread cannot keep up, or fails, the connection that writes moves pages itself: from so many times as many on. */
const BEHIND = 4;
/** What came while the thread was moving is moved by it again, until so little is left, as a part of the pages, or so many times. */
const [LITTLE, PASSES] = [0.1, 4];
/** The log is looked at after so many commits: a look takes longer than reading a row. */
const EVERY = 8;
/** A thread that has had nothing to do for so long ends; one that takes longer is given up. In milliseconds. */
const [IDLE_MS, LIMIT_MS] = [30_000, 120_000];

/**
 * Moves what is committed from the log beside the file into the file ("checkpoint"). For thousands of pages that takes as long as the disk
 * does, so a thread does it on a connection of its own, while others read and write. The last few pages are moved by the connection that
 * writes, between two of its transactions: only where nothing is left does the next one write at the beginning of the log again, which else
 * would grow for as long as there is work (SQLite, "Write-Ahead Logging", 2.2).
 */
export class Checkpoints {
  readonly #raw: Sqlite.Database;
  readonly #log: Logger;
  readonly #pages: number;
  readonly #look: Sqlite.Statement;
  readonly #thread: ReturnType<typeof boundedThread>;
  #moving: Promise<void> | undefined;
  /** How the thread ended; the rest is done as soon as no transaction runs. */
  #ended: 'moved' | 'failed' | undefined;
  /** Where something keeps pages in the log, it is looked at again when the log has so many. */
  #again = 0;
  #isStopped = false;
  /** Commits since the log was looked at. */
  #unseen = 0;

  /** @param raw the connection that writes */
  constructor(raw: Sqlite.Database, file: string, log: Logger, pages = PAGES) {
    this.#raw = raw;
    this.#log = log;
    this.#pages = pages;
    raw.pragma(`wal_autocheckpoint = ${BEHIND * pages}`);
    this.#look = raw.prepare('pragma wal_checkpoint(NOOP)');
    this.#thread = boundedThread(threadFile(import.meta.url, './checkpoint-thread.js'), {
      name: 'checkpoints',
      data: { file },
      limitMs: LIMIT_MS,
      idleMs: IDLE_MS,
    });
  }

  /** Is called after each commit; begins to move pages where there are many. */
  readonly committed = (): void => {
    this.#unseen += 1;
    if (this.#moving !== undefined || this.#isStopped || (this.#ended === undefined && this.#unseen < EVERY)) return;
    this.#unseen = 0;
    try {
      if (this.#ended !== undefined) this.#finish();
      const { log, left } = this.#state();
      // The log was begun again.
      if (log < this.#pages) this.#again = 0;
      if (left < this.#pages || log < this.#again) return;
    } catch (error) {
      this.#failed(error);
      return;
    }
    this.#moving = this.#move().finally(() => {
      this.#moving = undefined;
    });
  };

  /** Runs something while no page is being moved. */
  async alone<T>(run: () => T): Promise<T> {
    await this.#moving;
    return run();
  }

  async stop(): Promise<void> {
    this.#isStopped = true;
    await this.#moving;
    await this.#thread.stop();
  }

  /** @returns pages of the log, and those of them that are not in the file; not within a transaction */
  #state(): { readonly log: number; readonly left: number } {
    const { log, checkpointed } = this.#look.get() as LogState;
    return { log, left: log - checkpointed };
  }

  async #move(): Promise<void> {
    try {
      await this.#thread.call('move', { little: LITTLE * this.#pages, passes: PASSES });
      this.#ended = 'moved';
      // Within a transaction it is finished after the commit.
      if (!this.#raw.inTransaction && !this.#isStopped) this.#finish();
    } catch (error) {
      this.#ended = 'failed';
      this.#failed(error);
    }
  }

  #failed(error: unknown): void {
    this.#log.warn({ err: error }, 'the log of the database could not be moved into its file; tried again when it has grown');
  }

  /** Moves the little that is left. */
  #finish(): void {
    const ended = this.#ended;
    this.#ended = undefined;
    const { left: before } = this.#state();
    if (ended === 'moved' && before <= 2 * LITTLE * this.#pages) this.#raw.pragma('wal_checkpoint(PASSIVE)');
    const { log, left } = this.#state();
    // Something reads an older state, or more comes than can be moved.
    if (left > 0) this.#again = log + this.#pages;
  }
}
