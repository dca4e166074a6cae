import type { Store } from './store.js';

/** Tells those who follow the events that there are new ones; they read them from where they stand. */
export interface Feed {
  /** Is called after something has become known. @returns a function that ends it */
  readonly onNew: (listener: () => void) => () => void;
  /** Something was written that is not a fact of a delivery. */
  readonly reported: () => void;
}

export function eventFeed(store: Store): Feed {
  const listeners = new Set<() => void>();
  let isScheduled = false;
  // Facts come one by one; those who follow look once for all that a group has written.
  const reported = (): void => {
    if (isScheduled) return;
    isScheduled = true;
    setImmediate(() => {
      isScheduled = false;
      for (const listener of [...listeners]) listener();
    });
  };
  store.deliveries.onRecorded('feed', (tx) => {
    tx.afterCommit(reported);
  });
  return {
    onNew: (listener) => {
      listeners.add(listener);
      return () => {
        listeners.delete(listener);
      };
    },
    reported,
  };
}
