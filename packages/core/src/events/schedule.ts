import TinyQueue from 'tinyqueue';

/** What comes first under an order key that waits. */
export interface Head {
  readonly seq: number;
  readonly dueAt: number;
  /** Tries made so far. */
  readonly attempts: number;
}

/** Something that was read and has not been tried. */
export interface Fresh<T> {
  readonly seq: number;
  readonly key: string;
  readonly item: T;
  /** Not to be put together with others, since one of them could not be made. */
  readonly isAlone?: boolean;
}

export interface ScheduleLimits {
  /** Concurrent tries. */
  readonly most: number;
  /** Failures in a row after which a consumer is left alone. */
  readonly restsAfter: number;
  /** The first rest and the longest, in milliseconds. Each failed probe doubles it. */
  readonly firstRestMs: number;
  readonly longestRestMs: number;
}

interface Due extends Head {
  readonly key: string;
}

/**
 * Which notification of one subscription is next. Pure: times come in, nothing goes out.
 *
 * Notifications under one key (a delivery) are sent in order. The first of a key that failed is its head; what follows is written down as
 * waiting and is not looked at before it is the head itself. So only heads are ever due, and what waits behind them cannot stand before them.
 * No notification of a key starts while another of that key is in flight, or while its result has not been stored.
 */
export class NotificationSchedule<T> {
  /** Heads, the longest due first; one that is not (or no more) that of its key is passed over. */
  readonly #due = new TinyQueue<Due>([], (a, b) => a.dueAt - b.dueAt || a.seq - b.seq);
  /** Keys under which something waits; the head where it can be begun. */
  readonly #waiting = new Map<string, Due | undefined>();
  /** Keys of which something is under way. */
  readonly #busy = new Set<string>();
  /** Notes of a key that are not written down yet. */
  readonly #unwritten = new Map<string, number>();
  #fresh: Fresh<T>[] = [];
  #underWay = 0;
  #failures = 0;
  #probes = 0;
  #restsUntil = 0;
  /** Tries begun before the last rest tell nothing new about the consumer. */
  #round = 0;

  constructor(private readonly limits: ScheduleLimits) {}

  get underWay(): number {
    return this.#underWay;
  }

  /** Until when the consumer is left alone, where it is. */
  restsUntil(now: number): number | undefined {
    return this.#restsUntil > now ? this.#restsUntil : undefined;
  }

