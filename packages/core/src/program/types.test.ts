import { describe as group, expect, test } from '@jest/globals';
import { md, object, testFolder } from './test-folder.js';
import { dataCheck, declareData, inWords, typeOfSchema, type JsonSchema } from '../typing/index.js';

/** Codes of the errors that a body gives. */
function errors(schema: JsonSchema, body: string, more: Record<string, string> = {}): string[] {
  const { problems } = testFolder(schema, { 'templates/t/message.md': md(body), ...more });
  return problems.filter((problem) => problem.severity === 'error').map((problem) => problem.code);
}
const STRING = { type: 'string' };
const VARIANTS = {
  type: 'object',
  oneOf: [object({ kind: { const: 'a' }, code: STRING }), object({ kind: { const: 'b' }, n: { type: 'integer' } })],
};

group('what was accepted and printed holes is refused', () => {
  const cases: [name: string, schema: JsonSchema, body: string, code: string][] = [
    ['a field of one variant of the root', VARIANTS, '{{ code }}', 'maybe-absent'],
    ['a list of records', object({ a: { type: 'array', items: object({ b: STRING }) } }), '{{ a | list }}', 'formatter-type'],
    [
      'joined entries that may be null',
      object({ a: { type: 'array', items: { type: ['string', 'null'] } } }),
      '{{ a | join }}',
      'formatter-type',
    ],
    ['joined lists', object({ a: { type: 'array', items: { type: 'array', items: STRING } } }), '{{ a | join }}', 'formatter-type'],
    ['entries of any kind', object({ a: { type: 'array' } }), '{{ a | list }}', 'formatter-type'],
    ['a schema without a type', object({ a: { minLength: 1 } }), '{{ a }}', 'insert-type'],
    ['a root without a type', { properties: { a: STRING }, required: ['a'] }, '{{ a }}', 'schema-root'],
    ['nullable', object({ a: { type: 'string', nullable: true } }), '{{ a }}', 'maybe-absent'],
    [
      'an anchor',
      { ...object({ a: { $ref: '#thing' } }), $defs: { x: { $anchor: 'thing', type: ['string', 'null'] } } },
      '{{ a }}',
      'maybe-absent',
    ],
    ['a division by what may be 0', object({ a: { type: 'integer' }, b: { type: 'integer' } }), '{{ a / b }}', 'maybe-absent'],
    ['a rest of what may be 0', object({ a: { type: 'integer' }, b: { type: 'integer' } }), '{{ a % b }}', 'maybe-absent'],
    ['sums of anything', object({ a: {}, b: { type: 'integer' } }), '{{ b + a }}', 'maybe-absent'],
    ['a comparison with anything', object({ a: {}, b: { type: 'integer' } }), '{{ if (a ?? 1) > b }}x{{ end }}', 'operator-type'],
    [
      'a date and a date-time',
      object({ a: { type: 'string', format: 'date' }, b: { type: 'string', format: 'date-time' } }),
      '{{ if a < b }}x{{ end }}',
      'operator-type',
    ],
    ['durations in order', object({ a: { type: 'string', format: 'duration' } }), '{{ if a < a }}x{{ end }}', 'operator-type'],
    ['lists that are equal', object({ a: { type: 'array', items: STRING } }), '{{ if a == a }}x{{ end }}', 'operator-type'],
    [
      'a unit that there is not, in a branch that no sample runs',
      object({ a: { type: 'integer' } }),
      '{{ if a > 5 }}{{ a | unit "parsec" }}{{ end }}',
      'formatter-type',
    ],
    ['a currency that there is not', object({ a: { type: 'integer' } }), '{{ a | money "XYZ1" }}', 'formatter-type'],
    [
      'a currency of an enumeration that is none',
      object({ a: { type: 'integer' }, c: { enum: ['EUR', 'EURO'] } }),
      '{{ a | money c }}',
      'formatter-type',
    ],
    ['a currency of any letters', object({ a: { type: 'integer' }, c: STRING }), '{{ a | money c }}', 'formatter-type'],
    ['more digits than there are', object({ a: { type: 'number' } }), '{{ a | number 99 }}', 'formatter-range'],
    ['a style that comes from data', object({ a: { type: 'string', format: 'date' }, s: STRING }), '{{ a | date s }}', 'formatter-choice'],
    [
      'a name that looks like a place in the schema',
      object({ 'x/properties/y': { type: ['string', 'null'] }, x: object({ y: STRING }) }),
      '{{ mail["x"] }}',
      'unknown-field',
    ],
    [
      'another field than the one that was tested',
      object({ a: { type: 'object', properties: { 'b][c': STRING, b: object({ c: STRING }) } } }),
      '{{ if a["b][c"] }}{{ a["b"]["c"] }}{{ end }}',
      'maybe-absent',
    ],
    [
      'a field that another variant may have as anything',
      {
        type: 'object',
        oneOf: [
          object({ k: { const: 1 }, v: STRING }, { additionalProperties: true }),
          object({ k: { const: 2 } }, { additionalProperties: true }),
        ],
      },
      '{{ v ?? "" }}',
      'insert-type',
    ],
    [
      'a value of a fourth kind',
      { type: 'object', required: ['a'], properties: { a: { oneOf: [STRING, object({ b: STRING })] } } },
      '{{ a }}',
      'insert-type',
    ],
    [
      'a list that is only sometimes one',
      object({ a: { type: ['array', 'string'], items: STRING } }),
      ':::each x in a\n{{ x }}\n:::',
      'each-type',
    ],
    ['line breaks where there can be none', object({ a: STRING }), '![{{ a | lines }}](https://x.example/a.png)', 'lines-here'],
  ];
  test.each(cases)('%s', (_name, schema, body, code) => {
    expect(errors(schema, body)).toContain(code);
  });
});

