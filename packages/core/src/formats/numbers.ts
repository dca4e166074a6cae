import type { Format } from './format.js';
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

export const NUMBER_FORMATS: readonly Format[] = [
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