  /** Tries that may begin now. After a rest it is one at a time, until one succeeds. */
  room(now: number): number {
    if (this.#restsUntil > now) return 0;
    return Math.max(0, (this.#probes > 0 ? 1 : this.limits.most) - this.#underWay);
  }

  /** Whether something waits under a key, so that what comes after it has to wait, too. */
  waits(key: string): boolean {
    return this.#waiting.has(key);
  }

  get hasFresh(): boolean {
    return this.#fresh.length > 0;
  }

  /** Something was read under a key where nothing waits. */
  add(fresh: Fresh<T>): void {
    this.#fresh.push(fresh);
  }

  /** Puts back what was begun together and has to be tried one by one. */
  putBack(fresh: readonly Fresh<T>[]): void {
    this.#fresh.unshift(...fresh);
  }

  /** Takes out what was read before something under its key came to wait: it waits as well. */
  heldBack(): Fresh<T>[] {
    if (this.#waiting.size === 0) return [];
    const held = this.#fresh.filter(({ key }) => this.#waiting.has(key));
    if (held.length > 0) this.#fresh = this.#fresh.filter(({ key }) => !this.#waiting.has(key));
    return held;
  }

  /** The result of a notification is about to be stored. `waits`: it, or one after it, is tried later. */
  noted(key: string, { waits }: { readonly waits: boolean }): void {
    this.#unwritten.set(key, (this.#unwritten.get(key) ?? 0) + 1);
    if (waits) this.#waiting.set(key, undefined);
  }

  /** It is written down. `head` tells what comes first under the key now; it is asked for only where that counts. */
  written(key: string, head: () => Head | undefined): void {
    const left = (this.#unwritten.get(key) ?? 1) - 1;
    if (left > 0) {
      this.#unwritten.set(key, left);
      return;
    }
    this.#unwritten.delete(key);
    // While the head is in flight, its result decides what is next.
    if (this.#waiting.has(key) && !this.#busy.has(key)) this.setHead(key, head());
  }

  /** The head of a key, as it is written down; undefined where nothing waits any more. */
  setHead(key: string, head: Head | undefined): void {
    if (head === undefined) {
      this.#waiting.delete(key);
      return;
    }
    const due = { ...head, key };
    this.#waiting.set(key, due);
    this.#due.push(due);
  }

  /** The head that is due the longest. It is under way from now on. */
  beginAgain(now: number): Due | undefined {
    if (this.room(now) === 0) return undefined;
    const first = this.#firstDue();
    if (first === undefined || first.dueAt > now) return undefined;
    this.#due.pop();
    // Still waiting, but in flight: its result decides what is next.
    this.#waiting.set(first.key, undefined);
    this.#begin(first.key);
    return first;
  }

  /**
   * What was read first and can begin, with others up to `most`, each under a key of its own. They are under way from now on. What has to
   * wait was taken out before (`heldBack`).
   */
  beginFresh(now: number, most: number): Fresh<T>[] {
    if (this.room(now) === 0) return [];
    const taken: Fresh<T>[] = [];
    const passed: Fresh<T>[] = [];
    const seen = new Set<string>();
    let i = 0;
    for (; i < this.#fresh.length && taken.length < most && taken[0]?.isAlone !== true; i += 1) {
      const fresh = this.#fresh[i];
      if (fresh === undefined) break;
      const { key, isAlone = false } = fresh;
      const isFree = !this.#busy.has(key) && !seen.has(key) && !(isAlone && taken.length > 0);
      // What comes later under the key stays behind this one.
      seen.add(key);
      (isFree ? taken : passed).push(fresh);
    }
    if (taken.length > 0) this.#fresh.splice(0, i, ...passed);
    if (taken.length > 0) {
      this.#underWay += 1;
      for (const { key } of taken) this.#busy.add(key);
    }
    return taken;
  }

  #begin(key: string): void {
    this.#underWay += 1;
    this.#busy.add(key);
  }

  /** The round that a try begins in, to be given back with its answer. */
  get round(): number {
    return this.#round;
  }

  /** A try has ended, whatever came of it. */
  ended(keys: readonly string[]): void {
    this.#underWay -= 1;
    for (const key of keys) this.#busy.delete(key);
  }

  /** The consumer took something. */
  succeeded(): void {
    this.#failures = 0;
    this.#probes = 0;
    this.#restsUntil = 0;
  }

  /** The consumer did not take it. Failures of tries that were under way together are one piece of news, not many. */
  failed(now: number, { round, retryAfterMs = 0 }: { readonly round: number; readonly retryAfterMs?: number | undefined }): void {
    if (round !== this.#round) return;
    this.#failures += 1;
    if (this.#failures < this.limits.restsAfter) return;
    const { firstRestMs, longestRestMs } = this.limits;
    const rest = Math.min(longestRestMs, firstRestMs * 2 ** Math.min(20, this.#probes));
    this.#probes += 1;
    this.#round += 1;
    this.#restsUntil = now + Math.max(rest, Math.min(retryAfterMs, longestRestMs));
  }

  /** When the next head is due, or the rest ends. */
  nextAt(now: number): number | undefined {
    const due = this.#firstDue()?.dueAt;
    if (this.#restsUntil > now) return this.#restsUntil;
    return due;
  }

  #firstDue(): Due | undefined {
    for (let first = this.#due.peek(); first !== undefined; first = this.#due.peek()) {
      if (this.#waiting.get(first.key) === first) return first;
      this.#due.pop();
    }
    return undefined;
  }
}
