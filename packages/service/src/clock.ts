/** Time, as the loops of the service see it; a test brings one that it moves itself. */
export interface Clock {
  /** Milliseconds since the epoch. */
  readonly now: () => number;
  /** Calls back at or after `at`; gives a function that calls it off. */
  readonly at: (at: number, callback: () => void) => () => void;
}

/** Longest single timer; a longer wait is looked at again when it ends. */
const LONGEST = 60_000;

export const SYSTEM_CLOCK: Clock = {
  now: () => Date.now(),
  at: (at, callback) => {
    const timer = setTimeout(callback, Math.min(LONGEST, Math.max(0, at - Date.now())));
    return () => {
      clearTimeout(timer);
    };
  },
};
