import type { Format, FormatContext } from './format.js';
import { isDuration, isZone } from './kinds.js';
import { memo } from './memo.js';
import { instantOf } from './instants.js';
import { DATE_LETTERS, showsTime, skeletonOptions, TIME_LETTERS } from './skeleton.js';
import { durationUntil, later, offsetAt, wallTime, weekOf } from './zoned.js';
import { Fault } from '../problems/index.js';

const STYLES = ['full', 'long', 'medium', 'short'] as const;
type Style = (typeof STYLES)[number];
const DATE_ONLY = /^\d{4}-\d{2}-\d{2}$/;
const TIME_ONLY = /^\d{2}:\d{2}/;

/** How a moment is shown: a style or skeleton of the date, one of the time, and whether the zone is named. */
const formatter = memo((locale: string, timeZone: string, styles: string) => {
  const [date = '', time = '', named = ''] = styles.split('/');
  const skeleton = skeletonOptions(date === '' ? time : date, DATE_LETTERS + TIME_LETTERS);
  const isStyle = (STYLES as readonly string[]).includes(date === '' ? time : date);
  if (!isStyle && skeleton !== undefined)
    return new Intl.DateTimeFormat(locale, { timeZone, ...skeleton, ...(named === '' ? {} : { timeZoneName: 'short' as const }) });
  // Intl takes no name of the zone beside a style: what the style means is in its place.
  const options: Intl.DateTimeFormatOptions = {
    timeZone,
    ...(date === '' ? {} : { dateStyle: date as Style }),
    ...(time === '' ? {} : { timeStyle: time as Style }),
  };
  if (named === '' || time === 'full' || time === 'long') return new Intl.DateTimeFormat(locale, options);
  const parts = { full: 'yMMMMEEEEd', long: 'yMMMMd', medium: 'yMMMd', short: 'yMd', '': '' }[date] ?? '';
  const clock = time === 'medium' ? 'jmmss' : 'jmm';
  return new Intl.DateTimeFormat(locale, {
    timeZone,
    ...skeletonOptions(`${parts}${clock}`, DATE_LETTERS + TIME_LETTERS),
    timeZoneName: 'short',
  });
});

// The text part shows what the HTML has shown.
const shown = memo((locale: string, zone: string, styles: string, value: string) => {
  return formatter(locale, zone, styles).format(instantOf(value));
}, 2000);

interface Shown {
  readonly date: string;
  readonly time: string;
  /** A zone of the value's own; that of the mail, where there is none. */
  readonly zone?: string | undefined;
}

/** The zone that a value is shown in, and whether it is named: it is where its clock differs from that of the mail. */
function zoneOf(
  value: string,
  { date, time, zone }: Shown,
  context: FormatContext,
): { readonly zone: string; readonly named: '' | 'named' } {
  // A calendar date has no zone: it is read and shown in UTC, so that it never moves by a day.
  if (DATE_ONLY.test(value)) return { zone: 'UTC', named: '' };
  if (zone === undefined) return { zone: context.timeZone, named: '' };
  if (!isZone(zone)) throw new Fault('format-value', `"${zone}" is not a time zone (IANA).`);
  const at = instantOf(value);
  const differs = (time !== '' || showsTime(date)) && offsetAt(at, zone) !== offsetAt(at, context.timeZone);
  return { zone, named: differs ? 'named' : '' };
}

function show(value: string, context: FormatContext, how: Shown): string {
  // Most values have no zone of their own: nothing is looked up for them.
  if (how.zone === undefined)
    return shown(context.locale, DATE_ONLY.test(value) ? 'UTC' : context.timeZone, `${how.date}/${how.time}/`, value);
  const { zone, named } = zoneOf(value, how, context);
  return shown(context.locale, zone, `${how.date}/${how.time}/${named}`, value);
}

function showTime(value: string, context: FormatContext, how: Shown): string {
  if (!TIME_ONLY.test(value)) return show(value, context, how);
  // A time with an offset is one moment of each day: it is shown in the mail's zone as it is on the day of the mail.
  return show(`${dayIn(how.zone !== undefined && isZone(how.zone) ? how.zone : context.timeZone, context.now)}T${value}`, context, how);
}

/** From one day or moment to another, with what they have in common said once. */
function range(from: string, to: string, context: FormatContext, how: Shown): string {
  const { zone, named } = zoneOf(from, how, context);
  const [start, end] = [instantOf(from), instantOf(to)];
  const format = formatter(context.locale, zone, `${how.date}/${how.time}/${named}`);
  return end <= start ? format.format(start) : format.formatRange(start, end);
}

/** A day as a date, in UTC, or in the zone of the mail (or of the value's own). */
function wallOf(value: string, context: FormatContext, zone?: string): number {
  return DATE_ONLY.test(value) ? instantOf(value) : wallTime(instantOf(value), zone ?? context.timeZone);
}

const dayParts = memo(
  (timeZone: string) =>
    new Intl.DateTimeFormat('en-CA', { timeZone, year: 'numeric', month: '2-digit', day: '2-digit', calendar: 'gregory' }),
);

