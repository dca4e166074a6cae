import type { Clock } from '@verbalis/service';

/** A clock that stands still until it is moved; waits that fall into the move come due in order. */
export interface MovableClock extends Clock {
  readonly move: (ms: number) => Promise<void>;
  /** Whether the service is at work; set once there is one to ask. */
  busy: () => boolean;
}

export function movableClock(start: number): MovableClock {
  let now = start;
  const timers = new Set<{ at: number; run: () => void }>();
  return {
    now: () => now,
    busy: () => false,
    at: (at, run) => {
      const timer = { at, run };
      timers.add(timer);
      return () => timers.delete(timer);
    },
    after(ms, run) {
      return this.at(now + ms, run);
    },
    async move(ms) {
      const end = now + ms;
      for (;;) {
        // What the service does at once after a wake-up is done before time goes on.
        for (let i = 0; i < 4 || this.busy(); i += 1) await new Promise((done) => setTimeout(done, 2));
        const [next] = [...timers].filter((timer) => timer.at <= end).sort((a, b) => a.at - b.at);
        if (next === undefined) break;
        timers.delete(next);
        now = Math.max(now, next.at);
        next.run();
      }
      now = end;
    },
  };
}
