import { countChanges, type CountedFact } from '@verbalis/core/events';
import type { Logger } from 'pino';
import type { Feed } from '../notify/index.js';
import type { FigureChange, Store } from '../store/index.js';

/** How far the figures have come in the events. */
const CURSOR = 'figures';
const CHUNK = 1000;
/** Facts that come within this time are counted together, in milliseconds. */
const TOGETHER_MS = 250;
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
    const numbers = found.flatMap((one) => one.factNumber ?? []);
    const [from, to] = [Math.min(...numbers), Math.max(...numbers)];
    const ids = [...new Set(found.flatMap((one) => one.deliveryId ?? []))];
    const { deliveries, facts } = store.figures.counted(ids);
    const byDelivery = new Map<string, (CountedFact & { n: number })[]>();
    for (const row of facts) {
      const { id, kind, source, at, cause, provider, n } = row;
      const fact = {
        id,
        kind,
        source,
        at,
        cause: cause ?? undefined,
        provider: provider ?? undefined,
        n,
        status: undefined,
        replyCode: undefined,
        diagnostic: undefined,
      };
      byDelivery.set(row.deliveryId, [...(byDelivery.get(row.deliveryId) ?? []), fact]);
    }
    const sums = new Map<string, FigureChange>();
    for (const delivery of deliveries) {
      const known = (byDelivery.get(delivery.id) ?? []).sort((a, b) => a.n - b.n);
      const changes = countChanges(
        known.filter((one) => one.n < from),
        known.filter((one) => one.n <= to),
        { ...delivery, topic: delivery.topic ?? undefined },
      );
      for (const change of changes)
        for (const grain of ['hour', 'day'] as const) {
          const at = delivery.createdAt - (delivery.createdAt % GRAINS[grain]);
          const key = [delivery.space, grain, change.dimension, at, change.value, change.measure].join('\0');
          sums.set(key, { ...change, space: delivery.space, grain, at, n: (sums.get(key)?.n ?? 0) + change.n });
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
