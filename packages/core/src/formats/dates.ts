import type { Format, FormatContext } from './format.js';
import { isDate, isDateTime, isDuration } from './kinds.js';
import { memo } from './memo.js';
import { Fault } from '../problems/index.js';

const STYLES = ['full', 'long', 'medium', 'short'] as const;
type Style = (typeof STYLES)[number];
const DATE_ONLY = /^\d{4}-\d{2}-\d{2}$/;
const TIME_ONLY = /^\d{2}:\d{2}/;

const formatter = memo(
  (locale: string, timeZone: string, dateStyle: string, timeStyle: string) =>
    new Intl.DateTimeFormat(locale, {
      timeZone,
      ...(dateStyle === '' ? {} : { dateStyle: dateStyle as Style }),
      ...(timeStyle === '' ? {} : { timeStyle: timeStyle as Style }),
    }),
);

/** Milliseconds since the epoch of an RFC 3339 date-time or full-date (5.6); a date alone counts as midnight UTC. */
export function instantOf(value: string): number {
  if (!isDate(value) && !isDateTime(value)) throw new Fault('format-value', `"${value}" is not a valid date.`);
  // A leap second is the last of its minute, and the first of the next for those who count without them.
  const leap = /^(.{17})60(.*)$/.exec(value);
  return leap === null ? Date.parse(value.toUpperCase()) : Date.parse(`${leap[1] ?? ''}59${leap[2] ?? ''}`.toUpperCase()) + 1000;
}

/** Milliseconds since midnight UTC of an RFC 3339 full-time: times of different offsets in the order of the day. */
export function timeOfDay(value: string): number {
  return instantOf(`1970-01-01T${value}`);
}

// The text part shows what the HTML has shown.
const shown = memo((locale: string, zone: string, styles: string, value: string) => {
  const [dateStyle = '', timeStyle = ''] = styles.split('/');
  return formatter(locale, zone, dateStyle, timeStyle).format(instantOf(value));
}, 2000);

function show(value: string, context: FormatContext, dateStyle: string, timeStyle: string): string {
  // A calendar date has no zone: it is read and shown in UTC, so that it never moves by a day.
  const zone = DATE_ONLY.test(value) ? 'UTC' : context.timeZone;
  return shown(context.locale, zone, `${dateStyle}/${timeStyle}`, value);
}

function showTime(value: string, context: FormatContext, style: string): string {
  if (!TIME_ONLY.test(value)) return show(value, context, '', style);
  // A time with an offset is one moment of each day: it is shown in the mail's zone as it is on the day of the mail.
  return show(`${dayIn(context.timeZone, context.now)}T${value}`, context, '', style);
}

const dayParts = memo(
  (timeZone: string) =>
    new Intl.DateTimeFormat('en-CA', { timeZone, year: 'numeric', month: '2-digit', day: '2-digit', calendar: 'gregory' }),
);

/** The calendar day at a moment in a zone, as an RFC 3339 full-date. */
function dayIn(timeZone: string, at: number): string {
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
    .map(([unit, count]) => unitFormat(context.locale, unit).format(count));
  return parts.length === 0 ? unitFormat(context.locale, 'second').format(0) : joinUnits(context.locale).format(parts);
}

const style = [{ name: 'style', kind: 'text', optional: true, choices: STYLES }] as const;

export const DATE_FORMATS: readonly Format[] = [
  {
    name: 'date',
    takes: ['date', 'datetime'],
    args: style,
    gives: 'text',
    summary: 'A date in the words of the locale; styles: full, long (the usual one), medium, short.',
    example: { value: '2026-06-04', gives: 'June 4, 2026' },
    run: (value: string, [wanted = 'long']: readonly string[], context) => show(value, context, wanted, ''),
  },
  {
    name: 'time',
    takes: ['datetime', 'time'],
    args: style,
    gives: 'text',
    summary: 'A time of day in the time zone of the mail; styles: short (the usual one), medium, long, full.',
    example: { value: '2026-06-04T08:15:00Z', gives: '8:15 AM' },
    run: (value: string, [wanted = 'short']: readonly string[], context) => showTime(value, context, wanted),
  },
  {
    name: 'datetime',
    takes: ['datetime'],
    args: style,
    gives: 'text',
    summary: 'A date with its time; the style is the date’s.',
    example: { value: '2026-06-04T08:15:00Z', gives: 'June 4, 2026 at 8:15 AM' },
    run: (value: string, [wanted = 'long']: readonly string[], context) => show(value, context, wanted, 'short'),
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
