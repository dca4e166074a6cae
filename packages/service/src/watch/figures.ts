import { bucketOf, countChanges, type Counted, type EventKind } from '@verbalis/core/events';
import type { Logger } from 'pino';
import type { Feed } from '../notify/index.js';
import type { BareEvent, DeliveryToCount, FigureChange, Store } from '../store/index.js';

/** How far the figures have come in the events. */
const CURSOR = 'figures';
const CHUNK = 1000;
/** Facts that come within this time are counted together, in milliseconds. */
const TOGETHER_MS = 250;
/** Of the same kind that come together; the first is among the first. */
const MOST_TIMES = 50;
/** Before what could not be counted is tried again, in milliseconds. */
const AGAIN_MS = 5000;
const HOUR = 3_600_000;
const GRAINS = { hour: HOUR, day: 24 * HOUR } as const;

export interface FigureKeeper {
  readonly stop: () => void;
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
    const times = events.filter((one) => one.kind === kind).map((one) => one.at);
    return times.length === 0 ? undefined : bucketOf(Math.min(...times.slice(0, MOST_TIMES)) - row.createdAt);
  };
  const has = (kind: EventKind): boolean => events.some((one) => one.kind === kind);
  return {
    state: row.state,
    cause: row.cause ?? undefined,
    provider: row.provider ?? undefined,
    accepted: before?.accepted ?? first('accepted'),
    delivered: before?.delivered ?? first('delivered'),
    opened: before?.opened === true || has('opened'),
    clicked: before?.clicked === true || has('clicked'),
  };
}

/**
 * A delivery is counted as what it is now; what it was counted as before is taken back. So each change is counted once, in whatever chunk its
 * events come, and however many facts a delivery has.
 */
function countOf(store: Store): Count | undefined {
  const found = store.events.bareAfter(store.events.cursor(CURSOR), CHUNK);
  const last = found.at(-1);
  if (last === undefined) return undefined;
  const byDelivery = new Map<string, BareEvent[]>();
  for (const event of found) {
    if (event.deliveryId === null) continue;
    const list = byDelivery.get(event.deliveryId);
    if (list === undefined) byDelivery.set(event.deliveryId, [event]);
    else list.push(event);
  }
  const counted: [string, Counted][] = [];
  const groups = new Map<string, Alike>();
  for (const row of store.figures.toCount([...byDelivery.keys()])) {
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
  return { upTo: last.seq, more: found.length === CHUNK, counted, changes: [...sums.values()].filter((one) => one.n !== 0) };
}

/** Counts what becomes known: what comes of a chunk of events is one transaction, so that each is counted once whatever crashes. */
export function figureKeeper({ store, log, feed }: { readonly store: Store; readonly log: Logger; readonly feed: Feed }): FigureKeeper {
  let timer: NodeJS.Timeout | undefined;
  let running = true;
  let counting = false;
  /** Something became known while we were counting. */
  let missed = false;

  /**
   * Reads before it writes, so that others write meanwhile: nobody else moves the cursor, and a delivery that changes now has one more event.
   * @returns whether there may be more
   */
  async function count(): Promise<boolean> {
    const made = countOf(store);
    if (made === undefined) return false;
    await store.group.write(() => {
      for (const [id, as] of made.counted) store.figures.setCounted(id, as);
      for (const change of made.changes) store.figures.add(change);
      store.events.setCursor(CURSOR, made.upTo);
    });
    return made.more;
  }

  const lookIn = (ms: number): void => {
    if (!running || counting) return;
    missed = false;
    timer ??= setTimeout(() => void look(), ms);
  };
  const look = async (): Promise<void> => {
    timer = undefined;
    counting = true;
    let wait: number | undefined;
    try {
      wait = (await count()) ? 0 : missed ? TOGETHER_MS : undefined;
    } catch (error) {
      log.error({ err: error }, 'figures could not be counted; tried again');
      wait = AGAIN_MS;
    }
    counting = false;
    if (wait !== undefined) lookIn(wait);
  };
  const stopFollowing = feed.onNew(() => {
    missed = counting;
    lookIn(TOGETHER_MS);
  });
  lookIn(0);
  return {
    stop: () => {
      running = false;
      stopFollowing();
      clearTimeout(timer);
      timer = undefined;
    },
  };
}
