import type { Format } from './format.js';
import { overExactly, ROUNDINGS, roundedTo, splitExactly, timesExactly, type Rounding } from './exact.js';
import { isUnit, minorUnits } from './kinds.js';
import { memo } from './memo.js';
import { Fault } from '../problems/index.js';

const plain = memo(
  (locale: string, digits: string) =>
    new Intl.NumberFormat(locale, digits === '' ? {} : { minimumFractionDigits: Number(digits), maximumFractionDigits: Number(digits) }),
);
const percents = memo(
  (locale: string, digits: string) => new Intl.NumberFormat(locale, { style: 'percent', maximumFractionDigits: Number(digits) }),
);
const units = memo((locale: string, unit: string) => new Intl.NumberFormat(locale, { style: 'unit', unit, unitDisplay: 'short' }));
const moneys = memo((locale: string, currency: string, digits: string) => {
  const fraction = Number(digits);
  return new Intl.NumberFormat(locale, { style: 'currency', currency, minimumFractionDigits: fraction, maximumFractionDigits: fraction });
});

const DIGITS = [0, 15] as const;
/** The same for rounding: before the point, too. */
const ROUNDED = [-15, 15] as const;

/** Fraction digits that a formatter's argument asks for, within what there is. */
function digitsOf(value: number | undefined, usual: string): string {
  return value === undefined || Number.isNaN(value) ? usual : String(Math.min(DIGITS[1], Math.max(DIGITS[0], Math.trunc(value))));
}

/** Integer minor units as an exact decimal text: 123456 with 3 digits is "123.456". */
function decimal(minor: bigint, digits: number): string {
  const text = String(minor < 0n ? -minor : minor).padStart(digits + 1, '0');
  const whole = text.slice(0, text.length - digits);
  const sign = minor < 0n ? '-' : '';
  return digits === 0 ? sign + whole : `${sign}${whole}.${text.slice(-digits)}`;
}

// The text part shows what the HTML has shown.
const shownMoney = memo((locale: string, currency: string, minor: string) => {
  const digits = minorUnits(currency);
  if (digits === undefined) throw new Fault('format-value', `"${currency}" is not an ISO 4217 currency code.`);
  // Exact for any size: a decimal text is not read as a double (ECMA-402 15.5.16).
  return moneys(locale, currency, String(digits)).format(decimal(BigInt(minor), digits) as unknown as number);
}, 2000);

function money(minor: number, currency: string, locale: string): string {
  if (!Number.isInteger(minor)) throw new Fault('format-value', `${minor} is not a whole number of minor units.`);
  return shownMoney(locale, currency, Number.isSafeInteger(minor) ? String(minor) : String(BigInt(minor)));
}

const ROUNDING = { name: 'rounding', kind: 'text', optional: true, choices: ROUNDINGS } as const;
const whole = (value: number): number => (Object.is(value, -0) ? 0 : value);
/** Equal parts of an amount at most. */
const MOST_PARTS = 1000;

