/** Milliseconds of this process's own computing that `run` costs, whatever else the machine does meanwhile. */
export function cpuMs(run: () => unknown): number {
  const before = process.cpuUsage();
  run();
  return since(before);
}

function since(before: NodeJS.CpuUsage): number {
  const { user, system } = process.cpuUsage(before);
  return (user + system) / 1000;
}

/** Milliseconds below which a measure is noise. */
const FLOOR = 2;
/** How far the dearer of two measures may be from proportion: what grows with the square costs `times` as much again. */
const SLACK = 3;
/** The collector and the compiler of the engine cost time of this process, too: one good measure is enough. */
const MOST_TRIES = 8;

/** Whether `long`, which works on `times` as much as `short`, costs about `times` as much. */
export function isInProportion(times: number, short: () => unknown, long: () => unknown): boolean {
  for (let tried = 0; tried < MOST_TRIES; tried += 1) {
    const took = cpuMs(long);
    if (took <= FLOOR * times * SLACK || took <= cpuMs(short) * times * SLACK) return true;
  }
  return false;
}

/** What `yardstick` costs on a machine with nothing else to do, in milliseconds. */
const YARDSTICK_MS = 12;

/** Some computing of the usual kinds: texts, tables, numbers. A core that is shared, or slow, takes longer for it. */
function yardstick(): number {
  const seen = new Map<string, number>();
  for (let i = 0; i < 40_000; i += 1) {
    const word = `w${(i * 7919) % 5000}`;
    seen.set(word, (seen.get(word) ?? 0) + word.length);
  }
  return [...seen.keys()].sort().join(' ').split(/\s/u).length;
}

/** How many times slower this machine computes right now than a quiet one; never below 1. */
function slowness(): number {
  return Math.max(1, cpuMs(yardstick) / YARDSTICK_MS);
}

/**
 * Whether `run` costs at most `ms` milliseconds of computing on a quiet machine.
 *
 * Processor time grows where cores are shared, too, so the limit grows with what a fixed piece of work costs at the same
 * moment; and what is too slow is tried again, since it is slow every time.
 */
export function costsAtMost(ms: number, run: () => unknown): boolean {
  for (let tried = 0; tried < MOST_TRIES; tried += 1) {
    const took = cpuMs(run);
    if (took <= ms || took <= ms * slowness()) return true;
  }
  return false;
}

/** `costsAtMost` of something that ends later. */
export async function costsAtMostAsync(ms: number, run: () => Promise<unknown>): Promise<boolean> {
  for (let tried = 0; tried < MOST_TRIES; tried += 1) {
    const before = process.cpuUsage();
    await run();
    const took = since(before);
    if (took <= ms || took <= ms * slowness()) return true;
  }
  return false;
}
