import { RRuleTemporal } from 'rrule-temporal';
import { Temporal } from 'temporal-polyfill';

/** The times of a schedule. */
export interface Recurrence {
  /** The first time after an instant; undefined where there is none. Milliseconds since the epoch. */
  readonly after: (at: number) => number | undefined;
}

/** What a schedule file says of its times. */
export interface Times {
  /** A clock time in the zone: "2026-01-02T05:00". */
  readonly starts: string;
  /** IANA time zone. */
  readonly timeZone: string;
  /** The value of an RRULE (RFC 5545, 3.3.10); once, when left out. */
  readonly repeat: string | undefined;
}

/** Why times cannot be used, in a sentence without a full stop. */
export interface TimesFault {
  readonly part: 'starts' | 'repeat';
  readonly fault: string;
  readonly hint?: string;
}

/** What one question may cost: a rule that never holds is given up after so many periods and candidates. */
const BOUNDS = { maxIterations: 2000, maxCandidateEvaluations: 20_000 };
const CLOCK_TIME = /^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}(?::\d{2})?$/;
const MOST_COUNT = 500;
const LONGEST_REPEAT = 500;

const inRange =
  (least: number, most: number, isSigned = false) =>
  (text: string): boolean =>
    text.split(',').every((item) => {
      const n = /^[+-]?\d{1,4}$/.test(item) ? Number(item) : Number.NaN;
      return (n >= least && n <= most) || (isSigned && -n >= least && -n <= most);
    });

/** Parts of a rule and their values (RFC 5545, 3.3.10). */
const PARTS: Readonly<Record<string, (text: string) => boolean>> = {
  FREQ: (text) => /^(?:HOURLY|DAILY|WEEKLY|MONTHLY|YEARLY)$/.test(text),
  INTERVAL: inRange(1, 1000),
  COUNT: inRange(1, MOST_COUNT),
  UNTIL: (text) => /^\d{8}(?:T\d{6}Z)?$/.test(text),
  BYMONTH: inRange(1, 12),
  BYMONTHDAY: inRange(1, 31, true),
  BYYEARDAY: inRange(1, 366, true),
  BYWEEKNO: inRange(1, 53, true),
  BYDAY: (text) => text.split(',').every((day) => /^(?:[+-]?[1-9]\d?)?(?:MO|TU|WE|TH|FR|SA|SU)$/.test(day)),
  BYHOUR: inRange(0, 23),
  BYMINUTE: inRange(0, 59),
  BYSETPOS: inRange(1, 366, true),
  WKST: (text) => /^(?:MO|TU|WE|TH|FR|SA|SU)$/.test(text),
};
const EXAMPLE = 'For example FREQ=WEEKLY;BYDAY=FR, or FREQ=MONTHLY;BYMONTHDAY=-1 (RFC 5545).';

/** The parts of a rule by name, or why it is invalid. */
function partsOf(repeat: string): ReadonlyMap<string, string> | Omit<TimesFault, 'part'> {
  if (repeat.length > LONGEST_REPEAT) return { fault: `is longer than ${LONGEST_REPEAT} characters` };
  const parts = new Map<string, string>();
  for (const text of repeat
    .toUpperCase()
    .replace(/^RRULE:/, '')
    .split(';')) {
    const [name = '', value = ''] = text.split('=');
    const isValid = Object.hasOwn(PARTS, name) ? PARTS[name] : undefined;
    if (isValid === undefined) return { fault: `has no meaning for "${name}"`, hint: `There are: ${Object.keys(PARTS).join(', ')}.` };
    if (parts.has(name)) return { fault: `has ${name} twice` };
    if (name === 'FREQ' && /^(?:MINUTELY|SECONDLY)$/.test(value))
      return {
        fault: 'repeats more often than hourly',
        hint: 'A schedule sends to many recipients. To report that something happened, send a signal.',
      };
    if (!isValid(value)) return { fault: `has a value of ${name} that is not valid: "${value}"`, hint: EXAMPLE };
    parts.set(name, value);
  }
  if (!parts.has('FREQ')) return { fault: 'has no FREQ', hint: EXAMPLE };
  if (parts.has('BYSETPOS') && !/^(?:MONTHLY|YEARLY)$/.test(parts.get('FREQ') ?? ''))
    return { fault: 'has BYSETPOS, which needs FREQ=MONTHLY or YEARLY', hint: 'Name the days themselves: BYDAY=FR.' };
  if (parts.has('COUNT') && parts.has('UNTIL')) return { fault: 'has both COUNT and UNTIL; one of them can end it' };
  return parts;
}