group('what is right is accepted, and renders', () => {
  const cases: [name: string, schema: JsonSchema, body: string, data: unknown, text: string][] = [
    ['a narrowed variant of the root', VARIANTS, '{{ if kind == "a" }}{{ code }}{{ else }}{{ n }}{{ end }}', { kind: 'b', n: 3 }, '3'],
    ['a field that only one variant has', VARIANTS, '{{ if n }}{{ n + 1 }}{{ end }}x', { kind: 'b', n: 3 }, '4x'],
    [
      'allOf chains and refinements',
      {
        ...object({ a: { allOf: [{ $ref: '#/$defs/x' }, { properties: { b: { minLength: 1 } } }] } }),
        $defs: { x: { allOf: [{ $ref: '#/$defs/y' }, { required: ['b'] }] }, y: { type: 'object', properties: { b: STRING } } },
      },
      '{{ a.b }}',
      { a: { b: 'x' } },
      'x',
    ],
    [
      'a reference with more beside it',
      { ...object({ a: { $ref: '#/$defs/x', required: ['b'] } }), $defs: { x: { type: 'object', properties: { b: STRING } } } },
      '{{ a.b }}',
      { a: { b: 'x' } },
      'x',
    ],
    [
      'if, then, else',
      {
        ...object({ kind: { enum: ['a', 'b'] } }, { additionalProperties: true }),
        if: { properties: { kind: { const: 'a' } } },
        then: { required: ['code'], properties: { code: STRING } },
        else: { required: ['n'], properties: { n: { type: 'integer' } } },
      },
      '{{ kind == "a" ? code : n }}',
      { kind: 'a', code: 'x' },
      'x',
    ],
    [
      'fields by a pattern',
      object({ m: { type: 'object', patternProperties: { '^x-': STRING }, additionalProperties: false } }),
      '{{ m["x-a"] ?? "none" }}',
      { m: { 'x-a': 'y' } },
      'y',
    ],
    [
      'entries by their place',
      object({ m: { type: 'array', prefixItems: [STRING, { type: 'integer' }], minItems: 2 } }),
      '{{ m[0] | upper }} {{ m[1] + 1 }}',
      { m: ['a', 1] },
      'A 2',
    ],
    ['the first of at least one', object({ m: { type: 'array', items: STRING, minItems: 1 } }), '{{ m[0] }}', { m: ['a'] }, 'a'],
    [
      'the first of a list that was tested',
      object({ m: { type: 'array', items: STRING } }),
      '{{ if m }}{{ m[0] }}{{ end }}x',
      { m: ['a'] },
      'ax',
    ],
    [
      'a field by a name from data',
      object({ m: { type: 'object', additionalProperties: STRING }, k: STRING }),
      '{{ m[k] ?? "none" }}',
      { m: { a: 'b' }, k: 'a' },
      'b',
    ],
    [
      'a field by one of two names',
      object({ m: object({ a: STRING, b: STRING }), k: { enum: ['a', 'b'] } }),
      '{{ m[k] }}',
      { m: { a: 'x', b: 'y' }, k: 'b' },
      'y',
    ],
    [
      'dates of an enumeration',
      object({ a: { enum: ['2026-06-04', '2026-06-05'], format: 'date' } }),
      '{{ a | date }}',
      { a: '2026-06-04' },
      'June 4, 2026',
    ],
    ['enumerated values that are dates', object({ a: { enum: ['2026-06-04'] } }), '{{ a | date }}', { a: '2026-06-04' }, 'June 4, 2026'],
    ['a currency with its format', object({ c: { type: 'string', format: 'currency' } }), '{{ 1250 | money c }}', { c: 'EUR' }, '€12.50'],
    [
      'a division after a test',
      object({ a: { type: 'integer' }, b: { type: 'integer' } }),
      '{{ if b > 0 }}{{ a / b }}{{ end }}',
      { a: 6, b: 3 },
      '2',
    ],
    [
      'a division by what the schema keeps from 0',
      object({ a: { type: 'integer' }, b: { type: 'integer', minimum: 1 } }),
      '{{ a / b }} {{ a / 4 }}',
      { a: 6, b: 3 },
      '2 1.5',
    ],
    ['a division with another value', object({ a: { type: 'integer' } }), '{{ 1 / a ?? "none" }}', { a: 0 }, 'none'],
    [
      'moments, by when they are',
      object({ a: { type: 'string', format: 'date-time' }, b: { type: 'string', format: 'date-time' } }),
      '{{ a < b ? "first" : "then" }} {{ a == b ? "same" : "other" }}',
      { a: '2026-06-04T10:00:00+02:00', b: '2026-06-04T09:00:00Z' },
      'first other',
    ],
    [
      'the same moment, written twice',
      object({ a: { type: 'string', format: 'date-time' }, b: { type: 'string', format: 'date-time' } }),
      '{{ a == b ? "same" : "other" }}',
      { a: '2026-06-04T10:00:00+02:00', b: '2026-06-04T08:00:00Z' },
      'same',
    ],
    [
      'times with their offsets',
      object({ a: { type: 'string', format: 'time' }, b: { type: 'string', format: 'time' } }),
      '{{ a < b ? "first" : "then" }}',
      { a: '10:00:00+02:00', b: '09:00:00Z' },
      'first',
    ],
    ['a number without end', object({ a: { type: 'number' } }), '{{ a * a > 1 ? "big" : "small" }}', { a: 1e200 }, 'big'],
    [
      'a moment and what may be anything',
      object({ a: { oneOf: [{ type: 'string', format: 'time' }, {}] } }, { required: [] }),
      '{{ a == a ? "same" : "other" }}',
      { a: { b: 1 } },
      'same',
    ],
    ['lines', object({ a: STRING }), '{{ a | lines }}', { a: 'Pier 1\nBrackwater' }, 'Pier 1\nBrackwater'],
  ];
  test.each(cases)('%s', (_name, schema, body, data, text) => {
    expect(dataCheck(schema)(data)).toEqual([]);
    const folder = testFolder(schema, { 'templates/t/message.md': md(body) });
    expect(folder.problems.filter((problem) => problem.severity === 'error')).toEqual([]);
    expect(folder.render(data).text.trim()).toBe(text);
  });

  test('lines stay lines in both parts, and nowhere else', () => {
    const { render } = testFolder(object({ a: STRING }), { 'templates/t/message.md': md('To {{ a | lines }}, not {{ a }}.') });
    const { html, text } = render({ a: 'a\r\n<b>\nc' });
    expect(html).toContain('To a<br>\n&lt;b&gt;<br>\nc, not a\n&lt;b&gt;\nc.');
    expect(text).toBe('To a\n<b>\nc, not a <b> c.\n');
  });

  test('a schema that refers to itself ends', () => {
    const tree: JsonSchema = {
      ...object({ t: { $ref: '#/$defs/node' } }),
      $defs: {
        node: object({ name: STRING, next: { anyOf: [{ $ref: '#/$defs/node' }, { type: 'null' }] } }),
      },
    };
    expect(errors(tree, '{{ t.name }} {{ t.next.next.name ?? "end" }}')).toEqual([]);
    expect(inWords(typeOfSchema({ $ref: '#/$defs/a', $defs: { a: { $ref: '#/$defs/a' } } }))).toBe('anything or absent');
  });

  test('many alternatives do not multiply without end', () => {
    const choice = { oneOf: Array.from({ length: 12 }, (_, i) => ({ properties: { [`p${i}`]: STRING } })) };
    const schema = { type: 'object', allOf: Array.from({ length: 12 }, () => choice) };
    expect(errors(schema, '{{ p0 ?? "none" }}').length).toBeLessThan(2);
  });
});

