import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { maskingOf, sensitiveFault, type JsonSchema } from './index.js';

const secret = { type: 'string', 'x-sensitive': true };

function shown(schema: JsonSchema, data: unknown): unknown {
  return maskingOf(schema)?.shown(data);
}

describe('what a data schema marks as sensitive is hidden', () => {
  test('in fields, lists and records, and nothing else', () => {
    const schema = {
      type: 'object',
      properties: {
        name: { type: 'string' },
        code: secret,
        visits: { type: 'array', items: { type: 'object', properties: { at: { type: 'string' }, door: secret } } },
        pair: { prefixItems: [{ type: 'string' }, secret] },
        account: { type: 'object', 'x-sensitive': true, properties: { number: { type: 'string' } } },
      },
    };
    const data = { name: 'Ada', code: '123456', visits: [{ at: 'noon', door: '9' }], pair: ['a', 'b'], account: { number: '77' } };
    expect(shown(schema, data)).toEqual({
      name: 'Ada',
      code: '•••',
      visits: [{ at: 'noon', door: '•••' }],
      pair: ['a', '•••'],
      account: '•••',
    });
  });

  test.each<[string, JsonSchema]>([
    ['a reference', { properties: { code: { $ref: '#/$defs/code' } }, $defs: { code: secret } }],
    ['an anchor', { properties: { code: { $ref: '#code' } }, $defs: { code: { $anchor: 'code', ...secret } } }],
    ['a reference to itself', { $ref: '#/$defs/all', $defs: { all: { allOf: [{ $ref: '#/$defs/all' }], properties: { code: secret } } } }],
    ['allOf', { allOf: [{ properties: { code: secret } }] }],
    ['one of several alternatives', { oneOf: [{ properties: { code: { type: 'string' } } }, { properties: { code: secret } }] }],
    ['a condition', { if: { properties: { kind: { const: 'x' } } }, then: { properties: { code: secret } } }],
    ['a dependent schema', { dependentSchemas: { name: { properties: { code: secret } } } }],
    ['a pattern', { patternProperties: { '^co': secret } }],
    ['all other fields', { additionalProperties: secret, properties: { name: true } }],
    ['fields that nothing evaluates', { unevaluatedProperties: secret, properties: { name: true } }],
  ])('by %s', (_, schema) => {
    expect(shown(schema, { name: 'Ada', code: '123456' })).toEqual({ name: 'Ada', code: '•••' });
  });

  test('a field may have the name of the keyword, or of a keyword that holds fields', () => {
    expect(maskingOf({ properties: { 'x-sensitive': { type: 'string' } } })).toBeUndefined();
    const inner = { properties: { properties: secret, $defs: { type: 'string' } } };
    expect(shown(inner, { properties: 'a', $defs: 'b' })).toEqual({ properties: '•••', $defs: 'b' });
  });

  test('a value of any type', () => {
    const schema = { properties: { it: { 'x-sensitive': true } } };
    for (const it of ['', 0, 12, true, null, [], [1], {}, { a: 1 }]) expect(shown(schema, { it })).toEqual({ it: '•••' });
  });

  test('stand-ins are of the kind of the value', () => {
    const schema = {
      properties: {
        link: { ...secret, format: 'uri' },
        on: { ...secret, format: 'date' },
        lasts: { ...secret, format: 'duration' },
        code: secret,
        cents: { type: 'integer', 'x-sensitive': true },
        account: {
          type: 'object',
          'x-sensitive': true,
          properties: { number: { type: 'string' }, owner: { type: 'object', properties: { name: { type: 'string' } } } },
        },
        codes: { type: 'array', 'x-sensitive': true },
      },
    };
    const data = { link: 'https://a.example/t', on: '2026-01-02', lasts: 'P2D', code: '1', cents: 250, codes: ['1', '2'] };
    const all = { ...data, account: { number: '7', owner: { name: 'Ada', pin: '1' }, '4711': 'x' } };
    const standIns = maskingOf(schema)?.standIns(all);
    // They are the same from what is shown: the data need not be kept for them.
    expect(maskingOf(schema)?.standIns(shown(schema, all))).toEqual(standIns);
    expect(standIns).toEqual({
      link: 'https://masked.invalid/',
      on: '2000-01-01',
      lasts: expect.stringMatching(/^P/),
      code: '•••',
      cents: 0,
      codes: [],
      account: { number: '•••', owner: { name: '•••' } },
    });
  });

  test('a mark that is neither true nor false is a fault', () => {
    expect(sensitiveFault({ properties: { 'a/b': { 'x-sensitive': 'yes' } } })).toBe('/properties/a~1b/x-sensitive');
    expect(sensitiveFault({ properties: { a: { 'x-sensitive': false }, b: secret } })).toBeUndefined();
  });
});

test('what is shown says nothing about what is hidden', () => {
  const schema = {
    type: 'object',
    properties: { open: {}, code: { 'x-sensitive': true }, list: { items: { properties: { pin: { 'x-sensitive': true }, at: {} } } } },
  };
  const masking = maskingOf(schema);
  const json = fc.jsonValue({ maxDepth: 3 });
  fc.assert(
    fc.property(json, fc.array(json), fc.array(json, { minLength: 1 }), json, (open, places, secrets, code) => {
      const data = (from: readonly unknown[], hidden: unknown) => ({
        open,
        code: hidden,
        list: places.map((at, i) => ({ at, pin: from[i % from.length] })),
      });
      const [one, other] = [data(secrets, code), data([...secrets, 'z'].reverse(), `x${JSON.stringify(code)}`)];
      expect(masking?.shown(one)).toEqual(masking?.shown(other));
      expect(masking?.shown(one)).toMatchObject({ open });
    }),
  );
});
