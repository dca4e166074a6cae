import { expect, test } from '@jest/globals';
import { FORMATS, type FormatContext } from './index.js';

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
  ['time', '08:15:00', [], { locale: 'de' }, '08:15'],
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
  ['number', 1, [99]],
])('%s refuses %j %j', (name, value, args) => {
  expect(() => run(name, value, args)).toThrow();
});