group('inputs of a block of one’s own', () => {
  const uses = (
    inputs: string,
    args: string,
    schema: JsonSchema = object({
      r: object({ a: STRING }),
      l: { type: 'array', items: object({ b: STRING }) },
      s: STRING,
      o: { type: ['string', 'null'] },
    }),
    body = 'x',
  ): string[] => errors(schema, `::b ${args}`, { 'blocks/b.md': `---\ninputs:\n  i: ${inputs}\n---\n${body}` });
  test.each([
    ['{ enum: [a, b] }', 'i=c', 'input-type'],
    ['{ enum: [a, b] }', 'i={{ s }}', 'input-type'],
    ['{ type: object, required: [x], properties: { x: { type: string } } }', 'i={{ r }}', 'input-type'],
    ['{ type: object, required: [a], properties: { a: { type: integer } } }', 'i={{ r }}', 'input-type'],
    ['{ type: array, items: { type: string } }', 'i={{ l }}', 'input-type'],
    ['{ type: string }', 'i={{ o }}', 'maybe-absent'],
    ['{ type: string, format: date }', 'i="4 June"', 'input-type'],
    ['{ type: string, format: uri }', 'i={{ s }}', 'input-type'],
    ['{ type: string, format: uri }', 'i="javascript:x"', 'link-scheme'],
    ['{ type: string, default: 4 }', 'i=x', 'inputs'],
    ['{ description: anything }', 'i=x', 'inputs'],
    ['{ type: string }', 'i=r.a', 'bare-path'],
  ])('%s given %s: %s', (inputs, args, code) => {
    expect(uses(inputs, args)).toContain(code);
  });
  test.each([
    ['{ enum: [a, b] }', 'i=a'],
    ['{ type: object, required: [a], properties: { a: { type: string } } }', 'i={{ r }}'],
    ['{ type: array, items: { type: object, required: [b], properties: { b: { type: string } } } }', 'i={{ l }}'],
    ['{ type: string, format: date }', 'i="2026-06-04"'],
    ['{ type: boolean }', 'i=true'],
    ['{ type: integer }', 'i=3'],
    ['{ type: string, default: none }', 'i={{ o }}'],
    ['{ type: string }', 'i="r.a"'],
  ])('%s given %s is fine', (inputs, args) => {
    expect(uses(inputs, args)).toEqual([]);
  });
  test('what is left out or absent is its default', () => {
    const { render } = testFolder(object({ o: { type: ['string', 'null'] } }), {
      'blocks/b.md': '---\ninputs:\n  i: { type: string, default: usual }\n---\n{{ i }}',
      'templates/t/message.md': md('::b\n::b i={{ o }}\n::b i=own'),
    });
    expect(render({ o: null }).text).toBe('usual\n\nusual\n\nown\n');
  });
});