/** Since then, no zone has had an offset with seconds: within a minute the day is one. */
const WHOLE_MINUTES = Date.UTC(1973, 0, 1);
const dayOfMinute = memo((timeZone: string, minute: string) => dayOf(timeZone, Number(minute) * 60_000));

/** The calendar day at a moment in a zone, as an RFC 3339 full-date. All emails of a minute ask for the same. */
function dayIn(timeZone: string, at: number): string {
  return at < WHOLE_MINUTES ? dayOf(timeZone, at) : dayOfMinute(timeZone, String(Math.floor(at / 60_000)));
}

function dayOf(timeZone: string, at: number): string {
  const parts = dayParts(timeZone).formatToParts(at);
  const part = (type: string): string => parts.find((dateTimeFormatPart) => dateTimeFormatPart.type === type)?.value ?? '';
  return `${part('year').padStart(4, '0')}-${part('month')}-${part('day')}`;
}

const relativeFormat = memo((locale: string) => new Intl.RelativeTimeFormat(locale, { numeric: 'auto' }));
const DAY = 86_400;

/** How far a moment is from now; days are those of the calendar, not of 24 hours. */
function relative(value: string, context: FormatContext): string {
  const day = DATE_ONLY.test(value) ? value : dayIn(context.timeZone, instantOf(value));
  const days = Math.round((Date.parse(day) - Date.parse(dayIn(context.timeZone, context.now))) / (DAY * 1000));
  const format = relativeFormat(context.locale);
  if (DATE_ONLY.test(value)) return format.format(days, 'day');
  const seconds = Math.round((instantOf(value) - context.now) / 1000);
  const minutes = Math.round(seconds / 60);
  const hours = Math.round(seconds / 3600);
  if (Math.abs(seconds) < 60) return format.format(seconds, 'second');
  if (Math.abs(minutes) < 60) return format.format(minutes, 'minute');
  return Math.abs(hours) < 24 || days === 0 ? format.format(hours, 'hour') : format.format(days, 'day');
}

const unitFormat = memo((locale: string, unit: string) => new Intl.NumberFormat(locale, { style: 'unit', unit, unitDisplay: 'long' }));
const joinUnits = memo((locale: string) => new Intl.ListFormat(locale, { type: 'unit', style: 'narrow' }));
const DURATION = /^P(?:(\d+)Y)?(?:(\d+)M)?(?:(\d+)W)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+)S)?)?$/;
const unitCount = memo((locale: string, unit: string, count: string) => unitFormat(locale, unit).format(Number(count)), 1000);
const DURATION_UNITS = ['year', 'month', 'week', 'day', 'hour', 'minute', 'second'] as const;
const STEPS = [
  ['day', DAY],
  ['hour', 3600],
  ['minute', 60],
  ['second', 1],
] as const;

function duration(value: string | number, context: FormatContext): string {
  const counts: [string, number][] = [];
  if (typeof value === 'number') {
    let left = Math.abs(Math.round(value));
    for (const [unit, size] of STEPS) {
      counts.push([unit, Math.floor(left / size)]);
      left %= size;
    }
  } else {
    const found = isDuration(value) ? DURATION.exec(value) : null;
    if (found === null) throw new Fault('format-value', `"${value}" is no ISO 8601 duration such as "PT1H30M".`);
    const [years, months, weeks, ...rest] = found.slice(1).map((part: string | undefined) => Number(part ?? 0));
    const [d = 0, h = 0, m = 0, s = 0] = rest;
    counts.push(['year', years ?? 0], ['month', months ?? 0], ['week', weeks ?? 0]);
    // What is written as 90 minutes reads as an hour and a half; months have no fixed length and stay.
    let left = d * DAY + h * 3600 + m * 60 + s;
    for (const [unit, size] of STEPS) {
      counts.push([unit, Math.floor(left / size)]);
      left %= size;
    }
  }
  const parts = counts
    .filter(([, count]) => count > 0)
    .sort(([a], [b]) => DURATION_UNITS.indexOf(a as 'day') - DURATION_UNITS.indexOf(b as 'day'))
    .map(([unit, count]) => unitCount(context.locale, unit, String(count)));
  return parts.length === 0 ? unitFormat(context.locale, 'second').format(0) : joinUnits(context.locale).format(parts);
}

const style = { name: 'style', kind: 'text', optional: true, choices: STYLES } as const;
const ZONE = { name: 'zone', kind: 'zone', optional: true } as const;
const DATE_STYLE = { ...style, skeleton: DATE_LETTERS } as const;
const TIME_STYLE = { ...style, skeleton: TIME_LETTERS } as const;
const BOTH_STYLE = { ...style, skeleton: DATE_LETTERS + TIME_LETTERS } as const;
type Styled = readonly [style?: string, zone?: string];
/** Days and months that a date can be moved by. */
const FAR = [-40_000, 40_000] as const;
const clamp = (n: number): number => Math.min(FAR[1], Math.max(FAR[0], n));

