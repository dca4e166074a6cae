import { bucketOf, countChanges, type Counted, type EventKind } from '@verbalis/core/events';
import type { Feed, BareEvent } from '../events/index.js';
import { StoreUnavailable, type Clock, type Reader, type StepResult, type WorkerGroup, newId } from '../../kernel/index.js';
import type { DeliveryToCount, FigureChange } from './queries.js';
import type { Store } from './store.js';

/** How far the figures have come in the events. */
const CURSOR = 'figures';
const CHUNK = 1000;
/** Facts that come within this time are counted together, in milliseconds. */
const TOGETHER_MS = 250;
/** Of the same kind that come together; the first is among the first. */
const MOST_TIMES = 50;
const HOUR = 3_600_000;
const GRAINS = { hour: HOUR, day: 24 * HOUR } as const;

const NAME = 'figures';

export interface FigureRollUp {
  readonly start: () => void;
  readonly stop: () => Promise<void>;
}

export interface FigureOptions {
  readonly store: Store;
  readonly workers: WorkerGroup;
  readonly clock: Clock;
  readonly feed: Feed;
}

/** What is needed to count a quarantined event again. */
interface HeldCount {
  readonly deliveryId: string | null;
}

/** What is written of a chunk of events, once it is counted. */
interface Count {
  readonly upTo: number;
  readonly more: boolean;
  readonly counted: readonly (readonly [deliveryId: string, as: Counted])[];
  readonly changes: readonly FigureChange[];
}

/** Deliveries that change in the same way: they are counted by one look, however many they are. */
interface Alike {
  readonly row: DeliveryToCount;
  readonly before: Counted | undefined;
  readonly after: Counted;
  n: number;
}

const hourOf = (at: number): number => at - (at % HOUR);

/** A delivery as what it is now. */
function countedNow(row: DeliveryToCount, before: Counted | undefined, events: readonly BareEvent[]): Counted {
  const first = (kind: EventKind): number | undefined => {
    const times = events.filter((event) => event.kind === kind).map((event) => event.at);
    return times.length === 0 ? undefined : bucketOf(Math.min(...times.slice(0, MOST_TIMES)) - row.createdAt);
  };
  // What machines do is not counted as the recipient's doing.
  const has = (kind: EventKind): boolean => events.some((event) => event.kind === kind && event.by !== 'machine');
  return {
    state: row.state,
    cause: row.cause ?? undefined,
    provider: row.provider ?? undefined,
    accepted: before?.accepted ?? first('accepted'),
    delivered: before?.delivered ?? first('delivered'),
    imageLoaded: before?.imageLoaded === true || has('image-loaded'),
    linkFollowed: before?.linkFollowed === true || has('link-followed'),
  };
}

/**
 * A delivery is counted as what it is now; what it was counted as before is taken back. So each change is counted once, in whatever chunk its
 * events come, and however many facts a delivery has.
 */
function countOf(store: Store, chunk: number): Count | undefined {
  const found = store.events.bareAfter(store.events.cursor(CURSOR), chunk);
  const last = found.at(-1);
  if (last === undefined) return undefined;
  const byDelivery = new Map<string, BareEvent[]>();
  for (const event of found) {
    if (event.deliveryId === null) continue;
    const list = byDelivery.get(event.deliveryId);
    if (list === undefined) byDelivery.set(event.deliveryId, [event]);
    else list.push(event);
  }
  return { upTo: last.seq, more: found.length === chunk, ...countDeliveries(store, byDelivery) };
}

