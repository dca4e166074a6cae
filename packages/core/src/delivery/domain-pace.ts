import { LRUCache } from 'lru-cache';

const SECOND = 1000;
/** How many concurrent emails to a domain there are at first. */
const FIRST_CAP = 1;
/** How long a domain is left alone after it said that we come too often, at first. */
const FIRST_SLOWDOWN = 2 * SECOND;
const LONGEST_SLOWDOWN = 5 * 60 * SECOND;
/** A hand-over that takes longer is slow, if it also takes much longer than others at this provider. */
const SLOW = 2 * SECOND;
const SLOW_FACTOR = 4;
const MOST_TIMES = 32;

/** How fast a domain answers: known to be, known not to be, or not known yet. */
export type Speed = 'quick' | 'unknown' | 'slow';

interface Pace {
  cap: number;
  /** Whether each success raises the cap, as at the start (slow start); later a round of them does. */
  isStarting: boolean;
  successes: number;
  speed: Speed;
  /** Until when it is left alone, and how long the last such wait was. */
  until: number;
  wait: number;
}

/** How one recipient domain is to be treated at one provider. */
export interface DomainState {
  readonly speed: Speed;
  /** How many concurrent emails to it are allowed. */
  readonly cap: number;
  /** Until when it is left alone, on the monotonic clock; undefined when it is not. */
  readonly until: number | undefined;
}

/**
 * The pace of each recipient domain at one provider: more concurrency while it goes well (slow start), half when it says that we come too often
 * (421, 4.7.x), one at a time when it is slow.
 */
export class DomainPaces {
  readonly #paces: LRUCache<string, Pace>;
  /** How long the last hand-overs took, in milliseconds. */
  readonly #times: number[] = [];
  #next = 0;

  /** @param mostDomains how many are remembered; one that is not is treated as a new one */
  constructor(mostDomains: number) {
    this.#paces = new LRUCache({ maxSize: mostDomains, sizeCalculation: () => 1 });
  }

  state(domain: string, now: number, oldestSince: number | undefined): DomainState {
    const pace = this.#paces.get(domain);
    // What has been under way for long is slow before it ends.
    const isLingering = oldestSince !== undefined && now - oldestSince > SLOW && now - oldestSince > this.slowFrom();
    if (pace === undefined) return { speed: isLingering ? 'slow' : 'unknown', cap: isLingering ? 1 : FIRST_CAP, until: undefined };
    const speed = isLingering ? 'slow' : pace.speed;
    return { speed, cap: speed === 'slow' ? 1 : pace.cap, until: pace.until > now ? pace.until : undefined };
  }

  /** A hand-over is slow from here on, in milliseconds. A quarter of the last ones were faster than a quarter of this. */
  slowFrom(): number {
    if (this.#times.length === 0) return SLOW;
    const sorted = [...this.#times].sort((a, b) => a - b);
    return Math.max(SLOW, SLOW_FACTOR * (sorted[Math.floor(sorted.length / 4)] ?? 0));
  }

  /** A hand-over to the domain was answered after so many milliseconds. */
  answered(domain: string, tookMs: number): void {
    const isSlow = tookMs > this.slowFrom();
    this.#times[this.#next] = tookMs;
    this.#next = (this.#next + 1) % MOST_TIMES;
    const pace = this.#of(domain);
    pace.speed = isSlow ? 'slow' : 'quick';
    if (isSlow) this.#lower(pace, 1);
  }

  /** Nobody answered: a loss, or a wait that took too long. */
  silent(domain: string, tookMs: number): void {
    const pace = this.#of(domain);
    if (tookMs > SLOW) pace.speed = 'slow';
    this.#lower(pace, 1);
  }

  /** An email to the domain was accepted. */
  raise(domain: string, most: number): void {
    const pace = this.#of(domain);
    pace.wait = 0;
    if (pace.speed === 'slow') return;
    pace.successes += 1;
    if (!pace.isStarting && pace.successes < pace.cap) return;
    pace.successes = 0;
    pace.cap = Math.min(most, pace.cap + 1);
  }

  /** The domain says that we come too often. */
  slowDown(domain: string, now: number, askedMs: number | undefined): void {
    const pace = this.#of(domain);
    this.#lower(pace, Math.max(1, Math.floor(pace.cap / 2)));
    pace.wait = Math.min(LONGEST_SLOWDOWN, pace.wait === 0 ? FIRST_SLOWDOWN : pace.wait * 2);
    pace.until = Math.max(pace.until, now + Math.max(pace.wait, askedMs ?? 0));
  }

  #lower(pace: Pace, cap: number): void {
    pace.cap = cap;
    pace.isStarting = false;
    pace.successes = 0;
  }

  #of(domain: string): Pace {
    let pace = this.#paces.get(domain);
    if (pace === undefined) {
      pace = { cap: FIRST_CAP, isStarting: true, successes: 0, speed: 'unknown', until: 0, wait: 0 };
      this.#paces.set(domain, pace);
    }
    return pace;
  }
}
