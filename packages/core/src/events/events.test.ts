import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  alertValue,
  bucketOf,
  countChanges,
  eventOf,
  fieldsOf,
  isFiring,
  isGenuine,
  passes,
  readFilter,
  secretText,
  percentile,
  waitBeforeNotice,
  webhookHeaders,
  type Comparison,
  type Counted,
  type EventFields,
  type EventInput,
  type Filter,
} from './index.js';
import { scaled } from '../../../../tests/support/scale.js';

const INPUT: EventInput = {
  id: 'a01:failed',
  space: 'harbour',
  kind: 'failed',
  at: Date.parse('2026-11-20T08:00:00Z'),
  fact: {
    source: 'attempt',
    cause: 'mailbox-full',
    status: '5.2.2',
    replyCode: 552,
    diagnostic: '552 5.2.2 Mailbox full',
    deliveryId: 'd01',
    messageId: 'm01',
    address: 'asa@post.example',
    domain: 'post.example',
    provider: 'north-relay',
    template: 'booking-confirmed',
    topic: 'bookings',
    locale: 'fr',
    edition: 14,
    subject: 'Booking SM-1042',
    reference: 'SM-1042',
    labels: { till: '4', crew: 'night shift' },
  },
};
const FIELDS = fieldsOf(INPUT);