/** What changes in the figures by deliveries as they are now. */
function countDeliveries(
  store: Store,
  byDelivery: ReadonlyMap<string, readonly BareEvent[]>,
  from?: Reader,
): Pick<Count, 'counted' | 'changes'> {
  const counted: [string, Counted][] = [];
  const groups = new Map<string, Alike>();
  for (const row of store.figures.toCount([...byDelivery.keys()], from)) {
    const before = row.before === null ? undefined : (JSON.parse(row.before) as Counted);
    const after = countedNow(row, before, byDelivery.get(row.id) ?? []);
    const now = JSON.stringify(after);
    if (now === row.before) continue;
    counted.push([row.id, after]);
    const key = [row.space, hourOf(row.createdAt), row.template, row.topic, row.domain, row.before, now].join('\0');
    const alike = groups.get(key);
    if (alike === undefined) groups.set(key, { row, before, after, n: 1 });
    else alike.n += 1;
  }
  const sums = new Map<string, FigureChange>();
  for (const { row, before, after, n } of groups.values())
    for (const change of countChanges(before, after, { ...row, topic: row.topic ?? undefined }))
      for (const grain of ['hour', 'day'] as const) {
        const at = row.createdAt - (row.createdAt % GRAINS[grain]);
        const key = [row.space, grain, change.dimension, at, change.value, change.measure].join('\0');
        sums.set(key, { ...change, space: row.space, grain, at, n: (sums.get(key)?.n ?? 0) + change.n * n });
      }
  return { counted, changes: [...sums.values()].filter((sum) => sum.n !== 0) };
}

/**
 * Counts what becomes known: the results of a chunk of events are one transaction, so that each is counted once whatever crashes. It reads before
 * it writes, so that others write meanwhile: nobody else moves the cursor, and a delivery that changes now has one more event.
 */
export function figureRollUp({ store, workers, clock, feed }: FigureOptions): FigureRollUp {
  async function step(): Promise<StepResult> {
    try {
      const made = countOf(store, CHUNK);
      if (made === undefined) return { did: 0 };
      await write(made);
      return { did: 1, ...(made.more ? { next: 'now' as const } : {}) };
    } catch (error) {
      if (error instanceof StoreUnavailable) throw error;
      return oneByOne();
    }
  }

  /** Something in a chunk cannot be counted: its events are counted one at a time, and the one that cannot be is quarantined. */
  async function oneByOne(): Promise<StepResult> {
    for (let i = 0; i < CHUNK; i += 1) {
      const [event] = store.events.bareAfter(store.events.cursor(CURSOR), 1);
      if (event === undefined) break;
      const key = String(event.seq);
      try {
        const made = countOf(store, 1);
        if (made !== undefined) await write(made);
        store.quarantine.succeeded(NAME, key);
      } catch (error) {
        const again = store.quarantine.failed(NAME, key, error);
        if (again !== undefined) return { did: i, next: again };
        const payload: HeldCount = { deliveryId: event.deliveryId };
        const item = { key, space: undefined, title: `Event ${key} that is not in the figures`, payload };
        await store.write((tx) => {
          store.quarantine.put(tx, { worker: NAME, item, error, id: newId('q', clock.now()) });
          store.events.setCursor(tx, CURSOR, event.seq);
        });
      }
    }
    return { did: 1, next: 'now' };
  }

  async function write(made: Count): Promise<void> {
    await store.write((tx) => {
      for (const [id, as] of made.counted) store.figures.setCounted(tx, id, as);
      for (const change of made.changes) store.figures.add(tx, change);
      store.events.setCursor(tx, CURSOR, made.upTo);
    });
  }

  const worker = workers.add({ name: NAME, step, gatherMs: TOGETHER_MS });
  store.quarantine.register(NAME, {
    // What a delivery is now is counted; its events need not be read again.
    retry: (tx, { payload }) => {
      const { deliveryId } = payload as HeldCount;
      if (deliveryId === null) return;
      const { counted, changes } = countDeliveries(store, new Map([[deliveryId, []]]), tx);
      for (const [id, as] of counted) store.figures.setCounted(tx, id, as);
      for (const change of changes) store.figures.add(tx, change);
    },
  });
  const stopFollowing = feed.onNew(worker.wake);
  return {
    start: worker.start,
    stop: async () => {
      stopFollowing();
      await worker.stop();
    },
  };
}
