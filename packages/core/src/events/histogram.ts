// Times to acceptance and to delivery are kept as counts by bucket: each is a quarter of the octave wider than the one before.
const FIRST_MS = 10;
const STEP = 2 ** 0.25;
const BUCKETS = 96;

/** The bucket of a span of time in milliseconds. */
export function bucketOf(ms: number): number {
  if (ms <= FIRST_MS) return 0;
  return Math.min(BUCKETS - 1, Math.ceil(Math.log(ms / FIRST_MS) / Math.log(STEP)));
}

/**
 * The span below which a part of all lies, from counts by bucket; within a bucket its middle. Off by at most a tenth.
 * @param part 0.5 for the median, 0.95 for the 95th percentile
 * @returns milliseconds; undefined where nothing was counted
 */
export function percentile(counts: ReadonlyMap<number, number>, part: number): number | undefined {
  const total = [...counts.values()].reduce((sum, n) => sum + n, 0);
  if (total === 0) return undefined;
  let seen = 0;
  for (const bucket of [...counts.keys()].sort((a, b) => a - b)) {
    seen += counts.get(bucket) ?? 0;
    if (seen >= part * total) return Math.round(FIRST_MS * STEP ** (bucket - 0.5));
  }
  return undefined;
}
