/**
 * Deliveries with the same fairness key are sent in order of time, and keys take turns: a burst of one topic delays that topic only, and
 * what is kept in the service never waits for a provider.
 */
export interface Fairness {
  /** Urgent keys come before all others. */
  readonly urgent: boolean;
  readonly space: string;
  /** Whether the space's rules keep these deliveries in the service. */
  readonly kept: boolean;
  readonly topic: string | undefined;
}

/** The key as it is stored; urgent keys sort first. */
export function fairnessKey({ urgent, space, kept, topic }: Fairness): string {
  return [urgent ? '0' : '1', space, kept ? 'kept' : '', topic ?? ''].join('/');
}

const read = new Map<string, Fairness>();
/** Keys are few; should they not be, none is remembered for long. */
const MOST_READ = 1000;

/** What a stored fairness key stands for. */
export function readFairnessKey(key: string): Fairness {
  let found = read.get(key);
  if (found === undefined) {
    if (read.size >= MOST_READ) read.clear();
    read.set(key, (found = fairnessOf(key)));
  }
  return found;
}

function fairnessOf(key: string): Fairness {
  const [urgent, space = '', kept, ...topic] = key.split('/');
  return {
    urgent: urgent === '0',
    space,
    kept: kept === 'kept',
    topic: topic.length === 0 || topic[0] === '' ? undefined : topic.join('/'),
  };
}

/** What one turn of a key came to. */
export interface Turn {
  /** Slots that were used. */
  readonly used: number;
  /** Whether the key has more than it was offered slots for. */
  readonly hasMore: boolean;
}

/**
 * Divides free slots among keys: each gets an equal part, and what one leaves goes to the others. Ends when the slots are used up, when no
 * key has more, or when a whole round used none.
 * @param slots how many are free
 * @param take offers a key at most so many slots
 * @returns how many slots were used
 */
export function takeInTurn(keys: readonly string[], slots: number, take: (key: string, most: number) => Turn): number {
  let left = slots;
  let waiting = keys;
  while (left > 0 && waiting.length > 0) {
    const part = Math.max(1, Math.floor(left / waiting.length));
    const before = left;
    waiting = waiting.filter((key) => {
      if (left <= 0) return false;
      const { used, hasMore } = take(key, Math.min(part, left));
      left -= used;
      return hasMore;
    });
    if (left === before) break;
  }
  return slots - left;
}
