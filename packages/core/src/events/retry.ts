/** When a notification is tried again: soon at first, then every few hours, for three days. In milliseconds. */
const WAITS = [5_000, 30_000, 2 * 60_000, 10 * 60_000, 30 * 60_000, 2 * 3_600_000, 6 * 3_600_000];
/** Age at which an undelivered event becomes a dead letter, in milliseconds. */
export const GIVE_UP_MS = 3 * 24 * 3_600_000;
/** A consumer's own wish is followed up to so long. */
const LONGEST_WISH_MS = 24 * 3_600_000;

/**
 * How long to wait before the next try.
 * @param made tries so far
 * @param askedMs what the consumer asked for (Retry-After, RFC 9110 10.2.3)
 * @param random from 0 to 1, so that retries are spread
 */
export function waitBeforeNotice(made: number, askedMs: number | undefined, random: number): number {
  const usual = WAITS[Math.min(made, WAITS.length) - 1] ?? WAITS[0] ?? 0;
  const jittered = usual * (0.8 + 0.4 * random);
  return Math.round(Math.max(jittered, Math.min(askedMs ?? 0, LONGEST_WISH_MS)));
}
