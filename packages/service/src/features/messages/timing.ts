import { instantOf } from '@verbalis/core/delivery';
import type { LoadedEdition } from '../editions/index.js';
import { invalid, type RequestProblem } from '../../kernel/index.js';
import type { MessageRequest } from './model.js';

const YEAR_MS = 366 * 24 * 3_600_000;

const known = new Map<string, boolean>();

/** Whether there is such a time zone. To make a formatter is slow, and every message asks. */
function isZone(name: string): boolean {
  let found = known.get(name);
  if (found === undefined) {
    try {
      new Intl.DateTimeFormat('en', { timeZone: name });
      found = true;
    } catch {
      found = false;
    }
    if (known.size < 1000) known.set(name, found);
  }
  return found;
}

/** When a message may go, and until when. */
export function timingOf(
  wanted: Pick<MessageRequest, 'notBefore' | 'expiresAt' | 'timeZone'>,
  edition: LoadedEdition,
  now: number,
  problems: RequestProblem[],
): { notBefore: number; expiresAt: number | undefined } {
  let zone = wanted.timeZone ?? edition.project.settings.timeZone;
  if (!isZone(zone)) {
    problems.push({ path: 'timeZone', message: `"${zone}" is not a known time zone`, hint: 'Use an IANA name such as "Europe/Paris".' });
    zone = 'UTC';
  }
  const read = (text: string | undefined, path: string): number | undefined => {
    if (text === undefined) return undefined;
    const at = instantOf(text, zone);
    if (at === undefined)
      problems.push({ path, message: 'is not a valid time', hint: 'Write "2026-12-01T09:00:00Z", or "2026-12-01T09:00" with timeZone.' });
    return at;
  };
  const notBefore = read(wanted.notBefore, 'notBefore');
  const expiresAt = read(wanted.expiresAt, 'expiresAt');
  if (notBefore !== undefined && notBefore > now + YEAR_MS) problems.push({ path: 'notBefore', message: 'is more than a year ahead' });
  if (expiresAt !== undefined && expiresAt <= Math.max(now, notBefore ?? now))
    problems.push({ path: 'expiresAt', message: 'is past before the mail could be sent' });
  return { notBefore: Math.max(now, notBefore ?? now), expiresAt };
}

/**
 * Another time for a message that was accepted, read as its first one was.
 * @returns milliseconds since the epoch, not before now
 */
export function laterOf(wanted: { notBefore: string; timeZone?: string | undefined }, edition: LoadedEdition, now: number): number {
  const problems: RequestProblem[] = [];
  const { notBefore } = timingOf(wanted, edition, now, problems);
  if (problems.length > 0) throw invalid(problems);
  return notBefore;
}