describe('filters', () => {
  test.each<[filter: string, passes: boolean]>([
    ['', true],
    ['type = failed', true],
    ['type = "failed"', true],
    ["type = 'delivered'", false],
    ['type != delivered', true],
    ['type in [failed, complained]', true],
    ['type in [delivered]', false],
    ['type in [failed, complained] and topic = "bookings"', true],
    ['type in [failed, complained] and topic = pier-news', false],
    ['cause = mailbox-full', true],
    ['cause in [mailbox-unknown, mailbox-disabled]', false],
    ['not cause = mailbox-full', false],
    ['not not cause = mailbox-full', true],
    ['template = booking-confirmed or template = sign-in-code', true],
    ['type = delivered or type = failed and topic = bookings', true],
    ['(type = delivered or type = failed) and topic = account', false],
    ['type = delivered and topic = account or provider = north-relay', true],
    ['replyCode = 552', true],
    ['replyCode >= 500 and replyCode < 600', true],
    ['replyCode > 552', false],
    ['replyCode <= 552', true],
    ['replyCode != 552', false],
    ['replyCode in [550, 551]', false],
    ['edition = 14', true],
    ['edition > -1', true],
    ['diagnostic contains "mailbox FULL"', true],
    ['diagnostic contains quota', false],
    ['address starts-with asa', true],
    ['address = "asa@post.example"', true],
    ['address = "ASA@post.example"', false],
    ['domain = post.example', true],
    ['status starts-with "5."', true],
    ['status = 5.2.2', true],
    ['reference = SM-1042', true],
    ['subject contains booking', true],
    ['locale = fr', true],
    ['labels.till = "4"', true],
    ['labels.till = 4', true],
    ['labels.crew = "night shift"', true],
    ['labels.nobody = x', false],
    ['labels.nobody != x', true],
    ['rule = bounces', false],
    ['value > 5', false],
    ['space = harbour', true],
    ['subject contains "say \\"hi\\""', false],
    ['source = attempt and\n  deliveryId = d01', true],
  ])('%j is %p', (source, wanted) => {
    const { filter, fault } = readFilter(source);
    expect(fault).toBeUndefined();
    expect(passes(filter as Filter, FIELDS)).toBe(wanted);
  });

  test.each<[filter: string, at: number, says: RegExp, hint: RegExp]>([
    ['typ = failed', 0, /no field "typ"/, /type/],
    ['type = fialed', 7, /never "fialed"/, /failed/],
    ['type == failed', 6, /Expected a value, found "="/, /(?:)/],
    ['type', 4, /compared with nothing/, /contains/],
    ['type =', 6, /value is missing/, /(?:)/],
    ['type = failed topic = x', 14, /Expected the end/, /and/],
    ['type = failed and', 17, /condition is missing/, /field operator value/],
    ['(type = failed', 14, /parenthesis is not closed/, /\)/],
    ['type in failed', 8, /list must follow/, /\[one, two\]/],
    ['type in [failed', 15, /list is not closed/, /\]/],
    ['topic < bookings', 6, /texts have no "<"/, /contains/],
    ['replyCode contains 5', 10, /numbers have no "contains"/, /</],
    ['replyCode = high', 12, /"high" is none/, /(?:)/],
    ['topic = "bookings', 8, /not closed/, /"/],
    ['topic ~ x', 6, /no meaning/, /quotes/],
    ['topic is x', 6, /no operator/, /starts-with/],
    ['and type = failed', 0, /Expected a field/, /field operator value/],
    ['cause in [mailbox-ful]', 10, /never "mailbox-ful"/, /mailbox-full/],
    ['labels. = x', 0, /no field/, /labels\.NAME/],
    [`${'('.repeat(40)}type = failed${')'.repeat(40)}`, 33, /deeper than 32/, /(?:)/],
    [Array.from({ length: 101 }, () => 'edition = 1').join(' or '), 1500, /100 conditions at most/, /field in \[one, two\]/],
    ['x'.repeat(5000), 4000, /4000 signs/, /(?:)/],
  ])('%j is a fault at %p', (source, at, says, hint) => {
    const { fault } = readFilter(source);
    expect(fault?.message).toMatch(says);
    expect(fault?.at).toBe(at);
    expect(fault?.hint ?? '').toMatch(hint);
  });

  // A second, simplest implementation; the tree must agree with it.
  const FIELD_NAMES = ['topic', 'template', 'replyCode', 'edition', 'labels.till'] as const;
  type Naive = { text: string; test: (fields: EventFields) => boolean };
  const words = fc.constantFrom('a', 'ab', 'b', 'c');
  const leaf: fc.Arbitrary<Naive> = fc.oneof(
    fc
      .tuple(fc.constantFrom('topic', 'template', 'labels.till'), fc.constantFrom<Comparison>('=', '!=', 'contains', 'starts-with'), words)
      .map(([field, operator, value]) => ({
        text: `${field} ${operator} ${value}`,
        test: (fields: EventFields) => {
          const found = fields[field];
          if (operator === '!=') return found !== value;
          if (found === undefined) return false;
          return operator === '='
            ? found === value
            : operator === 'contains'
              ? String(found).includes(value)
              : String(found).startsWith(value);
        },
      })),
    fc
      .tuple(fc.constantFrom('replyCode', 'edition'), fc.constantFrom('<', '<=', '>', '>=', '='), fc.integer({ min: 0, max: 4 }))
      .map(([field, operator, value]) => ({
        text: `${field} ${operator} ${value}`,
        test: (fields: EventFields) => {
          const found = fields[field];
          if (typeof found !== 'number') return false;
          return (
            { '<': found < value, '<=': found <= value, '>': found > value, '>=': found >= value, '=': found === value }[operator] ?? false
          );
        },
      })),
    fc.tuple(fc.constantFrom('topic', 'template'), fc.array(words, { minLength: 1, maxLength: 3 })).map(([field, values]) => ({
      text: `${field} in [${values.join(', ')}]`,
      test: (fields: EventFields) => values.some((value) => value === fields[field]),
    })),
  );
  const tree = fc.letrec<{ node: Naive }>((tie) => ({
    node: fc.oneof(
      { maxDepth: 4 },
      leaf,
      fc.tuple(fc.constantFrom('and', 'or'), fc.array(tie('node'), { minLength: 2, maxLength: 3 })).map(([word, parts]) => ({
        text: parts.map((part) => `(${part.text})`).join(` ${word} `),
        test: (fields: EventFields) =>
          word === 'and' ? parts.every((part) => part.test(fields)) : parts.some((part) => part.test(fields)),
      })),
      tie('node').map((word) => ({ text: `not (${word.text})`, test: (fields: EventFields) => !word.test(fields) })),
    ),
  })).node;
  test('mean the same as a word evaluator', () => {
    const value = fc.option(fc.oneof(words, fc.integer({ min: 0, max: 4 })), { nil: undefined });
    fc.assert(
      fc.property(tree, fc.tuple(value, value, value, value, value), (word, values) => {
        const fields = { type: 'failed', ...Object.fromEntries(FIELD_NAMES.map((name, i) => [name, values[i]])) } as EventFields;
        const { filter } = readFilter(word.text);
        return filter !== undefined && passes(filter, fields) === word.test(fields);
      }),
      { numRuns: scaled(500, 2000) },
    );
  });
  test('whatever is written, a fault or a filter comes back', () => {
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string(),
          fc
            .array(fc.constantFrom('type', '=', 'in', '[', ']', '(', ')', 'and', 'or', 'not', '"', 'failed', ','))
            .map((list) => list.join(' ')),
        ),
        (text) => {
          const { filter, fault } = readFilter(text);
          return (filter === undefined) !== (fault === undefined) && (fault === undefined || fault.at <= text.length);
        },
      ),
      { numRuns: scaled(500, 2000) },
    );
  });
});

describe('events', () => {
  test('are CloudEvents that say all that is known and nothing else', () => {
    const fact = INPUT.fact as NonNullable<EventInput['fact']>;
    const event = eventOf({ ...INPUT, fact: { ...fact, topic: undefined } }, 'https://mail.example');
    expect(event).toMatchObject({
      specversion: '1.0',
      id: 'a01:failed',
      source: 'urn:verbalis:space:harbour',
      type: 'verbalis.delivery.failed',
      subject: 'd01',
      partitionkey: 'd01',
      time: '2026-11-20T08:00:00.000Z',
      dataschema: 'https://mail.example/v1/events/schemas/delivery',
      data: { messageId: 'm01', deliveryId: 'd01', kind: 'failed', cause: 'mailbox-full', reference: 'SM-1042', labels: { till: '4' } },
    });
    expect(event.data).not.toHaveProperty('topic');
    expect(eventOf(INPUT)).toEqual(eventOf(INPUT));
  });
  test('alerts and tests have their own words', () => {
    expect(eventOf({ id: 'e1', space: 'x', kind: 'alert-firing', at: 0, data: { rule: 'r', value: 7 } })).toMatchObject({
      type: 'verbalis.alert.firing',
      data: { space: 'x', rule: 'r', value: 7 },
    });
    expect(fieldsOf({ id: 'e1', space: 'x', kind: 'alert-firing', at: 0, data: { rule: 'r', value: 7 } })).toEqual({
      space: 'x',
      rule: 'r',
      value: 7,
      type: 'alert-firing',
    });
  });
});

