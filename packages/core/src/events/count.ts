import { STATE_TABLE, type Cause, type State } from '../delivery/index.js';

/** What of a delivery is counted, as it is known at a time. */
export interface Counted {
  readonly state: State;
  readonly cause?: Cause | undefined;
  /** That of its last attempt. */
  readonly provider?: string | undefined;
  /** Buckets of the spans until it was first accepted and first delivered. */
  readonly accepted?: number | undefined;
  readonly delivered?: number | undefined;
  readonly imageLoaded?: boolean | undefined;
  readonly linkFollowed?: boolean | undefined;
}

/** Where a delivery is counted. */
export interface CountedDelivery {
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

/** Everything that is counted of a delivery. */
function countsOf({ state, cause, provider, ...rest }: Counted, { template, topic, domain }: CountedDelivery): CountChange[] {
  const measures: string[] = [state];
  for (const kind of ['accepted', 'delivered'] as const) if (rest[kind] !== undefined) measures.push(`to-${kind}:${rest[kind]}`);
  if (rest.imageLoaded === true) measures.push('image-loaded');
  if (rest.linkFollowed === true) measures.push('link-followed');
  const places: (readonly [CountChange['dimension'], string])[] = [
    ['all', ''],
    ['template', template],
    ['topic', topic ?? ''],
    ['domain', domain],
  ];
  if (provider !== undefined) places.push(['provider', provider]);
  const out = places.flatMap(([dimension, value]) => measures.map((measure): CountChange => ({ dimension, value, measure, n: 1 })));
  if (cause !== undefined && STATE_TABLE[state].isTrouble) out.push({ dimension: 'cause', value: cause, measure: state, n: 1 });
  return out;
}

/**
 * What changes in the counts when a delivery that was counted as one thing is another now. Counts are by when the delivery was created, so
 * what comes late corrects them, and what is known twice changes nothing.
 */
export function countChanges(before: Counted | undefined, after: Counted, delivery: CountedDelivery): CountChange[] {
  const sums = new Map<string, CountChange>();
  const add = (change: CountChange, sign: number): void => {
    const key = `${change.dimension}\0${change.value}\0${change.measure}`;
    sums.set(key, { ...change, n: (sums.get(key)?.n ?? 0) + sign });
  };
  if (before !== undefined) for (const countChange of countsOf(before, delivery)) add(countChange, -1);
  for (const countChange of countsOf(after, delivery)) add(countChange, 1);
  return [...sums.values()].filter((sum) => sum.n !== 0);
}
