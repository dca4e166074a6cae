import type { KnownEvent } from '../events/index.js';

/** Events that are read at once. */
const CHUNK = 400;
/** Events that are kept: enough for what is sent now, whatever the number of subscriptions. */
const KEPT = 4000;

/**
 * The newest events, read once for all subscriptions. Events never change, and come in order, so what was read can be kept; a subscription that is
 * further back reads on its own.
 */
export class RecentEvents {
  /** Without a gap, oldest first: all there are after `#from`, up to `#to`. */
  #events: KnownEvent[] = [];
  #from: number;
  #to: number;
  /** Whether there may be more than was read. */
  #isStale = true;

  /** @param start everything up to it is left to `read` */
  constructor(
    private readonly read: (after: number, limit: number) => KnownEvent[],
    start: number,
  ) {
    this.#from = start;
    this.#to = start;
  }

  /** There is something new. */
  readonly expect = (): void => {
    this.#isStale = true;
  };

  /** The events after a place, as many as are read at once. Less than that may be all or not; none is all there are. */
  after(seq: number): readonly KnownEvent[] {
    if (seq < this.#from) return this.read(seq, CHUNK);
    if (seq >= this.#to && this.#isStale) this.#readOn();
    return this.#events.slice(this.#placeAfter(seq)).slice(0, CHUNK);
  }

  #readOn(): void {
    const more = this.read(this.#to, CHUNK);
    this.#isStale = more.length === CHUNK;
    this.#events.push(...more);
    this.#to = this.#events.at(-1)?.seq ?? this.#to;
    const over = this.#events.length - KEPT;
    if (over <= 0) return;
    this.#from = this.#events[over - 1]?.seq ?? this.#from;
    this.#events = this.#events.slice(over);
  }

  /** Where the first event after a place stands (binary search). */
  #placeAfter(seq: number): number {
    let [low, high] = [0, this.#events.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((this.#events[middle]?.seq ?? 0) > seq) high = middle;
      else low = middle + 1;
    }
    return low;
  }
}
