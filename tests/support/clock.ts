import type { Clock } from '@verbalis/service';

/** A clock that stands still until it is moved; waits that fall into the move come due in order. */
export interface MovableClock extends Clock {
  readonly move: (ms: number) => Promise<void>;
  /** Sets the date, forward or back, as an operator or a time server does; no time passes. The service may not have noticed it yet. */
  readonly jump: (ms: number, options?: { readonly isNoticed?: boolean }) => void;
  /** Whether the service is at work; set once there is one to ask. */
  busy: () => boolean;
}

/** Turns of the event loop in which a wake-up begins what it does: from then on the service is busy. */
const TURNS = 8;

/** Waits at least so long end on the grid, where there is one. */
const COARSE_MS = 20_000;

/** @param grid in milliseconds: waits that are not short end together on it, so that days pass in seconds */
export function movableClock(start: number, { grid = 1 }: { readonly grid?: number } = {}): MovableClock {
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
      const due = elapsed + ms;
      const timer = { at: ms < COARSE_MS ? due : Math.ceil(due / grid) * grid, run };
      timers.add(timer);
      return () => timers.delete(timer);
    },
    async move(ms) {
      const end = elapsed + ms;
      for (;;) {
        // What the service does at once after a wake-up is done before time goes on.
        for (let i = 0; i < TURNS; i += 1) await new Promise((done) => setImmediate(done));
        while (this.busy()) await new Promise((done) => setTimeout(done, 1));
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