group('types as TypeScript', () => {
  const declared = (schema: JsonSchema): string => declareData(new Map([['t', schema]]));
  test('a list of alternatives is a list of any of them', () => {
    expect(declared(object({ a: { type: 'array', items: { enum: ['x', 'y', 3] } } }))).toContain('a: ("x" | "y" | 3)[];');
    expect(declared(object({ a: { type: 'array', items: { oneOf: [object({ b: STRING }), STRING] } } }))).toMatch(
      /a: \(\{\n\s+b: string;\n\s+\} \| string\)\[\];/,
    );
    expect(declared(object({ a: { type: 'array', items: { type: 'array', items: { type: ['string', 'null'] } } } }))).toContain(
      'a: (string | null)[][];',
    );
  });
  test('words, formats and fields of other names are kept', () => {
    const text = declared(
      object({
        at: { type: 'string', format: 'date-time', description: 'When it leaves */ really' },
        m: { type: 'object', additionalProperties: { type: 'integer' } },
      }),
    );
    expect(text).toContain('/** When it leaves *\u200B/ really. Format: date-time. */\n    at: string;');
    expect(text).toContain('m: Record<string, number>;');
  });
});

group('patterns', () => {
  test.each([
    ['^(a+)+$', 'aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaab', false],
    ['^(a|a?)+$', 'a'.repeat(40) + 'b', false],
    ['^SM-[0-9]{4,6}$', 'SM-1042', true],
    ['^\\p{Lu}\\p{Ll}+$', 'Ása', true],
  ])('%s against %s', (pattern, text, fits) => {
    expect(dataCheck({ type: 'string', pattern })(text)).toHaveLength(fits ? 0 : 1);
  });
  test.each(['(?=a)b', '(?<!a)b', '(a)\\1'])('%s is refused with its reason', (pattern) => {
    const { problems } = testFolder(object({ a: { type: 'string', pattern } }), { 'templates/t/message.md': md('{{ a }}') });
    expect(problems.find((problem) => problem.code === 'schema')?.message).toContain('look-ahead, look-behind and back-references');
  });
  const many = (count: number, schema: (i: number) => unknown): Record<string, unknown> =>
    Object.fromEntries(Array.from({ length: count }, (_, i) => [`p${i}`, schema(i)]));
  const doubling = {
    ...object({ a: { $ref: '#/$defs/p0' } }),
    $defs: many(40, (i) => (i === 39 ? STRING : { anyOf: [{ $ref: `#/$defs/p${i + 1}` }, { $ref: `#/$defs/p${i + 1}` }] })),
  };
  test.each<[string, JsonSchema]>([
    ['too many parts', { type: 'object', properties: many(2100, () => STRING) }],
    ['too many patterns', { type: 'object', properties: many(201, (i) => ({ type: 'string', pattern: `^a{${i}}$` })) }],
    ['too many alternatives', { type: 'object', oneOf: Array.from({ length: 201 }, () => ({})) }],
    ['alternatives that double with each reference', doubling],
    [
      'a reference to itself in two alternatives, one level down',
      { type: 'object', anyOf: [{ properties: { a: { $ref: '#' } } }, { properties: { a: { $ref: '#' } } }] },
    ],
    [
      'a reference to itself',
      { ...object({ a: { $ref: '#/$defs/a' } }), $defs: { a: { allOf: [{ $ref: '#/$defs/b' }] }, b: { $ref: '#/$defs/a' } } },
    ],
  ])('%s: refused at once', (_name, schema) => {
    expect(errors(schema, 'x')).toContain('schema-size');
  });
  test('data that nests without end is refused in a sentence', () => {
    let deep: unknown = 1;
    for (let i = 0; i < 100_000; i += 1) deep = [deep];
    expect(dataCheck({ type: 'object' })({ deep })).toEqual([{ path: '', message: 'nests deeper than 250 levels' }]);
  });
  test('a tree with two branches is no such thing, and is checked in no time', () => {
    const tree: JsonSchema = {
      type: 'object',
      properties: { left: { $ref: '#' }, right: { $ref: '#' }, kind: { type: 'string' } },
      oneOf: [{ required: ['kind'] }, { required: ['left'], properties: { more: { type: 'array', items: { $ref: '#' } } } }],
    };
    expect(errors(tree, '{{ kind ?? "none" }}')).toEqual([]);
    let data: unknown = { kind: 'leaf' };
    for (let i = 0; i < 200; i += 1) data = { left: data };
    expect(dataCheck(tree)(data)).toEqual([]);
  });
  test('no template is missing because its schema is wrong', () => {
    const { codes } = testFolder({ type: 'nothing' }, { 'templates/t/message.md': md('x') });
    expect(codes).toEqual(['schema']);
  });
});
