import type { Store } from '../store/index.js';

/** Tells those who follow the events that there are new ones; they read them from where they stand. */
export interface Feed {
  /** Is called after something has become known. @returns a function that ends it */
  readonly onNew: (listener: () => void) => () => void;
  /** Something was written that is no fact of a delivery. */
  readonly told: () => void;
  readonly stop: () => void;
}

/**
 * @param lookMs how often to look for what other processes have written, in milliseconds; 0 where there are none
 */
export function eventFeed(store: Store, lookMs: number): Feed {
  const listeners = new Set<() => void>();
  let scheduled = false;
  const tell = (): void => {
    for (const listener of [...listeners]) listener();
  };
  // Facts come one by one within transactions; those who follow look once they are written.
  const told = (): void => {
    if (scheduled) return;
    scheduled = true;
    setImmediate(() => {
      scheduled = false;
      tell();
    });
  };
  store.deliveries.onRecorded(told);
  let seen = lookMs === 0 ? 0 : store.events.last();
  const timer =
    lookMs === 0
      ? undefined
      : setInterval(() => {
          const last = store.events.last();
          if (last === seen) return;
          seen = last;
          tell();
        }, lookMs).unref();
  return {
    onNew: (listener) => {
      listeners.add(listener);
      return () => {
        listeners.delete(listener);
      };
    },
    told,
    stop: () => {
      clearInterval(timer);
    },
  };
}
