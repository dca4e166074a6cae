import { describe as group, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { Budget, BudgetExceeded } from '../problems/index.js';
import { readPayloadTemplate } from './index.js';

const event = {
  id: 'a1:failed',
  n: 4,
  ok: false,
  data: { cause: 'mailbox-full', labels: { till: '4' }, absent: null },
  list: [1, 2, 3],
  people: [{ name: 'Ása' }, { name: 'Liv' }],
};
const made = (template: unknown): unknown => {
  const { payload, problems } = readPayloadTemplate(template, 'payload');
  expect(problems).toEqual([]);
  return payload({ event });
};

group('JSON from data', () => {
  test.each([
    ['what holds no expression stays', { a: 1, b: [true, null, 'x'], c: {} }, { a: 1, b: [true, null, 'x'], c: {} }],
    [
      'one expression keeps its type',
      { n: '{{ event.n }}', ok: '{{ event.ok }}', list: '{{ event.list }}' },
      { n: 4, ok: false, list: [1, 2, 3] },
    ],
    ['text around makes a text', '{{ event.n }} of {{ event.id }}', '4 of a1:failed'],
    ['what is absent is left out', { a: '{{ event.none }}', b: '{{ event.data.none.deeper }}', c: 1 }, { c: 1 }],
    ['also from lists', ['{{ event.none }}', 1], [1]],
    ['within a text it is nothing', 'x{{ event.none }}y', 'xy'],
    ['formatters', '{{ event.id | upper }}', 'A1:FAILED'],
    ['a default', '{{ event.none ?? "–" }}', '–'],
    ['each', { $each: 'p in event.people', $value: { hi: '{{ p.name }}' } }, [{ hi: 'Ása' }, { hi: 'Liv' }]],
    [
      'each gives its entries to the list around',
      ['first', { $each: 'n in event.list', $value: '{{ n + 1 }}' }, 'last'],
      ['first', 2, 3, 4, 'last'],
    ],
    ['each over what is no list', { $each: 'n in event.id', $value: 1 }, []],
    [
      'a loop within a loop',
      { $each: 'p in event.people', $value: { $each: 'n in event.list', $value: '{{ p.name }}{{ n }}' } },
      [
        ['Ása1', 'Ása2', 'Ása3'],
        ['Liv1', 'Liv2', 'Liv3'],
      ],
    ],
    ['if', { $if: 'event.n > 3', $value: 'many', $else: 'few' }, 'many'],
    ['if without else is left out', { a: { $if: 'event.ok', $value: 1 } }, {}],
    ['in an entry of a loop: it is left out', { $each: 'n in event.list', $value: { $if: 'n != 2', $value: '{{ n }}' } }, [1, 3]],
    ['names of keys are no templates', { '{{ event.id }}': 1 }, { '{{ event.id }}': 1 }],
    ['quotes in values need no care', { text: '"{{ event.data.cause }}"\n' }, { text: '"mailbox-full"\n' }],
  ])('%s', (_name, template, wanted) => {
    expect(made(template)).toEqual(wanted);
  });

  test('nothing of JavaScript is reached, and no key is special', () => {
    expect(made({ a: '{{ event.constructor }}', b: '{{ event.__proto__ }}', c: '{{ event.list.length }}' })).toEqual({});
    const out = made(JSON.parse('{"__proto__": {"x": 1}, "a": 2}')) as Record<string, unknown>;
    expect(Object.keys(out)).toEqual(['__proto__', 'a']);
    expect(out['x']).toBeUndefined();
    expect(Object.getPrototypeOf(Object.getPrototypeOf(out))).toBeNull();
  });
});

group('a payload costs no more than its budget', () => {
  const events = Array.from({ length: 1000 }, (_, i) => ({ id: `e${i}`, data: { text: 'x'.repeat(1000) } }));
  const loops = (depth: number, value: unknown): unknown =>
    depth === 0 ? value : { $each: `e${depth} in events`, $value: loops(depth - 1, value) };
  /** What it has spent when it ends, and how it ended. */
  function spent(template: unknown): { steps: number; bytes: number; bound: unknown } {
    const counts = { steps: 0, bytes: 0 };
    class Counting extends Budget {
      override step(n = 1): void {
        counts.steps += n;
        super.step(n);
      }
      override spend(n: number): void {
        counts.bytes += n;
        super.spend(n);
      }
    }
    try {
      const { payload } = readPayloadTemplate(template, 'payload');
      JSON.stringify(payload({ events }, new Counting('It', { steps: 50_000, bytes: 1_000_000 })));
      return { ...counts, bound: undefined };
    } catch (error) {
      if (!(error instanceof BudgetExceeded)) throw error;
      return { ...counts, bound: error.bound };
    }
  }
  test.each<[string, unknown, string | undefined]>([
    ['six loops within each other', loops(6, '{{ e1.id }}'), 'steps'],
    ['six loops that make nothing', loops(6, { $if: 'e1.none', $value: 1 }), 'steps'],
    ['loops of texts that are always the same', loops(2, 'x'.repeat(1000)), 'bytes'],
    ['loops of texts with something put in', loops(2, 'x{{ e1.data.text }}'), 'bytes'],
    ['loops of values that are put in whole', loops(2, '{{ events }}'), 'bytes'],
    ['loops of names', loops(2, { ['k'.repeat(1000)]: '{{ e1.none }}' }), 'bytes'],
    ['loops of numbers', loops(2, 7), 'steps'],
    ['one loop', loops(1, { id: '{{ e1.id }}', hint: 'as it is' }), undefined],
  ])('%s', (_name, template, bound) => {
    const found = spent(template);
    expect(found.bound).toBe(bound);
    expect(found.steps).toBeLessThanOrEqual(50_001);
    // The last piece may go over.
    expect(found.bytes).toBeLessThan(1_000_000 + 1_100_000);
  });
});

group('what is wrong', () => {
  test.each([
    [{ a: '{{ event. }}' }, '$.a'],
    [{ a: [{ b: '{{ event.id | nope }}' }] }, '$.a[0].b'],
    [{ $each: 'event.list', $value: 1 }, '$'],
    [{ $if: '', $value: 1 }, '$'],
    [{ a: '{{ event.id' }, '$.a'],
  ])('%j names its path', (template, path) => {
    const { problems } = readPayloadTemplate(template, 'payload');
    expect(problems.length).toBeGreaterThan(0);
    expect(problems[0]?.message.startsWith(`${path}:`)).toBe(true);
  });

  test('a name that nothing will have, with what was likely meant', () => {
    const { problems } = readPayloadTemplate({ text: '{{ evnt.id }} {{ event.ie }}' }, 'payload', { event: ['id', 'data'] });
    expect(problems.map((problem) => problem.message)).toEqual([
      '$.text: There is no "evnt" here. Did you mean "event"?',
      '$.text: "event" has no "ie". Did you mean "id"?',
    ]);
    expect(readPayloadTemplate({ text: '{{ event.data.whatever }}' }, 'payload', { event: ['id', 'data'] }).problems).toEqual([]);
  });

  test('nesting is bounded', () => {
    let template: unknown = 'x';
    for (let i = 0; i < 60; i += 1) template = [template];
    expect(readPayloadTemplate(template, 'payload').problems[0]?.code).toBe('nesting');
  });

  test('any JSON is read without a throw, and what has no braces comes out as it is', () => {
    fc.assert(
      fc.property(fc.json({ maxDepth: 6 }), (written) => {
        const json = JSON.parse(written) as unknown;
        const { payload, problems } = readPayloadTemplate(json, 'payload');
        const text = JSON.stringify(json);
        const out = payload({ event });
        if (!text.includes('{{') && !text.includes('"$')) {
          expect(problems).toEqual([]);
          expect(JSON.stringify(out)).toBe(text);
        }
      }),
      { numRuns: 500 },
    );
  });
});
