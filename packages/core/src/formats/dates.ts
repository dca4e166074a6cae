import { FormatFault, type Format, type FormatContext } from './format.js';
import { memo } from './memo.js';

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
  const at = Date.parse(value);
  if (Number.isNaN(at) || !/^\d{4}-\d{2}-\d{2}/.test(value)) throw new FormatFault(`"${value}" is no date that exists.`);
  return at;
}

// The text part shows what the HTML has shown.
const shown = memo(
  (locale: string, zone: string, dateStyle: string, timeStyle: string, value: string) =>
    formatter(locale, zone, dateStyle, timeStyle).format(instantOf(value)),
  2000,
);

function show(value: string, context: FormatContext, dateStyle: string, timeStyle: string): string {
  // A calendar date has no zone: it is read and shown in UTC, so that it never moves by a day.
  const zone = DATE_ONLY.test(value) ? 'UTC' : context.timeZone;
  return shown(context.locale, zone, dateStyle, timeStyle, value);
}

function showTime(value: string, context: FormatContext, style: string): string {
  if (!TIME_ONLY.test(value)) return show(value, context, '', style);
  return formatter(context.locale, 'UTC', '', style).format(instantOf(`1970-01-01T${value.slice(0, 5)}:00Z`));
}

const relativeFormat = memo((locale: string) => new Intl.RelativeTimeFormat(locale, { numeric: 'auto' }));
const STEPS = [
  ['day', 86_400],
  ['hour', 3600],
  ['minute', 60],
  ['second', 1],
] as const;

function relative(value: string, context: FormatContext): string {
  const seconds = Math.round((instantOf(value) - context.now) / 1000);
  const [unit, size] = STEPS.find(([, one]) => Math.abs(seconds) >= one) ?? ['second', 1];
  return relativeFormat(context.locale).format(Math.round(seconds / size), unit);
}

const unitFormat = memo((locale: string, unit: string) => new Intl.NumberFormat(locale, { style: 'unit', unit, unitDisplay: 'long' }));
const joinUnits = memo((locale: string) => new Intl.ListFormat(locale, { type: 'unit', style: 'narrow' }));
const DURATION = /^P(?:(\d{1,6})D)?(?:T(?:(\d{1,6})H)?(?:(\d{1,6})M)?(?:(\d{1,6})S)?)?$/;

function duration(value: string | number, context: FormatContext): string {
  let seconds: number;
  if (typeof value === 'number') seconds = Math.round(value);
  else {
    const found = DURATION.exec(value);
    if (found === null) throw new FormatFault(`"${value}" is no ISO 8601 duration such as "PT1H30M".`);
    const [d, h, m, s] = found.slice(1).map((part: string | undefined) => Number(part ?? 0)) as [number, number, number, number];
    seconds = d * 86_400 + h * 3600 + m * 60 + s;
  }
  const parts: string[] = [];
  let left = Math.abs(seconds);
  for (const [unit, size] of STEPS) {
    const count = Math.floor(left / size);
    left -= count * size;
    if (count > 0) parts.push(unitFormat(context.locale, unit).format(count));
  }
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
    summary: 'How far from now, in the largest unit that fits.',
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
