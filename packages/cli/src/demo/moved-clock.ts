import type { Clock } from '@verbalis/service';

const SECOND = 1000;
const MINUTE = 60 * SECOND;
const HOUR = 60 * MINUTE;
/**
 * Waits of the service end together, too: what it does every half minute is done every ten, and what it removes every quarter of an hour every three
 * hours. Most of what a quiet service does is to look whether there is something to do.
 */
const GRIDS = [
  { upTo: 900, grid: 1 },
  { upTo: 20 * SECOND, grid: 30 * SECOND },
  { upTo: 12 * MINUTE, grid: 10 * MINUTE },
  { upTo: 16 * MINUTE, grid: 3 * HOUR },
  { upTo: Infinity, grid: 30 * MINUTE },
] as const;
const LONGEST = GRIDS[4];

/**
 * Time that moves on when all that is due has been done: days pass in seconds.
 * `busy` is to be set: whether something outside of timers is still under way.
 * @param start milliseconds since the epoch
 */
export function movedClock(start: number) {
  let now = start;
  let n = 0;
  const timers: { at: number; n: number; run: () => void }[] = [];
  return {
    busy: (): boolean => false,
    now: () => now,
    elapsed: () => now,
    onJump: () => () => undefined,
    at(at: number, run: () => void) {
      const timer = { at: Math.max(at, now), n: (n += 1), run };
      timers.push(timer);
      return () => {
        const i = timers.indexOf(timer);
        if (i !== -1) timers.splice(i, 1);
      };
    },
    after(ms: number, run: () => void) {
      return this.at(now + ms, run);
    },
    /** The clock of the service: its waits end on the grid. */
    coarse(): Clock {
      const at = (due: number, run: () => void): (() => void) => {
        const { grid } = GRIDS.find(({ upTo }) => due - now < upTo) ?? LONGEST;
        return this.at(Math.ceil(due / grid) * grid, run);
      };
      return { now: this.now, elapsed: this.elapsed, onJump: this.onJump, at, after: (ms, run) => at(now + ms, run) };
    },
    async moveTo(end: number): Promise<void> {
      for (;;) {
        for (let i = 0; i < 3; i += 1) await new Promise((done) => setImmediate(done));
        while (this.busy()) await new Promise((done) => setImmediate(done));
        let next = timers[0];
        for (const timer of timers)
          if (next !== undefined && (timer.at < next.at || (timer.at === next.at && timer.n < next.n))) next = timer;
        if (next === undefined || next.at > end) break;
        timers.splice(timers.indexOf(next), 1);
        now = next.at;
        next.run();
      }
      now = end;
    },
  } satisfies Clock & { busy: () => boolean; coarse: () => Clock; moveTo: (end: number) => Promise<void> };
}
