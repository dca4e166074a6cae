import { deciding, stateOf, type Fact } from '../delivery/index.js';
import { bucketOf } from './span.js';

/** A fact with the provider of its attempt, where it is of one. */
export interface CountedFact extends Fact {
  readonly provider: string | undefined;
}

/** Where a delivery is counted. */
export interface CountedDelivery {
  /** Milliseconds since the epoch. */
  readonly createdAt: number;
  readonly template: string;
  readonly topic: string | undefined;
  readonly domain: string;
}

/** A change of one count: `n` is added to it. */
export interface CountChange {
  readonly dimension: 'all' | 'template' | 'topic' | 'provider' | 'domain' | 'cause';
  readonly value: string;
  readonly measure: string;
  readonly n: number;
}

const BAD: ReadonlySet<string> = new Set(['failed', 'delayed', 'withheld', 'expired', 'complained']);

/** Everything that is counted of a delivery with these facts. */
function countsOf(facts: readonly CountedFact[], { createdAt, template, topic, domain }: CountedDelivery): CountChange[] {
  if (facts.length === 0) return [];
  const state = stateOf(facts);
  const cause = deciding(facts)?.cause;
  const provider = facts.findLast((one) => one.provider !== undefined)?.provider;
  const firstAt = (kind: Fact['kind']): number | undefined => {
    const times = facts.filter((one) => one.kind === kind).map((one) => one.at);
    return times.length === 0 ? undefined : Math.min(...times);
  };
  const measures = [state as string];
  for (const kind of ['accepted', 'delivered'] as const) {
    const at = firstAt(kind);
    if (at !== undefined) measures.push(`to-${kind}:${bucketOf(at - createdAt)}`);
  }
  for (const kind of ['opened', 'clicked'] as const) if (firstAt(kind) !== undefined) measures.push(kind);
  const places: (readonly [CountChange['dimension'], string])[] = [
    ['all', ''],
    ['template', template],
    ['topic', topic ?? ''],
    ['domain', domain],
  ];
  if (provider !== undefined) places.push(['provider', provider]);
  const out = places.flatMap(([dimension, value]) => measures.map((measure) => ({ dimension, value, measure, n: 1 })));
  if (cause !== undefined && BAD.has(state)) out.push({ dimension: 'cause', value: cause, measure: state, n: 1 });
  return out;
}

/**
 * What changes in the counts when a delivery that had some facts has more of them. Counts are by when the delivery was asked for, so what
 * comes late corrects them; facts that are known twice change nothing.
 * @param before facts in the order in which they became known
 * @param after the same, and those that are new
 */
export function countChanges(before: readonly CountedFact[], after: readonly CountedFact[], delivery: CountedDelivery): CountChange[] {
  const sums = new Map<string, CountChange>();
  const add = (change: CountChange, sign: number): void => {
    const key = `${change.dimension}\0${change.value}\0${change.measure}`;
    sums.set(key, { ...change, n: (sums.get(key)?.n ?? 0) + sign });
  };
  for (const one of countsOf(before, delivery)) add(one, -1);
  for (const one of countsOf(after, delivery)) add(one, 1);
  return [...sums.values()].filter((one) => one.n !== 0);
}