export const DATE_FORMATS: readonly Format[] = [
  {
    name: 'date',
    takes: ['date', 'datetime'],
    args: [DATE_STYLE, ZONE],
    gives: 'text',
    summary:
      'A date in the words of the locale; styles: full, long (the default), medium, short, or a skeleton of G, y, M, d and E (UTS 35): date "yMMMEd".',
    example: { value: '2026-06-04', gives: 'June 4, 2026' },
    run: (value: string, [date = 'long', zone]: Styled, context) => show(value, context, { date, time: '', zone }),
  },
  {
    name: 'time',
    takes: ['datetime', 'time'],
    args: [TIME_STYLE, ZONE],
    gives: 'text',
    summary:
      'A time of day in the time zone of the mail; styles: short (the default), medium, long, full, or a skeleton of j (h, H), m, s and z. With zone=… in that zone, with its name where its clock differs.',
    example: { value: '2026-06-04T08:15:00Z', gives: '8:15 AM' },
    run: (value: string, [time = 'short', zone]: Styled, context) => showTime(value, context, { date: '', time, zone }),
  },
  {
    name: 'datetime',
    takes: ['datetime'],
    args: [BOTH_STYLE, ZONE],
    gives: 'text',
    summary: 'A date with its time; the style is the date’s, or a skeleton of both.',
    example: { value: '2026-06-04T08:15:00Z', gives: 'June 4, 2026 at 8:15 AM' },
    run: (value: string, [date = 'long', zone]: Styled, context) =>
      show(value, context, { date, time: (STYLES as readonly string[]).includes(date) ? 'short' : '', zone }),
  },
  {
    name: 'range',
    takes: ['date', 'datetime'],
    args: [{ name: 'end', kind: 'moment' }, BOTH_STYLE, ZONE],
    gives: 'text',
    summary: 'From one date (or date with time) to another, with what they have in common said once.',
    example: { value: '2026-06-03', args: ['2026-06-05', 'MMMd'], gives: 'Jun 3 – 5' },
    run: (value: string, [end = value, wanted, zone]: readonly [string?, string?, string?], context) => {
      const date = wanted ?? (DATE_ONLY.test(value) ? 'long' : 'medium');
      const time = DATE_ONLY.test(value) || !(STYLES as readonly string[]).includes(date) ? '' : 'short';
      return range(value, end, context, { date, time, zone });
    },
  },
  {
    name: 'weekday',
    takes: ['date', 'datetime'],
    args: [{ name: 'style', kind: 'text', optional: true, choices: ['long', 'short'] }, ZONE],
    gives: 'text',
    summary: 'The day of the week, in the words of the locale.',
    example: { value: '2026-06-04', gives: 'Thursday' },
    run: (value: string, [width = 'long', zone]: Styled, context) =>
      show(value, context, { date: width === 'short' ? 'EEE' : 'EEEE', time: '', zone }),
  },
  {
    name: 'week',
    takes: ['date', 'datetime'],
    args: [],
    gives: 'whole',
    summary: 'The number of the week (ISO 8601: weeks begin on Monday).',
    example: { value: '2026-06-04', gives: '23' },
    run: (value: string, _args, context) => weekOf(wallOf(value, context)),
  },
  {
    name: 'addDays',
    takes: ['date', 'datetime'],
    args: [{ name: 'days', kind: 'whole', range: FAR }],
    gives: 'same',
    summary: 'So many days later, at the same time of day in the time zone of the mail.',
    example: { value: '2026-06-04', args: [14], gives: '2026-06-18' },
    run: (value: string, [days = 0]: readonly number[], context) => later(value, { days: clamp(days) }, context),
  },
  {
    name: 'addMonths',
    takes: ['date', 'datetime'],
    args: [{ name: 'months', kind: 'whole', range: FAR }],
    gives: 'same',
    summary: 'So many months later; the last day of a shorter month, where it has no such day.',
    example: { value: '2026-01-31', args: [1], gives: '2026-02-28' },
    run: (value: string, [months = 0]: readonly number[], context) => later(value, { months: clamp(months) }, context),
  },
  {
    name: 'until',
    takes: ['date', 'datetime'],
    args: [{ name: 'end', kind: 'moment' }],
    gives: 'duration',
    summary: 'The duration from one date (or date with time) to another, for the formatter duration; none, where the other is earlier.',
    example: { value: '2026-06-04T08:00:00Z', args: ['2026-06-04T09:30:00Z'], gives: 'PT5400S' },
    run: (value: string, [end = value]: readonly string[]) => durationUntil(value, end),
  },
  {
    name: 'relative',
    takes: ['date', 'datetime'],
    args: [],
    gives: 'text',
    summary: 'How far from now, in the largest unit that fits; days are those of the calendar in the time zone of the mail.',
    example: { value: '2026-06-05T08:00:00Z', gives: 'tomorrow' },
    run: (value: string, _args, context) => relative(value, context),
  },
  {
    name: 'duration',
    takes: ['duration', 'number', 'whole'],
    args: [],
    gives: 'text',
    summary: 'A length of time: an ISO 8601 duration, or a number of seconds.',
    example: { value: 'PT1H30M', gives: '1 hour 30 minutes' },
    run: (value: string | number, _args, context) => duration(value, context),
  },
];
