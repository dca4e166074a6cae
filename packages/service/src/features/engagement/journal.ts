import { open, type FileHandle } from 'node:fs/promises';
import { readFileSync } from 'node:fs';
import type { HitOf } from '@verbalis/core/engagement';
import { z } from 'zod';

/** A hit as it came in, before anybody has judged it. */
export interface JournalEntry {
  /** Its place; one more than that of the entry before. */
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

const Entry: z.ZodType<JournalEntry> = z.strictObject({
  n: z.int(),
  id: z.string(),
  at: z.number(),
  of: z.union([
    z.strictObject({ mode: z.literal('individual'), deliveryId: z.string() }),
    z.strictObject({
      mode: z.literal('counts'),
      group: z.string(),
      space: z.string(),
      template: z.string(),
      topic: z.string(),
      sentMinute: z.number(),
    }),
  ]),
  index: z.int(),
  links: z.int(),
  label: z.string(),
  block: z.string(),
  url: z.string(),
  method: z.string(),
  agent: z.string(),
  purpose: z.string(),
  from: z.string(),
});

/** Entries that are in memory at most; the rest is read again from the file. */
const MOST_KEPT = 50_000;

/** A line that was cut off by a crash, or is not ours, is nothing. */
function entryOf(line: string): JournalEntry | undefined {
  try {
    return Entry.safeParse(JSON.parse(line)).data;
  } catch {
    return undefined;
  }
}

function linesOf(file: string, unreadable: (error: unknown) => void): JournalEntry[] {
  let text: string;
  try {
    text = readFileSync(file, 'utf8');
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'ENOENT') unreadable(error);
    return [];
  }
  return text.split('\n').flatMap((line) => (line === '' ? [] : (entryOf(line) ?? [])));
}

/**
 * Hits on their way to the database: a file of JSON lines. What is appended is with the operating system when the promise resolves, so that it
 * outlives the process; it is not synced, so a power cut may lose the last seconds. Hits that come together are one write.
 */
export class HitJournal {
  /** Entries that nobody has taken yet, in order; the first of them if there are many. */
  #waiting: JournalEntry[] = [];
  /** Whether the file has more that wait than are in memory. */
  #more = false;
  #last: number;
  #handle: Promise<FileHandle> | undefined;
  /** Not written yet. */
  #fresh: JournalEntry[] = [];
  #taken: number;
  #writing: Promise<void> | undefined;
  #underWay: Promise<void> = Promise.resolve();
  #isEmpty: boolean;

  /**
   * @param taken the place up to which everything was taken before
   * @param unreadable is called where what waits in the file cannot be read
   */
  constructor(
    private readonly file: string,
    taken: number,
    private readonly unreadable: (error: unknown) => void,
  ) {
    const found = linesOf(file, unreadable);
    this.#isEmpty = found.length === 0;
    this.#taken = taken;
    this.#last = Math.max(taken, ...found.slice(-1).map(({ n }) => n));
    this.#fill(found);
    /** What was taken before, and may tell of what was not. */
    this.before = found.filter(({ n }) => n <= taken).slice(-1000);
  }

  readonly before: readonly JournalEntry[];

  #fill(found: readonly JournalEntry[]): void {
    const waiting = found.filter(({ n }) => n > this.#taken);
    this.#waiting = waiting.slice(0, MOST_KEPT);
    this.#more = waiting.length > MOST_KEPT;
  }

  get waiting(): readonly JournalEntry[] {
    return this.#waiting;
  }

  get size(): number {
    return this.#waiting.length;
  }

  /** Resolves when the entry outlives the process. @throws when the file cannot be written */
  append(entry: Omit<JournalEntry, 'n'>): Promise<void> {
    this.#last += 1;
    const whole = { n: this.#last, ...entry };
    this.#fresh.push(whole);
    if (this.#more || this.#waiting.length >= MOST_KEPT) this.#more = true;
    else this.#waiting.push(whole);
    this.#writing ??= this.#afterOthers(() => this.#write());
    return this.#writing;
  }

  #afterOthers(work: () => Promise<void>): Promise<void> {
    const done = this.#underWay.then(work);
    this.#underWay = done.catch(() => undefined);
    return done;
  }

  async #write(): Promise<void> {
    this.#writing = undefined;
    const lines = this.#fresh.map((entry) => `${JSON.stringify(entry)}\n`).join('');
    this.#fresh = [];
    // What came before may end in the middle of a line.
    const text = this.#handle === undefined ? `\n${lines}` : lines;
    try {
      this.#handle ??= open(this.file, 'a', 0o600);
      const handle = await this.#handle;
      await handle.appendFile(text);
      this.#isEmpty = false;
    } catch (error) {
      this.#handle = undefined;
      throw error;
    }
  }

  /** Everything up to a place is in the database. */
  taken(place: number): void {
    this.#taken = place;
    this.#waiting = this.#waiting.filter(({ n }) => n > place);
  }

  /** Reads what waits in the file and has no room in memory, when nothing else waits. */
  async refill(): Promise<void> {
    if (this.#waiting.length > 0 || !this.#more) return;
    await this.#afterOthers(() => {
      this.#fill([...linesOf(this.file, this.unreadable), ...this.#fresh]);
      return Promise.resolve();
    });
  }

  /** Empties the file when nothing in it waits: what it knows of people is kept no longer than it is needed. */
  async clear(): Promise<void> {
    if (this.#isEmpty || this.#waiting.length > 0 || this.#more) return;
    await this.#afterOthers(async () => {
      if (this.#waiting.length > 0 || this.#fresh.length > 0 || this.#more) return;
      const handle = await (this.#handle ??= open(this.file, 'a', 0o600));
      await handle.truncate(0);
      this.#isEmpty = true;
    });
  }

  async close(): Promise<void> {
    await this.#underWay;
    const handle = await this.#handle?.catch(() => undefined);
    await handle?.close();
    this.#handle = undefined;
  }
}