export const NUMBER_FORMATS: readonly Format[] = [
  {
    name: 'round',
    takes: ['number', 'whole'],
    args: [{ name: 'digits', kind: 'whole', optional: true, range: ROUNDED }, ROUNDING],
    gives: 'number',
    summary:
      'Rounded to digits after the point (0, if left out; -3 for thousands). Halves go to the even neighbour, or as the rounding says: half-up, up, down.',
    example: { value: 2.5, gives: '2' },
    run: (value: number, [digits, rounding = 'half-even']: readonly [number?, Rounding?]) =>
      whole(roundedTo(value, Math.min(ROUNDED[1], Math.max(ROUNDED[0], Math.trunc(digits ?? 0) || 0)), rounding)),
  },
  {
    name: 'floor',
    takes: ['number', 'whole'],
    args: [],
    gives: 'whole',
    summary: 'The largest whole number that is not above it.',
    example: { value: 2.7, gives: '2' },
    run: (value: number) => whole(Math.floor(value)),
  },
  {
    name: 'ceil',
    takes: ['number', 'whole'],
    args: [],
    gives: 'whole',
    summary: 'The smallest whole number that is not below it.',
    example: { value: 2.1, gives: '3' },
    run: (value: number) => whole(Math.ceil(value)),
  },
  {
    name: 'abs',
    takes: ['number', 'whole'],
    args: [],
    gives: 'number',
    summary: 'The number without its sign.',
    example: { value: -650, gives: '650' },
    run: (value: number) => Math.abs(value),
  },
  {
    name: 'min',
    takes: ['number', 'whole'],
    args: [{ name: 'other', kind: 'number' }],
    gives: 'number',
    summary: 'The smaller of two numbers.',
    example: { value: 7, args: [5], gives: '5' },
    run: (value: number, [other = value]: readonly number[]) => Math.min(value, other),
  },
  {
    name: 'max',
    takes: ['number', 'whole'],
    args: [{ name: 'other', kind: 'number' }],
    gives: 'number',
    summary: 'The larger of two numbers.',
    example: { value: 7, args: [5], gives: '7' },
    run: (value: number, [other = value]: readonly number[]) => Math.max(value, other),
  },
  {
    name: 'difference',
    takes: ['number', 'whole'],
    args: [{ name: 'other', kind: 'number' }],
    gives: 'number',
    summary: 'How far two numbers are apart.',
    example: { value: 1250, args: [1400], gives: '150' },
    run: (value: number, [other = value]: readonly number[]) => Math.min(Number.MAX_VALUE, Math.abs(value - other)),
  },
  {
    name: 'times',
    takes: ['whole'],
    args: [{ name: 'rate', kind: 'number' }, ROUNDING],
    gives: 'whole',
    summary: 'An amount in minor units times a rate, calculated exactly and rounded once: 19% of 150 is 28 (of 28.5).',
    example: { value: 150, args: [0.19], gives: '28' },
    run: (value: number, [rate = 1, rounding = 'half-even']: readonly [number?, Rounding?]) => timesExactly(value, rate, rounding),
  },
  {
    name: 'over',
    takes: ['whole'],
    args: [{ name: 'divisor', kind: 'number' }, ROUNDING],
    gives: 'whole',
    summary: 'An amount in minor units divided by a number, calculated exactly and rounded once; absent for a division by 0.',
    example: { value: 1000, args: [3], gives: '333' },
    run: (value: number, [by = 1, rounding = 'half-even']: readonly [number?, Rounding?]) => overExactly(value, by, rounding),
  },
  {
    name: 'split',
    takes: ['whole'],
    args: [{ name: 'by', kind: 'any' }],
    gives: 'list',
    summary: 'An amount in minor units divided into equal parts, or by a list of weights, so that the parts add up to it.',
    example: { value: 1000, args: [3], gives: '[334,333,333]' },
    run: (value: number, [by]: readonly (number | readonly number[])[]) =>
      splitExactly(
        value,
        typeof by === 'number' ? new Array<number>(Math.min(MOST_PARTS, Math.max(1, Math.trunc(by)))).fill(1) : (by ?? []),
      ),
  },
  {
    name: 'number',
    takes: ['number', 'whole'],
    args: [{ name: 'digits', kind: 'whole', optional: true, range: DIGITS }],
    gives: 'text',
    summary: 'A number with the separators of the locale; with `digits`, exactly so many after the point.',
    example: { value: 12345.678, gives: '12,345.678' },
    run: (value: number, [digits]: readonly number[], context) => plain(context.locale, digitsOf(digits, '')).format(value),
  },
  {
    name: 'percent',
    takes: ['number', 'whole'],
    args: [{ name: 'digits', kind: 'whole', optional: true, range: DIGITS }],
    gives: 'text',
    summary: 'A share of one as a percentage; at most `digits` after the point.',
    example: { value: 0.25, gives: '25%' },
    run: (value: number, [digits]: readonly number[], context) => percents(context.locale, digitsOf(digits, '0')).format(value),
  },
  {
    name: 'money',
    takes: ['whole'],
    args: [{ name: 'currency', kind: 'currency' }],
    gives: 'text',
    summary: 'An amount in integer minor units with an ISO 4217 code, which says how many digits stand after the point.',
    example: { value: 123456, args: ['EUR'], gives: '€1,234.56' },
    run: (value: number, [currency = '']: readonly string[], context) => money(value, currency, context.locale),
  },
  {
    name: 'unit',
    takes: ['number', 'whole'],
    args: [{ name: 'unit', kind: 'unit' }],
    gives: 'text',
    summary: 'A measure: kilometer, kilogram, celsius, megabyte … (the units of ECMA-402).',
    example: { value: 12, args: ['kilometer'], gives: '12 km' },
    run: (value: number, [unit = '']: readonly string[], context) => {
      if (!isUnit(unit)) throw new Fault('format-value', `"${unit}" is not a unit that ECMA-402 names.`);
      return units(context.locale, unit).format(value);
    },
  },
];
