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
const plain = (value: unknown): string =>
  (typeof value === 'string' ? value : value === undefined ? 'undefined' : JSON.stringify(value)).replace(/[\u00A0\u202F\u2009]/g, ' ');

test.each([...FORMATS.values()].map((format) => [format.name, format] as const))('the example of %s is true', (name, { example }) => {
  expect(plain(run(name, example.value, example.args))).toBe(example.gives);
});

type Case = readonly [name: string, value: unknown, args: readonly unknown[], context: Partial<FormatContext>, wanted: string];
const CASES: readonly Case[] = [
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
  // Skeletons are in the order of the locale; letters are those of UTS 35.
  ['date', '2026-06-04', ['yMMMEd'], { locale: 'de' }, 'Do., 4. Juni 2026'],
  ['date', '2026-06-04', ['MMMMd'], { locale: 'ja' }, '6月4日'],
  ['time', '2026-06-04T08:15:00Z', ['Hmm'], {}, '08:15'],
  ['datetime', '2026-06-04T08:15:00Z', ['EEEEjmm'], { locale: 'de' }, 'Donnerstag, 08:15'],
  // A zone of the value's own is named where its clock differs from that of the mail.
  ['time', '2026-06-04T08:15:00Z', [undefined, 'Europe/Paris'], { locale: 'en-GB', timeZone: 'Europe/London' }, '10:15 CEST'],
  ['time', '2026-06-04T08:15:00Z', [undefined, 'Europe/Paris'], { locale: 'en-GB', timeZone: 'Europe/Berlin' }, '10:15'],
  ['datetime', '2026-06-04T08:15:00Z', [undefined, 'America/New_York'], {}, 'June 4, 2026 at 4:15 AM EDT'],
  ['date', '2026-06-04T23:15:00Z', [undefined, 'Asia/Tokyo'], {}, 'June 5, 2026'],
  // A date without a time never moves, whatever the zone.
  ['date', '2026-06-04', [undefined, 'Pacific/Kiritimati'], { timeZone: 'Pacific/Niue' }, 'June 4, 2026'],
  ['range', '2026-06-03', ['2026-06-05', 'EEEMMMMd'], { locale: 'en-GB' }, 'Wed 3 June – Fri 5 June'],
  ['range', '2026-12-30', ['2027-01-02'], { locale: 'de' }, '30. Dezember 2026 – 2. Januar 2027'],
  ['range', '2026-06-04T08:15:00Z', ['2026-06-04T09:45:00Z', 'jmm'], { locale: 'de' }, '08:15–09:45 Uhr'],
  ['range', '2026-06-05', ['2026-06-03'], {}, 'June 5, 2026'],
  ['weekday', '2026-06-04T23:15:00Z', [], { locale: 'fr', timeZone: 'Europe/Paris' }, 'vendredi'],
  ['week', '2027-01-01', [], {}, '53'],
  ['week', '2026-12-31', [], {}, '53'],
  ['week', '2024-12-30', [], {}, '1'],
  // The clocks change on 29 March 2026: the time of day stays, and a time that is skipped counts from before the gap.
  ['addDays', '2026-03-28T08:00:00Z', [1], { timeZone: 'Europe/Paris' }, '2026-03-29T07:00:00Z'],
  ['addDays', '2026-03-28T01:30:00Z', [1], { timeZone: 'Europe/Paris' }, '2026-03-29T01:30:00Z'],
  ['addDays', '2026-02-28', [1], {}, '2026-03-01'],
  ['addDays', '9999-12-31', [5], {}, '9999-12-31'],
  ['addMonths', '2024-01-31', [1], {}, '2024-02-29'],
  ['addMonths', '2026-03-31', [-13], {}, '2025-02-28'],
  ['addMonths', '2026-06-04T08:15:00.250Z', [6], { timeZone: 'Europe/Paris' }, '2026-12-04T09:15:00.250Z'],
  ['until', '2026-06-04', ['2026-06-18'], {}, 'P14D'],
  ['until', '2026-06-18', ['2026-06-04'], {}, 'PT0S'],
  // Decimals are what they are written as, not the doubles that are nearest to them.
  ['times', 50, [0.29], {}, '14'],
  ['times', 150, [0.29], {}, '44'],
  ['times', 150, [0.29, 'half-up'], {}, '44'],
  ['times', 50, [0.29, 'half-up'], {}, '15'],
  ['times', -50, [0.29, 'half-up'], {}, '-15'],
  ['times', 101, [0.2, 'up'], {}, '21'],
  ['times', 109, [0.2, 'down'], {}, '21'],
  ['times', 9007199254740991, [1], {}, '9007199254740991'],
  ['times', 1, [1e-30], {}, '0'],
  ['over', 1000, [3], {}, '333'],
  ['over', 5, [2], {}, '2'],
  ['over', 7, [2], {}, '4'],
  ['over', 1, [0], {}, 'undefined'],
  ['round', 1.005, [2], {}, '1'],
  ['round', 1.015, [2], {}, '1.02'],
  ['round', 1.005, [2, 'half-up'], {}, '1.01'],
  ['round', -0.4, [], {}, '0'],
  ['round', 1e21, [], {}, '1e+21'],
  ['round', 5e-324, [3], {}, '0'],
  ['split', 100, [[1, 1, 1]], {}, '[34,33,33]'],
  ['split', -100, [[1, 1, 1]], {}, '[-34,-33,-33]'],
  ['split', 999, [[0.5, 0.25, 0.25]], {}, '[499,250,250]'],
  ['split', 5, [[0, 0]], {}, '[3,2]'],
  ['split', 5, [[-1, 2]], {}, '[0,5]'],
  ['split', 5, [[]], {}, '[]'],
  ['split', 5, [0], {}, '[5]'],
  ['sort', ['ö', 'z', 'o'], [], { locale: 'sv' }, '["o","z","ö"]'],
  ['sort', ['ö', 'z', 'o'], [], { locale: 'de' }, '["o","ö","z"]'],
  ['sort', ['Pier 10', 'Pier 9'], [], {}, '["Pier 9","Pier 10"]'],
  ['sort', [{ a: 1 }, {}, { a: 2 }], ['a', 'descending'], {}, '[{"a":2},{"a":1},{}]'],
  ['sort', ['2026-06-04T10:00:00+02:00', '2026-06-04T07:30:00Z'], [], {}, '["2026-06-04T07:30:00Z","2026-06-04T10:00:00+02:00"]'],
  ['where', [{ a: { b: 1 } }, { a: {} }], ['a.b'], {}, '[{"a":{"b":1}}]'],
  ['where', [{ a: 1 }, { a: null }, {}], ['a', '=', undefined], {}, '[{"a":null},{}]'],
  ['where', [{ a: 1 }, {}], ['a', '<', 5], {}, '[{"a":1}]'],
  ['pick', [{ toString: 'own' }, {}], ['toString'], {}, '["own",null]'],
  ['sum', [], [], {}, '0'],
  [
    'sum',
    [
      { n: 1, c: 'EUR' },
      { n: 2, c: 'USD' },
    ],
    ['n', 'c'],
    {},
    'undefined',
  ],
  ['sum', [1e308, 1e308], [], {}, '1.7976931348623157e+308'],
  ['last', [1, 2], [0], {}, '[]'],
  ['words', 'Ein langer Gang am Kai', [2], { locale: 'de' }, 'Ein langer…'],
  ['words', 'short', [2], {}, 'short'],
  ['initials', 'ben-Ari', [], {}, 'BA'],
  ['initials', '💐 …', [], {}, '💐'],
];

