import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { dataCheck, SAMPLE_KINDS, sampleOf, type JsonSchema } from './index.js';

const BOOKING = {
  type: 'object',
  required: ['reference', 'fares', 'at', 'currency'],
  additionalProperties: false,
  properties: {
    reference: { type: 'string', examples: ['SM-1042'] },
    givenName: { type: 'string', maxLength: 12 },
    at: { type: 'string', format: 'date-time' },
    currency: { type: 'string', format: 'currency' },
    state: { enum: ['held', 'paid'] },
    note: { type: ['string', 'null'], default: 'Pier 2' },
    seats: { type: 'integer', minimum: 1, maximum: 9 },
    fares: { type: 'array', minItems: 1, maxItems: 4, items: { $ref: '#/$defs/fare' } },
    extras: { type: 'object', additionalProperties: { type: 'number', minimum: 0.5, multipleOf: 0.5 } },
    pay: { oneOf: [{ type: 'null' }, { type: 'object', required: ['card'], properties: { card: { type: 'string', minLength: 4 } } }] },
  },
  $defs: {
    fare: {
      type: 'object',
      required: ['label'],
      properties: { label: { type: 'string' }, cents: { type: 'integer', exclusiveMinimum: 0 } },
    },
  },
} as const;

test('typical, minimal and nasty data of a schema', () => {
  expect(sampleOf(BOOKING, 'typical')).toEqual({
    reference: 'SM-1042',
    givenName: 'Given name',
    at: '2026-06-04T08:15:00Z',
    currency: 'EUR',
    state: 'held',
    note: 'Pier 2',
    seats: 2,
    fares: [
      { label: 'Label', cents: 2 },
      { label: 'Label 2', cents: 3 },
    ],
    extras: { first: 12.5, second: 13.5 },
    pay: { card: 'Card' },
  });
  expect(sampleOf(BOOKING, 'minimal')).toEqual({
    reference: 'SM-1042',
    fares: [{ label: 'x' }],
    at: '2026-06-04T08:15:00Z',
    currency: 'EUR',
  });
  const nasty = sampleOf(BOOKING, 'nasty') as { givenName: string; fares: { label: string }[]; state: string; seats: number };
  expect(nasty).toMatchObject({ givenName: `1 <b>&"' Ása`, state: 'paid', seats: 9 });
  expect(nasty.fares).toHaveLength(4);
  expect(nasty.fares[3]?.label).toContain('👩‍👩‍👧‍👦');
  for (const kind of SAMPLE_KINDS) expect(dataCheck(BOOKING)(sampleOf(BOOKING, kind))).toEqual([]);
});

test.each([
  ['^SM-[0-9]{4,6}$', 'SM-1234', 'SM-1234', 'SM-123456'],
  ['^(?:EUR|USD)$', 'EUR', 'EUR', 'EUR'],
  ['^\\d{2}:\\d{2}(:\\d{2})?$', '12:34:56', '12:34', '12:34:56'],
  ['^[A-Z][a-z]+ \\w*\\.$', 'Bc d.', 'Bc .', undefined],
  ['gate [^ab]', 'gate x', 'gate x', 'gate x'],
])('a text that matches %s', (pattern, typical, minimal, nasty) => {
  const schema = { type: 'string', pattern };
  for (const kind of SAMPLE_KINDS) expect(dataCheck(schema)(sampleOf(schema, kind))).toEqual([]);
  expect(sampleOf(schema, 'typical')).toBe(typical);
  expect(sampleOf(schema, 'minimal')).toBe(minimal);
  if (nasty !== undefined) expect(sampleOf(schema, 'nasty')).toBe(nasty);
});

test('a pattern that multiplies ends', () => {
  const schema = { type: 'string', pattern: `^${'('.repeat(30)}a${'+)'.repeat(30)}+$` };
  expect(String(sampleOf(schema, 'nasty')).length).toBeLessThan(5000);
});

test('the same each time', () => {
  for (const kind of SAMPLE_KINDS) expect(sampleOf(BOOKING, kind)).toEqual(sampleOf(BOOKING, kind));
});

test('a schema that refers to itself ends', () => {
  const tree = {
    type: 'object',
    required: ['name'],
    properties: { name: { type: 'string' }, under: { type: 'array', items: { $ref: '#' } } },
  };
  for (const kind of SAMPLE_KINDS) expect(dataCheck(tree)(sampleOf(tree, kind))).toEqual([]);
  const endless = { type: 'object', required: ['next'], properties: { next: { $ref: '#' } } };
  expect(() => sampleOf(endless, 'minimal')).not.toThrow();
});

const leaf = fc.oneof(
  fc.record({ type: fc.constant('string'), minLength: fc.nat({ max: 5 }), maxLength: fc.integer({ min: 5, max: 40 }) }),
  fc.record({
    type: fc.constant('string'),
    format: fc.constantFrom('date', 'date-time', 'uri', 'email', 'duration', 'currency', 'uuid', 'ipv4', 'time'),
  }),
  fc.record({ type: fc.constant('integer'), minimum: fc.integer({ min: -50, max: 5 }), maximum: fc.integer({ min: 6, max: 500 }) }),
  fc.record({ type: fc.constant('number'), multipleOf: fc.constantFrom(0.5, 5), minimum: fc.integer({ min: -20, max: 20 }) }),
  fc.record({ enum: fc.uniqueArray(fc.string(), { minLength: 1, maxLength: 3 }) }),
  fc.record({ type: fc.constant('boolean') }),
);
const { any } = fc.letrec((tie) => ({
  any: fc.oneof(
    { maxDepth: 3 },
    leaf,
    fc.record({ type: fc.constant('array'), items: tie('any'), minItems: fc.nat({ max: 3 }), maxItems: fc.integer({ min: 3, max: 20 }) }),
    fc.tuple(fc.dictionary(fc.constantFrom('a', 'b', 'c'), tie('any')), fc.boolean()).map(([properties, all]) => ({
      type: 'object',
      properties,
      required: all ? Object.keys(properties) : [],
      additionalProperties: false,
    })),
    fc.array(tie('any'), { minLength: 1, maxLength: 2 }).map((anyOf) => ({ anyOf })),
  ),
}));

describe('of any schema without conditions and patterns', () => {
  test.each(SAMPLE_KINDS)('what is %s fits it', (kind) => {
    fc.assert(
      fc.property(any as fc.Arbitrary<JsonSchema>, (schema) => {
        expect(dataCheck(schema)(sampleOf(schema, kind))).toEqual([]);
      }),
      { numRuns: 300 },
    );
  });
});
