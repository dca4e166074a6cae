import { readFileSync } from 'node:fs';
import * as z from 'zod';
import type { Journal, JournalEntry } from './journal.js';

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

/** How far the journal is in the database: a cursor of the events. */
export const CURSOR = 'hits';
/** Entries that are in memory at most; the rest is read again from the file. */
const MOST_KEPT = 50_000;
/** Entries of before that may say something of those that wait. */
const MOST_BEFORE = 1000;

/** A line that was cut off by a crash, or is not ours, is nothing. */
function entryOf(line: string): JournalEntry | undefined {
  try {
    return Entry.safeParse(JSON.parse(line)).data;
  } catch {
    return undefined;
  }
}

/** All entries of a journal, in order. @param unreadable is called where there is a file that cannot be read */
export function readJournal(file: string, unreadable: (error: unknown) => void): JournalEntry[] {
  let text: string;
  try {
    text = readFileSync(file, 'utf8');
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'ENOENT') unreadable(error);
    return [];
  }
  return text.split('\n').flatMap((line) => (line === '' ? [] : (entryOf(line) ?? [])));
}

/** Hits of the journal that are not in the database yet. */
export class Backlog {
  /** In order; the first of them if there are many. */
  #waiting: JournalEntry[] = [];
  /** Whether the file has more that wait than are in memory. */
  #more = false;
  #taken: number;
  #last: number;
  #isEmpty: boolean;
  readonly before: readonly JournalEntry[];

  /**
   * @param taken the place up to which everything was taken before
   * @param unreadable is called where what waits in the file cannot be read
   * @param most so many entries are in memory; the rest is read again from the file
   */
  constructor(
    private readonly file: string,
    taken: number,
    private readonly unreadable: (error: unknown) => void,
    private readonly most = MOST_KEPT,
  ) {
    const found = readJournal(file, unreadable);
    this.#taken = taken;
    this.#last = Math.max(taken, ...found.slice(-1).map(({ n }) => n));
    this.#isEmpty = found.length === 0;
    this.#fill(found);
    /** What was taken before, and may tell of what was not. */
    this.before = found.filter(({ n }) => n <= taken).slice(-MOST_BEFORE);
  }

  #fill(found: readonly JournalEntry[]): void {
    const waiting = found.filter(({ n }) => n > this.#taken);
    this.#waiting = waiting.slice(0, this.most);
    this.#more = waiting.length > this.most;
    this.#last = Math.max(this.#last, ...found.slice(-1).map(({ n }) => n));
  }

  /** Entries that nobody has taken yet, in order. */
  get waiting(): readonly JournalEntry[] {
    return this.#waiting;
  }

  /** The last place that is known. */
  get last(): number {
    return this.#last;
  }

  /** Takes in what is in the file now, in order; what is known already is left out. */
  add(entries: readonly JournalEntry[]): void {
    const fresh = entries.filter(({ n }) => n > this.#last);
    if (fresh.length === 0) return;
    this.#isEmpty = false;
    this.#last = fresh.at(-1)?.n ?? this.#last;
    const room = this.#more ? 0 : Math.max(0, this.most - this.#waiting.length);
    this.#waiting.push(...fresh.slice(0, room));
    if (fresh.length > room) this.#more = true;
  }

  /** Something may be in the file that was never reported: it is read again when nothing else waits. */
  missed(): void {
    this.#more = true;
    this.#isEmpty = false;
  }

  /** Everything up to a place is in the database. */
  taken(place: number): void {
    this.#taken = place;
    this.#waiting = this.#waiting.filter(({ n }) => n > place);
  }

  /** Reads what waits in the file and has no room in memory, when nothing else waits. */
  refill(): void {
    if (this.#waiting.length === 0 && this.#more) this.#fill(readJournal(this.file, this.unreadable));
  }

  /** Empties the file when nothing in it waits: what it knows of people is kept no longer than it is needed. */
  async clear(journal: Pick<Journal, 'clear'>): Promise<void> {
    if (this.#isEmpty || this.#waiting.length > 0 || this.#more) return;
    const last = this.#last;
    if ((await journal.clear(last)) && this.#last === last) this.#isEmpty = true;
  }
}
