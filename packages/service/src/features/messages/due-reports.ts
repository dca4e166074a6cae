import type { Tx } from '../../kernel/index.js';

/** Reports what becomes due to the code that orders it: the fairness key, and from when. */
export interface DueReports {
  /** @returns a function that ends it */
  readonly listen: (listener: (fairnessKey: string, at: number) => void) => () => void;
  /** A delivery waits until a date; reported once the transaction is on the disk. */
  readonly report: (tx: Tx, fairnessKey: string, at: number | null) => void;
}

export function dueReports(): DueReports {
  const listeners = new Set<(fairnessKey: string, at: number) => void>();
  return {
    listen: (listener) => {
      listeners.add(listener);
      return () => {
        listeners.delete(listener);
      };
    },
    report(tx, fairnessKey, at) {
      if (at === null || listeners.size === 0) return;
      tx.afterCommit(() => {
        for (const listener of listeners) listener(fairnessKey, at);
      });
    },
  };
}
