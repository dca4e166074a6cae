import type { Logger } from 'pino';
import type { Clock } from './clock.js';

/** What a step of a worker did, and what comes next. */
export interface StepResult {
  /** How many items it got further with. A worker that asks to go on without getting anywhere is slowed down. */
  readonly did: number;
  /** When to step again: at once, or at a date; undefined to wait until it is woken. */
  readonly next?: 'now' | number | undefined;
}

export interface WorkerOptions {
  /** As people read it: "callbacks". */
  readonly name: string;
  readonly clock: Clock;
  readonly log: Logger;
  /** One bounded piece of work. What it throws is logged, and it is called again after a back-off. */
  readonly step: () => StepResult | Promise<StepResult>;
  /** Wake-ups within this time are one, in milliseconds. */
  readonly gatherMs?: number;
}

export interface WorkerHealth {
  readonly name: string;
  readonly state: 'stopped' | 'idle' | 'working' | 'backing-off';
  /** Steps in a row that failed. */
  readonly failures: number;
  /** Why the last step failed; undefined when it did not. */
  readonly problem: string | undefined;
}

export interface Worker {
  readonly start: () => void;
  /** Something may be due. It does not shorten a back-off. */
  readonly wake: () => void;
  /** Begins no more steps and waits for the one under way, but not longer than `drainMs`. */
  readonly stop: (drainMs?: number) => Promise<void>;
  /** Whether a step runs or is about to; what waits for a time does not count. */
  readonly busy: () => boolean;
  readonly health: () => WorkerHealth;
}

const FIRST_BACK_OFF_MS = 500;
const LONGEST_BACK_OFF_MS = 60_000;
/** The pause after a step that wants to go on but got nowhere: first and longest, in milliseconds. */
const [FIRST_PAUSE_MS, LONGEST_PAUSE_MS] = [5, 1000];
const DRAIN_MS = 30_000;

/**
 * The one supervised loop that all background work runs in: it never ends (a step that throws is tried again after a back-off
 * that grows to a minute), never spins (a step that gets nowhere is followed by a pause), never runs twice at once, and always stops.
 */
export function worker({ name, clock, log, step, gatherMs = 0 }: WorkerOptions): Worker {
  let running = false;
  let underWay: Promise<void> | undefined;
  let scheduled: NodeJS.Immediate | undefined;
  let cancelTimer: (() => void) | undefined;
  let gathering = false;
  let backingOff = false;
  /** Someone called while a step ran. */
  let missed = false;
  let failures = 0;
  let idle = 0;
  let problem: string | undefined;

  const cancel = (): void => {
    cancelTimer?.();
    cancelTimer = undefined;
  };
  const after = (ms: number): void => {
    cancel();
    cancelTimer = clock.after(ms, () => {
      cancelTimer = undefined;
      gathering = false;
      backingOff = false;
      soon();
    });
  };
  const soon = (): void => {
    if (!running || underWay !== undefined) return;
    scheduled ??= setImmediate(() => {
      scheduled = undefined;
      if (running && underWay === undefined) underWay = run();
    });
  };

  async function run(): Promise<void> {
    cancel();
    gathering = false;
    missed = false;
    let result: StepResult | undefined;
    try {
      // Also what is thrown at once is caught later, when the caller knows that it runs.
      result = await Promise.resolve().then(step);
      failures = 0;
      problem = undefined;
    } catch (error) {
      failures += 1;
      problem = error instanceof Error ? error.message : String(error);
      log.error({ err: error, worker: name, failures }, 'a worker failed; it goes on after a pause');
    }
    underWay = undefined;
    if (!running) return;
    if (result === undefined) {
      backingOff = true;
      after(Math.min(LONGEST_BACK_OFF_MS, FIRST_BACK_OFF_MS * 2 ** Math.min(20, failures - 1)));
      return;
    }
    goOn(result);
  }

  function goOn({ did, next }: StepResult): void {
    idle = did > 0 ? 0 : idle + 1;
    const isDue = next === 'now' || (next !== undefined && next <= clock.now());
    if (isDue && did === 0) after(Math.min(LONGEST_PAUSE_MS, FIRST_PAUSE_MS * 2 ** Math.min(20, idle - 1)));
    else if (isDue) soon();
    else if (typeof next === 'number')
      cancelTimer = clock.at(next, () => {
        cancelTimer = undefined;
        soon();
      });
    if (missed) wake();
  }

  const wake = (): void => {
    if (!running || backingOff || scheduled !== undefined) return;
    if (underWay !== undefined) {
      missed = true;
      return;
    }
    idle = 0;
    if (gatherMs === 0) {
      cancel();
      soon();
    } else if (!gathering) {
      gathering = true;
      after(gatherMs);
    }
  };

  return {
    start: () => {
      running = true;
      soon();
    },
    wake,
    async stop(drainMs = DRAIN_MS) {
      running = false;
      cancel();
      if (scheduled !== undefined) clearImmediate(scheduled);
      scheduled = undefined;
      if (underWay === undefined) return;
      let handle: NodeJS.Timeout | undefined;
      await Promise.race([underWay, new Promise((done) => (handle = setTimeout(done, drainMs)))]);
      clearTimeout(handle);
    },
    busy: () => running && (underWay !== undefined || scheduled !== undefined),
    health: () => ({
      name,
      state: !running ? 'stopped' : backingOff ? 'backing-off' : underWay !== undefined ? 'working' : 'idle',
      failures,
      problem,
    }),
  };
}

/** All workers of a service: each has a name, and people can see how each is. */
export function workerGroup(options: Pick<WorkerOptions, 'clock' | 'log'>) {
  const workers = new Set<Worker>();
  return {
    /** Adds a worker; it runs from `start` on. */
    add(own: Omit<WorkerOptions, 'clock' | 'log'>): Worker {
      const added = worker({ ...options, ...own });
      const counted: Worker = {
        ...added,
        stop: async (drainMs) => {
          workers.delete(counted);
          await added.stop(drainMs);
        },
      };
      workers.add(counted);
      return counted;
    },
    busy: (): boolean => [...workers].some((member) => member.busy()),
    health: (): WorkerHealth[] => [...workers].map((member) => member.health()),
  };
}

export type WorkerGroup = ReturnType<typeof workerGroup>;
