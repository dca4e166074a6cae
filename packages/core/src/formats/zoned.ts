import { instantOf } from './instants.js';
import type { FormatContext } from './format.js';
import { isDate } from './kinds.js';
import { memo } from './memo.js';

const DAY_MS = 86_400_000;
/** The years that RFC 3339 can write. */
const [FIRST, LAST] = [Date.UTC(0, 0, 1) - 1900 * 365.2425 * DAY_MS, Date.UTC(9999, 11, 31, 23, 59, 59)];

const clocks = memo(
  (timeZone: string) =>
    new Intl.DateTimeFormat('en-US', {
      timeZone,
      calendar: 'gregory',
      hourCycle: 'h23',
      year: 'numeric',
      month: 'numeric',
      day: 'numeric',
      hour: 'numeric',
      minute: 'numeric',
      second: 'numeric',
      era: 'short',
    }),
);

/** What a clock in the zone shows at a moment, as if it were UTC: milliseconds since the epoch. */
export function wallTime(at: number, timeZone: string): number {
  const parts = clocks(timeZone).formatToParts(at);
  const part = (type: string): number => Number(parts.find((found) => found.type === type)?.value ?? 0);
  const isBefore = parts.some((found) => found.type === 'era' && found.value.startsWith('B'));
  const date = new Date(0);
  date.setUTCFullYear(isBefore ? 1 - part('year') : part('year'), part('month') - 1, part('day'));
  date.setUTCHours(part('hour'), part('minute'), part('second'));
  return date.getTime();
}

/** Minutes east of UTC at a moment. */
export function offsetAt(at: number, timeZone: string): number {
  return Math.round((wallTime(at, timeZone) - Math.floor(at / 1000) * 1000) / 60_000);
}

/** The moment at which a clock in the zone shows a time; one that is skipped counts from before the gap, of two the first. */
function momentAt(wall: number, timeZone: string): number {
  const before = wall - offsetAt(wall - DAY_MS, timeZone) * 60_000;
  if (wallTime(before, timeZone) === wall) return before;
  const after = wall - offsetAt(wall + DAY_MS, timeZone) * 60_000;
  return wallTime(after, timeZone) === wall ? after : before;
}

function within(at: number): number {
  return Math.min(LAST, Math.max(FIRST, at));
}

/** A day that is so many months later; the last of a shorter month, where it has no such day. */
function monthsLater(wall: number, months: number): number {
  const date = new Date(wall);
  const day = date.getUTCDate();
  date.setUTCDate(1);
  date.setUTCMonth(date.getUTCMonth() + months);
  const last = new Date(Date.UTC(date.getUTCFullYear(), date.getUTCMonth() + 1, 0)).getUTCDate();
  date.setUTCDate(Math.min(day, last));
  return date.getTime();
}

/** A date, or a moment at the same time of day in the mail's zone, so many days or months later. @returns RFC 3339, as it was given */
export function later(value: string, by: { readonly days?: number; readonly months?: number }, { timeZone }: FormatContext): string {
  const { days = 0, months = 0 } = by;
  const move = (wall: number): number => within((months === 0 ? wall : monthsLater(wall, Math.trunc(months))) + Math.trunc(days) * DAY_MS);
  if (isDate(value)) return rfc3339(move(instantOf(value))).slice(0, 10);
  const at = instantOf(value);
  const rest = at % 1000;
  return rfc3339(within(momentAt(move(wallTime(at, timeZone)), timeZone) + rest));
}

function rfc3339(at: number): string {
  return new Date(at).toISOString().replace('.000Z', 'Z');
}

/** The duration from one moment or date to another (RFC 3339, appendix A); none where the other is earlier. */
export function durationUntil(from: string, to: string): string {
  const seconds = Math.max(0, Math.floor((instantOf(to) - instantOf(from)) / 1000));
  return seconds % 86_400 === 0 && seconds > 0 ? `P${seconds / 86_400}D` : `PT${Math.min(seconds, 999_999_999)}S`;
}

/** The week of ISO 8601 that a day belongs to: the first has the year's first Thursday. @param wall the day, as {@link wallTime} gives it */
export function weekOf(wall: number): number {
  const date = new Date(wall);
  const day = (date.getUTCDay() + 6) % 7;
  const thursday = Date.UTC(date.getUTCFullYear(), date.getUTCMonth(), date.getUTCDate() - day + 3);
  const first = new Date(thursday).getUTCFullYear();
  return Math.floor((thursday - Date.UTC(first, 0, 1)) / (7 * DAY_MS)) + 1;
}
