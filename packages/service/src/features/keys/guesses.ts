import { boundedCache, sourceOf } from '../../kernel/index.js';

const MOST_KNOWN = 50_000;
/** Wrong tries that cost nothing; each one more doubles the wait, up to the longest. */
const FREE = 5;
const [FIRST_MS, LONGEST_MS] = [1000, 15 * 60_000];
/** An address that tried nothing wrong for so long is a new one, in milliseconds. */
const FORGET_MS = 3_600_000;

/**
 * Wrong secrets by the address that they come from: each after the first few makes that address wait longer, and nobody else. Times are of the
 * monotonic clock, in milliseconds.
 */
export class Guesses {
  readonly #known = boundedCache<string, { count: number; at: number; until: number }>(MOST_KNOWN);

  /** How long an address still has to wait; 0 when it may try. */
  waitMs(address: string, now: number): number {
    return Math.max(0, (this.#known.get(sourceOf(address))?.until ?? 0) - now);
  }

  /** It tried something wrong. */
  wrong(address: string, now: number): void {
    const source = sourceOf(address);
    const known = this.#known.get(source);
    const count = known === undefined || now - known.at > FORGET_MS ? 1 : known.count + 1;
    const wait = count <= FREE ? 0 : Math.min(LONGEST_MS, FIRST_MS * 2 ** (count - FREE - 1));
    this.#known.set(source, { count, at: now, until: now + wait });
  }

  /** It tried something right. */
  right(address: string): void {
    this.#known.delete(sourceOf(address));
  }
}
