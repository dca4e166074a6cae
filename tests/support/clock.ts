import type { Clock } from '@verbalis/service';

/** A clock that stands still until it is moved; waits that fall into the move come due in order. */
export interface MovableClock extends Clock {
  readonly move: (ms: number) => Promise<void>;
  /** Sets the date, forward or back, as an operator or a time server does; no time passes. The service may not have noticed it yet. */
  readonly jump: (ms: number, options?: { readonly isNoticed?: boolean }) => void;
  /** Whether the service is at work; set once there is one to ask. */
  busy: () => boolean;
}

export function movableClock(start: number): MovableClock {
  let now = start;
  let elapsed = 0;
  const jumped = new Set<(jump: { readonly from: number; readonly to: number }) => void>();
  /** Timers run by the monotonic clock, as those of the system do. */
  const timers = new Set<{ at: number; run: () => void }>();
  return {
    now: () => now,
    elapsed: () => elapsed,
    onJump: (callback) => {
      jumped.add(callback);
      return () => jumped.delete(callback);
    },
    jump(ms, { isNoticed = true } = {}) {
      const from = now;
      now += ms;
      if (!isNoticed) return;
      for (const callback of jumped) callback({ from, to: now });
    },
    busy: () => false,
    at(at, run) {
      return this.after(Math.max(0, at - now), run);
    },
    after(ms, run) {
      const timer = { at: elapsed + ms, run };
      timers.add(timer);
      return () => timers.delete(timer);
    },
    async move(ms) {
      const end = elapsed + ms;
      for (;;) {
        // What the service does at once after a wake-up is done before time goes on.
        for (let i = 0; i < 4 || this.busy(); i += 1) await new Promise((done) => setTimeout(done, 2));
        const [next] = [...timers].filter((timer) => timer.at <= end).sort((a, b) => a.at - b.at);
        if (next === undefined) break;
        timers.delete(next);
        now += Math.max(0, next.at - elapsed);
        elapsed = Math.max(elapsed, next.at);
        next.run();
      }
      now += end - elapsed;
      elapsed = end;
    },
  };
}
