/** When what happened to a key, in milliseconds since the epoch. */
export interface KeyTimes {
  /** Since when every authoritative server shows it. */
  readonly publishedAt: number | null;
  /** From when on it signs. */
  readonly signsFrom: number | null;
  /** Since when it is missing again. */
  readonly lostAt: number | null;
  /** Since when another key signs in its place. */
  readonly retiredAt: number | null;
}

const [SECOND, DAY] = [1000, 86_400_000];
/** Nobody should keep a missing record for longer (RFC 2308 5). */
const MOST_NEGATIVE_MS = DAY;
/** A key that disappears signs on for so long: its record may be back before most receivers notice. */
const LOST_SIGNS_MS = DAY;
/** Email waits in queues of others for up to five days (RFC 5321 4.5.4.1); its key must be there until then. */
const DRAIN_MS = 7 * DAY;

/** Whether a key signs at this time. */
export function isSigning({ signsFrom, lostAt, retiredAt }: KeyTimes, now: number): boolean {
  return retiredAt === null && signsFrom !== null && now >= signsFrom && (lostAt === null || now < lostAt + LOST_SIGNS_MS);
}

/** Until when the record of a retired key must stay published. */
export function neededUntil({ retiredAt }: KeyTimes): number | undefined {
  return retiredAt === null ? undefined : retiredAt + DRAIN_MS;
}

/**
 * What a check changes. A key signs when every authoritative server shows it and nobody can have kept that it is missing.
 * @param check `isPublished` is undefined where name servers did not answer: then nothing changes. `negativeTtl` in seconds
 */
export function afterCheck(
  times: KeyTimes,
  {
    isPublished,
    negativeTtl,
    now,
  }: {
    readonly isPublished: boolean | undefined;
    readonly negativeTtl: number;
    readonly now: number;
  },
): KeyTimes {
  if (isPublished === undefined || times.retiredAt !== null) return times;
  if (isPublished) {
    const publishedAt = times.publishedAt ?? now;
    const wait = Math.min(MOST_NEGATIVE_MS, Math.max(0, negativeTtl * SECOND));
    return { ...times, publishedAt, signsFrom: times.signsFrom ?? now + wait, lostAt: null };
  }
  const isUsed = times.signsFrom !== null && now >= times.signsFrom;
  if (!isUsed) return { ...times, publishedAt: null, signsFrom: null, lostAt: null };
  const lostAt = times.lostAt ?? now;
  // After a day it is as if it had never been there.
  return now >= lostAt + LOST_SIGNS_MS
    ? { ...times, publishedAt: null, signsFrom: null, lostAt: null }
    : { ...times, publishedAt: null, lostAt };
}
