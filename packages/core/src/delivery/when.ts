import { Temporal } from 'temporal-polyfill';

const LOCAL = /^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}(?::\d{2})?$/;

/**
 * The instant of a time: with an offset as it says, without one as a clock in `zone` shows it. A clock time that is skipped in spring is
 * taken as the hour after it; one that comes twice in autumn as the first (as RFC 5545 3.3.5 does).
 * @returns milliseconds since the epoch; undefined for what is not a valid time
 */
export function instantOf(text: string, zone: string): number | undefined {
  if (!LOCAL.test(text)) {
    const at = /(?:Z|[+-]\d{2}:?\d{2})$/.test(text) ? Date.parse(text) : Number.NaN;
    return Number.isNaN(at) ? undefined : at;
  }
  try {
    const clock = Temporal.PlainDateTime.from(text, { overflow: 'reject' });
    return clock.toZonedDateTime(zone, { disambiguation: 'compatible' }).epochMilliseconds;
  } catch (error) {
    if (error instanceof RangeError) return undefined;
    throw error;
  }
}
