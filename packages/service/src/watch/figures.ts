import { bucketOf, countChanges, type Counted, type EventKind } from '@verbalis/core/events';
import type { Logger } from 'pino';
import type { Feed } from '../notify/index.js';
import type { FigureChange, KnownEvent, Store } from '../store/index.js';

/** How far the figures have come in the events. */
const CURSOR = 'figures';
const CHUNK = 1000;
/** Facts that come within this time are counted together, in milliseconds. */
const TOGETHER_MS = 250;
/** Of the same kind that come together; the first is among the first. */
const MOST_TIMES = 50;
const HOUR = 3_600_000;
const GRAINS = { hour: HOUR, day: 24 * HOUR } as const;

export interface FigureKeeper {
  readonly stop: () => void;
}

/** Counts what becomes known: each chunk of events with its counts in one transaction, so that each is counted once whatever crashes. */
export function figureKeeper({ store, log, feed }: { readonly store: Store; readonly log: Logger; readonly feed: Feed }): FigureKeeper {
  let timer: NodeJS.Timeout | undefined;
  let running = true;

  /** @returns whether there may be more */
  function count(): boolean {
    const found = store.events.after(store.events.cursor(CURSOR), CHUNK);
    const last = found.at(-1);
    if (last === undefined) return false;
    // A delivery is counted as what it is now; what it was counted as before is taken back. So each change is counted once, in whatever
    // chunk its events come, and however many facts a delivery has.
    const byDelivery = new Map<string, KnownEvent[]>();
    for (const event of found) {
      if (event.deliveryId === undefined) continue;
      const list = byDelivery.get(event.deliveryId);
      if (list === undefined) byDelivery.set(event.deliveryId, [event]);
      else list.push(event);
    }
    const sums = new Map<string, FigureChange>();
    for (const row of store.figures.toCount([...byDelivery.keys()])) {
      const events = byDelivery.get(row.id) ?? [];
      const first = (kind: EventKind): number | undefined => {
        const times = events.filter((one) => one.kind === kind).map((one) => one.at);
        return times.length === 0 ? undefined : bucketOf(Math.min(...times.slice(0, MOST_TIMES)) - row.createdAt);
      };
      const has = (kind: EventKind): boolean => events.some((one) => one.kind === kind);
      const before = row.before ?? undefined;
      const after: Counted = {
        state: row.state,
        cause: row.cause ?? undefined,
        provider: row.provider ?? undefined,
        accepted: before?.accepted ?? first('accepted'),
        delivered: before?.delivered ?? first('delivered'),
        opened: before?.opened === true || has('opened'),
        clicked: before?.clicked === true || has('clicked'),
      };
      const changes = countChanges(before, after, { ...row, topic: row.topic ?? undefined });
      if (changes.length > 0) store.figures.setCounted(row.id, after);
      for (const change of changes)
        for (const grain of ['hour', 'day'] as const) {
          const at = row.createdAt - (row.createdAt % GRAINS[grain]);
          const key = [row.space, grain, change.dimension, at, change.value, change.measure].join('\0');
          sums.set(key, { ...change, space: row.space, grain, at, n: (sums.get(key)?.n ?? 0) + change.n });
        }
    }
    for (const change of sums.values()) if (change.n !== 0) store.figures.add(change);
    store.events.setCursor(CURSOR, last.seq);
    return found.length === CHUNK;
  }

  const look = (): void => {
    timer = undefined;
    store.group
      .write(count)
      .then((more) => {
        if (more && running) timer ??= setTimeout(look, 0);
      })
      .catch((error: unknown) => {
        log.error({ err: error }, 'figures could not be counted; tried again');
        if (running) timer ??= setTimeout(look, 5000);
      });
  };
  const stopFollowing = feed.onNew(() => {
    if (running) timer ??= setTimeout(look, TOGETHER_MS);
  });
  timer = setTimeout(look, 0);
  return {
    stop: () => {
      running = false;
      stopFollowing();
      clearTimeout(timer);
      timer = undefined;
    },
  };
}
