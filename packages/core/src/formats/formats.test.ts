import { expect, test } from '@jest/globals';
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { CURRENCIES, FORMATS, minorUnits, TEXT_KINDS, type FormatContext } from './index.js';

const CONTEXT: FormatContext = { locale: 'en', timeZone: 'UTC', now: Date.parse('2026-06-04T08:00:00Z') };

function run(name: string, value: unknown, args: readonly unknown[] = [], context: Partial<FormatContext> = {}): unknown {
  const format = FORMATS.get(name)?.run as unknown as (value: unknown, args: readonly unknown[], context: FormatContext) => unknown;
  return format(value, args, { ...CONTEXT, ...context });
}
// Intl sets no-break spaces of several kinds; a test reads better without them.
const plain = (text: unknown): string => String(text).replace(/[\u00A0\u202F]/g, ' ');

test.each([...FORMATS.values()].map((format) => [format.name, format] as const))('the example of %s is true', (name, { example }) => {
  expect(plain(run(name, example.value, example.args))).toBe(example.gives);
});

test.each([
  ['money', 123456, ['ISK'], { locale: 'en' }, 'ISK 123,456'],
  ['money', 123456, ['KWD'], { locale: 'en' }, 'KWD 123.456'],
  ['money', -5, ['EUR'], { locale: 'de' }, '-0,05 €'],
  ['money', 9007199254740991, ['EUR'], { locale: 'en' }, '€90,071,992,547,409.91'],
  ['date', '2026-12-24', ['full'], { locale: 'fr', timeZone: 'Pacific/Auckland' }, 'jeudi 24 décembre 2026'],
  ['date', '2026-12-24T23:30:00Z', ['medium'], { timeZone: 'Europe/Paris' }, 'Dec 25, 2026'],
  ['time', '08:15:00Z', [], { locale: 'de' }, '08:15'],
  ['time', '08:15:00+02:00', [], { locale: 'de', timeZone: 'Europe/Paris' }, '08:15'],
  ['relative', '2026-06-01', [], {}, '3 days ago'],
  ['duration', 5400, [], { locale: 'de' }, '1 Stunde, 30 Minuten'],
  ['list', ['a', 'b'], ['or'], { locale: 'fr' }, 'a ou b'],
  ['upper', 'iı', [], { locale: 'tr' }, 'İI'],
  ['shorten', '👩‍👩‍👧‍👦👩‍👩‍👧‍👦👩‍👩‍👧‍👦', [2], {}, '👩‍👩‍👧‍👦…'],
  ['url', '\uD800', [], {}, '%EF%BF%BD'],
])('%s of %j', (name, value, args, context, wanted) => {
  expect(plain(run(name, value, args, context))).toBe(wanted);
});

test.each([
  ['money', 1.5, ['EUR']],
  ['money', 1, ['XYZ1']],
  ['date', '2026-99-01', []],
  ['unit', 1, ['parsec']],
  ['duration', '90 minutes', []],
  ['phone', '12345', []],
])('%s refuses %j %j', (name, value, args) => {
  expect(() => run(name, value, args)).toThrow();
});

// The published list itself, as the data package brings it along: what is tested is what comes out of `money`.
const LIST = readFileSync(createRequire(import.meta.url).resolve('currency-codes/iso-4217-list-one.xml'), 'utf8');
const PUBLISHED = [...LIST.matchAll(/<Ccy>(\w{3})<\/Ccy>[\s\S]*?<CcyMnrUnts>([^<]*)<\/CcyMnrUnts>/g)].map(
  (found) => [found[1] ?? '', found[2] ?? ''] as const,
);

test('money has the minor units of ISO 4217 for every currency, and none for what has none', () => {
  expect(PUBLISHED.length).toBeGreaterThan(200);
  for (const [code, units] of PUBLISHED) {
    const digits = /^\d$/.test(units) ? Number(units) : undefined;
    expect([code, minorUnits(code)]).toEqual([code, digits]);
    if (digits === undefined) {
      expect(() => run('money', 1, [code])).toThrow(code);
      continue;
    }
    const text = plain(run('money', 1234567, [code]));
    const shown = (/[\d,.]+/.exec(text)?.[0] ?? '').replace(/,/g, '');
    expect([code, shown]).toEqual([code, (1234567 / 10 ** digits).toFixed(digits)]);
  }
  expect(CURRENCIES).toEqual(expect.arrayContaining(['EUR', 'HUF', 'XCG', 'ZWG', 'SLL']));
});

