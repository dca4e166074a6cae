/** The date jumped: a machine slept, or its clock was set. In milliseconds since the epoch. */
export interface ClockJump {
  /** The date as it would have been. */
  readonly from: number;
  readonly to: number;
}

/** Time, as the service's loops see it; a test brings one that it moves itself. */
export interface Clock {
  /** Wall clock: milliseconds since the epoch. For dates only; it may jump. */
  readonly now: () => number;
  /** Monotonic clock: milliseconds since some moment; for durations. It never jumps. */
  readonly elapsed: () => number;
  /** Calls back at or after a date. @returns a function that cancels it */
  readonly at: (at: number, callback: () => void) => () => void;
  /** Calls back after a duration in milliseconds, whatever happens to the date. @returns a function that cancels it */
  readonly after: (ms: number, callback: () => void) => () => void;
  /** Calls back when the date has jumped. @returns a function that ends it */
  readonly onJump: (callback: (jump: ClockJump) => void) => () => void;
}

/** How often the date is compared with the monotonic clock. A date that moves by less at once is being corrected. In milliseconds. */
const LOOK_MS = 1000;
const LEAST_JUMP_MS = 2000;
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
  elapsed: () => performance.now(),
  at: (at, callback) => timer(Math.min(LONGEST, Math.max(0, at - Date.now())), callback),
  // setTimeout measures by the monotonic clock.
  after: timer,
  onJump(callback) {
    let offset = Date.now() - performance.now();
    const handle = setInterval(() => {
      const now = Date.now();
      const by = now - performance.now() - offset;
      if (Math.abs(by) < LEAST_JUMP_MS) return;
      offset += by;
      callback({ from: now - by, to: now });
    }, LOOK_MS);
    handle.unref();
    return () => {
      clearInterval(handle);
    };
  },
};
