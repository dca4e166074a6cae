/** Milliseconds of this process's own computing that `run` costs, whatever else the machine does meanwhile. */
export function cpuMs(run: () => unknown): number {
  const before = process.cpuUsage();
  run();
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
  for (let tried = 0; tried < MOST_TRIES; tried += 1) if (cpuMs(long) <= Math.max(FLOOR, cpuMs(short)) * times * SLACK) return true;
  return false;
}