test('a signature holds for its own body, time and secret, and while two secrets are in use for both', () => {
  const [old, fresh] = [secretText(Buffer.alloc(32, 1)), secretText(Buffer.alloc(32, 2))];
  const now = 1_800_000_000_000;
  const headers = webhookHeaders([fresh, old], 'e1', now, '{"a":1}');
  for (const secret of [old, fresh]) expect(isGenuine(secret, { headers, body: '{"a":1}', now })).toBe(true);
  expect(isGenuine(old, { headers, body: '{"a":2}', now })).toBe(false);
  expect(isGenuine(old, { headers, body: '{"a":1}', now: now + 6 * 60_000 })).toBe(false);
  expect(isGenuine(secretText(Buffer.alloc(32, 3)), { headers, body: '{"a":1}', now })).toBe(false);
  expect(isGenuine(old, { headers: { ...headers, 'webhook-id': 'e2' }, body: '{"a":1}', now })).toBe(false);
});

test('tries come within seconds, then hours; a consumer’s wish is followed', () => {
  expect(waitBeforeNotice(1, undefined, 0.5)).toBe(5000);
  expect(waitBeforeNotice(99, undefined, 0.5)).toBe(6 * 3_600_000);
  expect(waitBeforeNotice(1, 60_000, 0.5)).toBe(60_000);
  expect(waitBeforeNotice(1, 1e12, 0.5)).toBe(24 * 3_600_000);
});

describe('alerts', () => {
  const rule = { name: 'bounces', minutes: 15, over: { percent: 5 }, least: 10 };
  const count = (events: number, handovers: number) => ({ events, handovers, queueSeconds: 0 });
  test.each<[events: number, handovers: number, before: boolean, firing: boolean]>([
    [9, 10, false, false],
    [10, 300, false, false],
    [20, 300, false, true],
    [12, 300, true, true],
    [10, 300, true, false],
    [50, 0, false, true],
    [0, 0, true, false],
  ])('%p of %p, firing before: %p', (events, handovers, before, firing) => {
    expect(isFiring(rule, count(events, handovers), { wasFiring: before })).toBe(firing);
  });
  test('no rate is above a hundred', () => {
    expect(alertValue(rule, count(50, 3))).toBe(100);
  });
});

test('a delivery is counted once, whatever it was counted as before', () => {
  const where = { template: 't', topic: undefined, domain: 'd' };
  const sums = new Map<string, number>();
  let before: Counted | undefined;
  const states: readonly Counted[] = [
    { state: 'delayed', cause: 'rate-or-greylist', provider: 'north' },
    { state: 'accepted', provider: 'south', accepted: 5 },
    { state: 'accepted', provider: 'south', accepted: 5 },
    { state: 'failed', cause: 'mailbox-full', provider: 'south', accepted: 5, imageLoaded: true },
  ];
  for (const after of states) {
    for (const { dimension, value, measure, n } of countChanges(before, after, where)) {
      const key = `${dimension}/${value}/${measure}`;
      sums.set(key, (sums.get(key) ?? 0) + n);
    }
    before = after;
  }
  const left = Object.fromEntries([...sums].filter(([, n]) => n !== 0));
  expect(left).toMatchObject({
    'all//failed': 1,
    'all//to-accepted:5': 1,
    'all//image-loaded': 1,
    'cause/mailbox-full/failed': 1,
    'provider/south/failed': 1,
  });
  expect(Object.values(left).every((n) => n === 1)).toBe(true);
  expect(Object.keys(left).some((key) => /north|delayed|accepted$|rate-or/.test(key))).toBe(false);
  expect(countChanges(before, before as Counted, where)).toEqual([]);
});

test('spans of time are told from counts, off by a tenth at most', () => {
  const spans = Array.from({ length: 2000 }, (_, i) => 20 * 1.004 ** i);
  const counts = new Map<number, number>();
  for (const ms of spans) counts.set(bucketOf(ms), (counts.get(bucketOf(ms)) ?? 0) + 1);
  for (const part of [0.5, 0.95]) {
    const exact = spans[Math.ceil(part * spans.length) - 1] as number;
    expect(Math.abs((percentile(counts, part) as number) / exact - 1)).toBeLessThan(0.1);
  }
  expect(percentile(new Map(), 0.5)).toBeUndefined();
});
