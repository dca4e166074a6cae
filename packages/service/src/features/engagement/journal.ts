import { appendFileSync, closeSync, ftruncateSync, openSync } from 'node:fs';
import type { HitOf } from '@verbalis/core/engagement';

/** A hit as it came in, before anybody has judged it. */
export interface JournalEntry {
  /** Its place; more than that of the entry before. */
  readonly n: number;
  readonly id: string;
  readonly at: number;
  readonly of: HitOf;
  readonly index: number;
  readonly links: number;
  readonly label: string;
  readonly block: string;
  /** Empty where nothing may be tied to a person. */
  readonly url: string;
  readonly method: string;
  readonly agent: string;
  readonly purpose: string;
  readonly from: string;
}

/** A hit that has no place yet. */
export type NewEntry = Omit<JournalEntry, 'n'>;

/** Where hits are appended: here, or in the thread that has the file. */
export interface Journal {
  /** Resolves when the entry outlives the process. @throws when the file cannot be written */
  readonly append: (entry: NewEntry) => Promise<void>;
  /** Empties the file unless something was appended after a place. @returns whether it is empty */
  readonly clear: (place: number) => Promise<boolean>;
  readonly close: () => void;
}

/**
 * Hits on their way to the database: a file of JSON lines. What is appended is with the operating system when the promise resolves, so that it
 * outlives the process; it is not synced, so a power cut may lose the last seconds. Hits that come together are one write, which is not handed
 * to another thread: it takes less time than that would.
 */
export class JournalFile implements Journal {
  #file: number | undefined;
  /** Not written yet. */
  #fresh: NewEntry[] = [];
  #writing: Promise<void> | undefined;
  /** The last place that was given. */
  #last: number;
  /** The last place that is in the file. */
  #written: number;

  /**
   * @param last the last place that was given before
   * @param written is called with what is in the file now, in order
   */
  constructor(
    private readonly path: string,
    last: number,
    private readonly written: (entries: readonly JournalEntry[]) => void,
  ) {
    this.#last = last;
    this.#written = last;
  }

  append(entry: NewEntry): Promise<void> {
    this.#fresh.push(entry);
    this.#writing ??= new Promise<void>((done) => {
      setImmediate(done);
    }).then(() => {
      this.#write();
    });
    return this.#writing;
  }

  #write(): void {
    this.#writing = undefined;
    if (this.#fresh.length === 0) return;
    // Places of a write that fails are not given again: a part of it may be in the file.
    const entries = this.#fresh.map((entry) => ({ n: (this.#last += 1), ...entry }));
    this.#fresh = [];
    const lines = entries.map((entry) => `${JSON.stringify(entry)}\n`).join('');
    // What came before may end in the middle of a line.
    const text = this.#file === undefined ? `\n${lines}` : lines;
    try {
      appendFileSync(this.#opened(), text);
    } catch (error) {
      this.#shut();
      throw error;
    }
    this.#written = this.#last;
    this.written(entries);
  }

  #opened(): number {
    return (this.#file ??= openSync(this.path, 'a', 0o600));
  }

  #shut(): void {
    const file = this.#file;
    this.#file = undefined;
    if (file !== undefined) closeSync(file);
  }

  clear(place: number): Promise<boolean> {
    return Promise.resolve().then(() => {
      if (this.#written > place || this.#fresh.length > 0) return false;
      ftruncateSync(this.#opened());
      return true;
    });
  }

  /** Writes what is not written yet, and lets go of the file. */
  close(): void {
    try {
      this.#write();
    } finally {
      this.#shut();
    }
  }
}