test.each([
  [123456, 'HUF', 'HUF 1,234.56'],
  [123456, 'IQD', 'IQD 123.456'],
  [123456, 'IDR', 'IDR 1,234.56'],
  [123456, 'JPY', '¥123,456'],
  [-1, 'CLF', '-CLF 0.0001'],
  [1e21, 'EUR', '€10,000,000,000,000,000,000.00'],
])('%d minor units of %s', (minor, code, wanted) => {
  expect(plain(run('money', minor, [code]))).toBe(wanted);
});

test.each([
  // value, now, zone, words
  ['2026-06-05', '2026-06-04T20:00:00Z', 'UTC', 'tomorrow'],
  ['2026-06-05', '2026-06-04T23:30:00Z', 'Europe/Paris', 'today'],
  ['2026-06-05T00:30:00Z', '2026-06-04T20:30:00Z', 'UTC', 'in 4 hours'],
  ['2026-06-05T20:00:00Z', '2026-06-04T19:40:00Z', 'UTC', 'tomorrow'],
  ['2026-06-04T23:59:00Z', '2026-06-04T00:00:00Z', 'UTC', 'in 24 hours'],
  ['2026-06-04T08:59:40Z', '2026-06-04T08:00:00Z', 'UTC', 'in 1 hour'],
  ['2026-06-04T08:00:59Z', '2026-06-04T08:00:00Z', 'UTC', 'in 59 seconds'],
  ['2026-06-01T08:00:00Z', '2026-06-04T07:00:00Z', 'UTC', '3 days ago'],
  ['2026-03-30', '2026-03-28T23:30:00Z', 'Europe/Paris', 'tomorrow'],
])('relative: %s seen at %s in %s is "%s"', (value, now, timeZone, wanted) => {
  expect(run('relative', value, [], { now: Date.parse(now), timeZone })).toBe(wanted);
});

test.each([
  ['P2W', '2 weeks'],
  ['P1Y2M3D', '1 year 2 months 3 days'],
  ['PT90M', '1 hour 30 minutes'],
  ['PT0S', '0 seconds'],
  ['P999999999Y', '999,999,999 years'],
])('duration: %s is "%s"', (value, wanted) => {
  expect(run('duration', value)).toBe(wanted);
});

test('dates and times that exist, and those that do not', () => {
  const is = (kind: string, text: string): boolean => TEXT_KINDS[kind]?.is(text) ?? false;
  for (const text of ['2026-06-30T23:59:60Z', '2026-07-01T01:59:60+02:00', '2026-06-04t08:15:00.123456789z'])
    expect([text, is('date-time', text), typeof run('datetime', text)]).toEqual([text, true, 'string']);
  for (const text of [
    '2026-06-04T08:15:60Z',
    '2026-06-04 08:15:00Z',
    '2026-06-04T24:00:00Z',
    '2026-06-04T08:15:00+24:00',
    '2026-02-29T08:15:00Z',
  ])
    expect([text, is('date-time', text)]).toEqual([text, false]);
  expect([is('date', '2028-02-29'), is('date', '2026-02-29'), is('date', '2100-02-29'), is('date', '0000-01-01')]).toEqual([
    true,
    false,
    false,
    true,
  ]);
  expect(['P1Y', 'P2W', 'PT1H'].map((text) => is('duration', text))).toEqual([true, true, true]);
  expect(['P', 'PT', 'P1W1D', 'P1234567890D', 'P1.5D'].map((text) => is('duration', text))).toEqual([false, false, false, false, false]);
  expect(plain(run('time', '08:15:00+02:00', [], { timeZone: 'America/New_York' }))).toBe('2:15 AM');
});
