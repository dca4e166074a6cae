import type { LRUCache } from 'lru-cache';
import { sourceOf } from '../../kernel/networks.js';
import { boundedCache } from '../../kernel/cache.js';

/** The limits of one listener. */
export interface ListenerLimits {
  /** Concurrent connections. */
  readonly connections: number;
  /** Concurrent connections from one address. */
  readonly perAddress: number;
  /** How often one address may connect in a minute. */
  readonly perMinute: number;
}

const MOST_KNOWN = 50_000;
const MINUTE_MS = 60_000;
/** Wrong logins of an address are remembered for so long, in milliseconds. */
const WRONG_MS = 10 * MINUTE_MS;
/** Wrong logins after which each further one ends its connection. */
const MOST_WRONG = 5;

/** What is known of the addresses that connect. Times are of the monotonic clock, in milliseconds. */
export class Visitors {
  readonly #now = new Map<string, number>();
  readonly #visits = boundedCache<string, { from: number; count: number }>(MOST_KNOWN);
  readonly #wrong = boundedCache<string, { from: number; count: number }>(MOST_KNOWN);
  #connections = 0;

  constructor(private readonly limits: ListenerLimits) {}

  /** Someone connects. @returns why not, in a sentence without a full stop; undefined when they may, and then they must `leave` */
  enter(from: string, now: number): string | undefined {
    const address = sourceOf(from);
    const own = this.#now.get(address) ?? 0;
    if (this.#connections >= this.limits.connections) return 'Too many connections, come back later';
    if (own >= this.limits.perAddress) return 'Too many concurrent connections from you';
    if (counted(this.#visits, { address, now, forMs: MINUTE_MS }) > this.limits.perMinute)
      return 'Too many connections from you, come back later';
    this.#connections += 1;
    this.#now.set(address, own + 1);
    return undefined;
  }

  leave(from: string): void {
    const address = sourceOf(from);
    const left = (this.#now.get(address) ?? 1) - 1;
    this.#connections -= 1;
    if (left > 0) this.#now.set(address, left);
    else this.#now.delete(address);
  }

  /**
   * A login was wrong. @returns whether the connection ends. A right login is always taken: behind one address there may be many apps, and a key
   * cannot be guessed, however often.
   */
  wrongLogin(from: string, now: number): boolean {
    return counted(this.#wrong, { address: sourceOf(from), now, forMs: WRONG_MS }) >= MOST_WRONG;
  }
}

function counted(
  counts: LRUCache<string, { from: number; count: number }>,
  { address, now, forMs }: { readonly address: string; readonly now: number; readonly forMs: number },
): number {
  const known = counts.get(address);
  const count = known === undefined || now - known.from > forMs ? { from: now, count: 0 } : known;
  count.count += 1;
  counts.set(address, count);
  return count.count;
}