/** A clock time as an instant. One that is skipped in spring is the end of the gap; of two in autumn it is the first. */
function instantAt(clock: Temporal.PlainDateTime, zone: string): number {
  const at = clock.toZonedDateTime(zone, { disambiguation: 'compatible' });
  if (at.toPlainDateTime().equals(clock)) return at.epochMilliseconds;
  // "compatible" goes on by the length of the gap: the transition before it is the gap's end.
  return at.add({ nanoseconds: 1 }).getTimeZoneTransition('previous')?.epochMilliseconds ?? at.epochMilliseconds;
}

/** Until when a rule holds, in milliseconds since the epoch: a date counts to its end. */
function endOf(until: string | undefined, zone: string): number {
  if (until === undefined) return Infinity;
  const [, year = '', month = '', day = '', time] = /^(\d{4})(\d{2})(\d{2})(T\d{6}Z)?$/.exec(until) ?? [];
  const date = Temporal.PlainDate.from(`${year}-${month}-${day}`, { overflow: 'reject' });
  if (time === undefined) return date.add({ days: 1 }).toZonedDateTime(zone).epochMilliseconds - 1;
  return Temporal.Instant.from(`${year}-${month}-${day}${time.replace(/^T(\d\d)(\d\d)(\d\d)Z$/, 'T$1:$2:$3Z')}`).epochMilliseconds;
}

/** Once. */
function once(at: number): Recurrence {
  return { after: (from) => (from < at ? at : undefined) };
}

/**
 * Reads the times of a schedule: clock times in its zone, repeated by an RRULE (RFC 5545, 3.3.10). Unlike there (3.3.5), a clock time that is
 * skipped in spring is taken as the end of the gap: an hour later would be later than anyone expects.
 */
export function readTimes({ starts, timeZone, repeat }: Times): Recurrence | TimesFault {
  let first: Temporal.PlainDateTime;
  try {
    if (!CLOCK_TIME.test(starts)) throw new RangeError();
    first = Temporal.PlainDateTime.from(starts, { overflow: 'reject' });
  } catch {
    return { part: 'starts', fault: 'is not a valid time', hint: 'Write it as a clock in the time zone shows it: 2026-01-02T05:00.' };
  }
  if (repeat === undefined) return once(instantAt(first, timeZone));
  const parts = partsOf(repeat);
  if (!(parts instanceof Map)) return { part: 'repeat', ...(parts as Omit<TimesFault, 'part'>) };
  let rule: RRuleTemporal;
  let end: number;
  try {
    end = endOf(parts.get('UNTIL') as string | undefined, timeZone);
    const kept = [...(parts as ReadonlyMap<string, string>)]
      .filter(([name]) => name !== 'UNTIL')
      .map(([name, value]) => `${name}=${value}`);
    // Counted by the clock of the zone, as if it had no offsets: what a clock time is as an instant is decided above.
    const dtstart = first.toString({ smallestUnit: 'second' }).replace(/[-:]/g, '');
    rule = new RRuleTemporal({
      rruleString: `DTSTART;TZID=UTC:${dtstart}\nRRULE:${kept.join(';')}`,
      temporal: Temporal,
      strict: true,
      ...BOUNDS,
    });
  } catch (error) {
    const why = error instanceof Error ? error.message.replace(/\.$/, '') : String(error);
    return { part: 'repeat', fault: `is not a valid rule: ${why}`, hint: EXAMPLE };
  }
  const after = (from: number): number | undefined => {
    let clock: Temporal.PlainDateTime | undefined = Temporal.Instant.fromEpochMilliseconds(from)
      .toZonedDateTimeISO(timeZone)
      .toPlainDateTime();
    for (;;) {
      clock = nextClock(rule, clock);
      if (clock === undefined) return undefined;
      const at = instantAt(clock, timeZone);
      if (at > end) return undefined;
      // In the hour that comes twice the clock shows what has been already.
      if (at > from) return at;
    }
  };
  // The very first may be the start itself.
  if (after(instantAt(first, timeZone) - 1) === undefined)
    return { part: 'repeat', fault: 'never occurs', hint: 'No day is as it wants, or it ends before it starts.' };
  return { after };
}

function nextClock(rule: RRuleTemporal, clock: Temporal.PlainDateTime): Temporal.PlainDateTime | undefined {
  try {
    const from = new Date(clock.toZonedDateTime('UTC').epochMilliseconds);
    return rule.next(from)?.toPlainDateTime();
  } catch (error) {
    // Given up: nothing within the bounds.
    if (error instanceof Error && /^Maximum /.test(error.message)) return undefined;
    throw error;
  }
}
