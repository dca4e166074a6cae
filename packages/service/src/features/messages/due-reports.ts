import type { Tx } from '../../kernel/index.js';

/** Reports what becomes due, to whoever keeps an order of it: the fairness key, and from when. */
export interface DueReports {
  readonly listen: (listener: (fairnessKey: string, at: number) => void) => void;
  /** A delivery waits until a date; reported once the transaction is on the disk. */
  readonly report: (tx: Tx, fairnessKey: string, at: number | null) => void;
}

export function dueReports(): DueReports {
  const listeners: ((fairnessKey: string, at: number) => void)[] = [];
  return {
    listen: (listener) => {
      listeners.push(listener);
    },
    report(tx, fairnessKey, at) {
      if (at === null || listeners.length === 0) return;
      tx.afterCommit(() => {
        for (const listener of listeners) listener(fairnessKey, at);
      });
    },
  };
}