test.each(CASES)('%s of %j', (name, value, args, context, wanted) => {
  expect(plain(run(name, value, args, context))).toBe(wanted);
});

test.each([
  ['money', 1.5, ['EUR']],
  ['money', 1, ['XYZ1']],
  ['date', '2026-99-01', []],
  ['unit', 1, ['parsec']],
  ['duration', '90 minutes', []],
  ['phone', '12345', []],
  ['time', '2026-06-04T08:15:00Z', [undefined, 'Moon/Base']],
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

test('letters are counted as people do, also where a mark joins the first', () => {
  const alone = Array.from({ length: 0x2e0 }, (_, i) => String.fromCharCode(0x20 + i));
  for (const text of [alone.join(''), [...alone].reverse().join('')])
    expect(Array.from(new Intl.Segmenter('en').segment(text), ({ segment }) => segment)).toEqual([...text]);
  expect(run('capital', 'e\u0301t\u00e9')).toBe('E\u0301t\u00e9');
  expect(run('capital', 'ijs', [], { locale: 'tr' })).toBe('İjs');
  expect(run('capital', 'ß')).toBe('SS');
  expect(run('shorten', 'cafe\u0301 noir', [5])).toBe('cafe\u0301…');
  expect(run('shorten', 'a red woollen scarf', [6])).toBe('a red…');
});

test('days from now are those of the calendar in the zone, from the first minute on', () => {
  const context = { locale: 'en', timeZone: 'Pacific/Auckland', now: Date.parse('2026-12-01T10:59:30Z') };
  expect(run('relative', '2026-12-02', [], context)).toBe('tomorrow');
  expect(run('relative', '2026-12-02', [], { ...context, now: Date.parse('2026-12-01T11:00:00Z') })).toBe('today');
  expect(run('relative', '1972-01-07', [], { locale: 'en', timeZone: 'Africa/Monrovia', now: Date.parse('1972-01-07T00:44:29Z') })).toBe(
    'tomorrow',
  );
});
