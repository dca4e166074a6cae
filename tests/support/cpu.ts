/** Milliseconds of this process's own computing that `run` costs, whatever else the machine does meanwhile. */
export function cpuMs(run: () => unknown): number {
  const before = process.cpuUsage();
  run();
  const { user, system } = process.cpuUsage(before);
  return (user + system) / 1000;
}
