/** Offset of a zone at an instant, in milliseconds. */
function offsetAt(zone: string, at: number): number {
  const parts = new Intl.DateTimeFormat('en-US', {
    timeZone: zone,
    hourCycle: 'h23',
    year: 'numeric',
    month: 'numeric',
    day: 'numeric',
    hour: 'numeric',
    minute: 'numeric',
    second: 'numeric',
  }).formatToParts(at);
  const of = (type: string): number => Number(parts.find((part) => part.type === type)?.value ?? 0);
  return Date.UTC(of('year'), of('month') - 1, of('day'), of('hour'), of('minute'), of('second')) - Math.floor(at / 1000) * 1000;
}

const LOCAL = /^(\d{4})-(\d{2})-(\d{2})T(\d{2}):(\d{2})(?::(\d{2}))?$/;

/**
 * The instant of a time: with an offset as it says, without one as a clock in `zone` shows it. A clock time that is skipped in spring is
 * taken as the hour after it; one that comes twice in autumn as the first (as RFC 5545 3.3.5 does).
 * @returns milliseconds since the epoch; undefined for what is no time
 */
export function instantOf(text: string, zone: string): number | undefined {
  const local = LOCAL.exec(text);
  if (local === null) {
    const at = /(?:Z|[+-]\d{2}:?\d{2})$/.test(text) ? Date.parse(text) : Number.NaN;
    return Number.isNaN(at) ? undefined : at;
  }
  const [year = 0, month = 0, day = 0, hour = 0, minute = 0, second = 0] = local
    .slice(1)
    .map((part: string | undefined) => Number(part ?? 0));
  const wall = Date.UTC(year, month - 1, day, hour, minute, second);
  const made = new Date(wall);
  if (made.getUTCMonth() !== month - 1 || made.getUTCDate() !== day || made.getUTCHours() !== hour) return undefined;
  // The offset before the instant; where the clock changes in between, that of the other side is tried too.
  const before = offsetAt(zone, wall - 24 * 3_600_000);
  const after = offsetAt(zone, wall + 24 * 3_600_000);
  const fits = [wall - before, wall - after].filter((at) => at + offsetAt(zone, at) === wall);
  return fits.length > 0 ? Math.min(...fits) : wall - before;
}
