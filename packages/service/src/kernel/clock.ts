/** Time, as the service's loops see it; a test brings one that it moves itself. */
export interface Clock {
  /** Wall clock: milliseconds since the epoch. For dates only; it may jump. */
  readonly now: () => number;
  /** Calls back at or after a date. @returns a function that cancels it */
  readonly at: (at: number, callback: () => void) => () => void;
  /** Calls back after a duration in milliseconds, whatever happens to the date. @returns a function that cancels it */
  readonly after: (ms: number, callback: () => void) => () => void;
}

/** Longest single timer; a longer wait is looked at again when it ends, so that a clock jump delays nothing for longer. */
const LONGEST = 60_000;

function timer(ms: number, callback: () => void): () => void {
  const handle = setTimeout(callback, ms);
  return () => {
    clearTimeout(handle);
  };
}

export const SYSTEM_CLOCK: Clock = {
  now: () => Date.now(),
  at: (at, callback) => timer(Math.min(LONGEST, Math.max(0, at - Date.now())), callback),
  // setTimeout measures by the monotonic clock.
  after: timer,
};
