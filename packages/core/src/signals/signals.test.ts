import { describe as group, expect, test } from '@jest/globals';
import { linkFolder } from '../folder/index.js';
import { compileRules, type Rule, type Signal } from './index.js';

const BOOKING = {
  type: 'object',
  required: ['booking', 'passenger'],
  additionalProperties: false,
  properties: {
    booking: {
      type: 'object',
      required: ['reference', 'total', 'state'],
      additionalProperties: false,
      properties: {
        reference: { type: 'string' },
        total: { type: 'integer' },
        state: { enum: ['paid', 'open'] },
        isTest: { type: 'boolean' },
        paidAt: { type: 'string', format: 'date-time' },
        dueAt: { type: 'string', format: 'date-time' },
      },
    },
    passenger: {
      type: 'object',
      required: ['email'],
      additionalProperties: false,
      properties: { email: { type: 'string' }, name: { type: 'string' }, locale: { type: 'string' } },
    },
    legs: { type: 'array', items: { type: 'object', required: ['to'], properties: { to: { type: 'string' }, pier: { type: 'string' } } } },
  },
};
const CANCELED = {
  type: 'object',
  required: ['booking'],
  properties: { booking: { type: 'object', required: ['reference'], properties: { reference: { type: 'string' } } } },
};
const TEMPLATE = {
  type: 'object',
  required: ['reference'],
  additionalProperties: false,
  properties: {
    reference: { type: 'string' },
    total: { type: 'integer' },
    name: { type: 'string' },
    legs: { type: 'array', items: { type: 'string' } },
  },
};

const RULE = `on: booking.paid
data: ../schemas/booking.schema.json
when: data.booking.total > 0 and not data.booking.isTest
send:
  template: confirmed
  to: { name: "{{ data.passenger.name }}", address: "{{ data.passenger.email }}" }
  locale: "{{ data.passenger.locale ?? 'en' }}"
  reference: "{{ data.booking.reference }}"
  data: { reference: "{{ data.booking.reference }}", total: "{{ data.booking.total }}", name: "{{ data.passenger.name }}" }
`;

function compiled(rules: Readonly<Record<string, string>>, more: Readonly<Record<string, string>> = {}) {
  const files: Record<string, string> = {
    'mail.yaml': 'name: Harbour\n',
    'templates/confirmed/message.md': '---\nsubject: "Booking"\n---\n\nHello\n',
    'templates/confirmed/data.schema.json': JSON.stringify(TEMPLATE),
    'schemas/booking.schema.json': JSON.stringify(BOOKING),
    'schemas/canceled.schema.json': JSON.stringify(CANCELED),
    ...Object.fromEntries(Object.entries(rules).map(([name, text]) => [`signals/${name}.yaml`, text])),
    ...more,
  };
  const project = linkFolder(new Map(Object.entries(files).map(([path, text]) => [path, Buffer.from(text)])));
  expect(project.problems.filter(({ severity }) => severity === 'error')).toEqual([]);
  return compileRules(project);
}

function rule(text: string): Rule {
  const { rules, problems } = compiled({ booked: text });
  expect(problems).toEqual([]);
  return rules.get('booked') as Rule;
}

const signal = (data: unknown, more: Partial<Signal> = {}): Signal => ({
  id: 's1',
  source: '/bookings',
  type: 'booking.paid',
  time: Date.UTC(2026, 5, 1, 8),
  data,
  ...more,
});
const PAID = { booking: { reference: 'SM-1042', total: 9600, state: 'paid' }, passenger: { email: 'asa@post.example' } };

group('a rule', () => {
  test('makes the email of a signal; what is absent is left out', () => {
    const { holds, mail, afterMs, checkData } = rule(RULE);
    expect(holds(signal(PAID))).toBe(true);
    expect(holds(signal({ ...PAID, booking: { ...PAID.booking, isTest: true } }))).toBe(false);
    expect(holds(signal({ ...PAID, booking: { ...PAID.booking, total: 0 } }))).toBe(false);
    expect(mail([signal(PAID)])).toEqual({
      template: 'confirmed',
      to: [{ address: 'asa@post.example' }],
      locale: 'en',
      reference: 'SM-1042',
      data: { reference: 'SM-1042', total: 9600 },
    });
    expect(afterMs).toBe(0);
    expect(checkData({ booking: {} })).not.toEqual([]);
  });

  test('combines signals into a list, waits, and knows what cancels it', () => {
    const { mail, combine, afterMs, unless, keyOf, atMost } = rule(`on: booking.paid
data: ../schemas/booking.schema.json
send:
  template: confirmed
  to: "{{ data.passenger.email }}"
  data: { reference: "{{ signal.id }} of {{ signal.source }}", legs: { $each: "one in all", $value: "{{ one.booking.reference }}" } }
after: PT1H30M
unless: booking.cancelled
key: "{{ data.booking.reference }}"
combine: { within: P1D, by: "{{ data.passenger.email }}" }
atMost: { count: 2, within: P1W }
`);
    const second = signal({ ...PAID, booking: { ...PAID.booking, reference: 'SM-2' } }, { id: 's2' });
    expect(mail([signal(PAID), second])).toEqual({
      template: 'confirmed',
      to: ['asa@post.example'],
      data: { reference: 's2 of /bookings', legs: ['SM-1042', 'SM-2'] },
    });
    expect([afterMs, combine?.withinMs, atMost]).toEqual([5_400_000, 86_400_000, { count: 2, withinMs: 604_800_000 }]);
    expect(combine?.byOf(second)).toBe('asa@post.example');
    expect(keyOf(second)).toBe('SM-2');
    expect(unless?.type).toBe('booking.cancelled');
    expect(unless?.keyOf(signal({ booking: { reference: 'SM-2' } }))).toBe('SM-2');
    expect(unless?.keyOf(signal({}))).toBeUndefined();
  });

  test('compares moments by when they are', () => {
    const late = rule(
      RULE.replace(/^when: .*$/m, 'when: data.booking.paidAt and data.booking.dueAt and data.booking.paidAt > data.booking.dueAt'),
    );
    const at = (paidAt: string, dueAt: string): boolean => late.holds(signal({ ...PAID, booking: { ...PAID.booking, paidAt, dueAt } }));
    expect(at('2026-06-01T09:00:00+02:00', '2026-06-01T08:00:00Z')).toBe(false);
    expect(at('2026-06-01T09:00:00-02:00', '2026-06-01T08:00:00Z')).toBe(true);
  });

  test('gives the template what the signal carries, where it says nothing else', () => {
    const files = { 'templates/confirmed/data.schema.json': JSON.stringify(BOOKING) };
    const text =
      'on: booking.paid\ndata: ../schemas/booking.schema.json\nsend: { template: confirmed, to: "{{ data.passenger.email }}" }\n';
    const { rules, problems } = compiled({ booked: text }, files);
    expect(problems).toEqual([]);
    expect(rules.get('booked')?.mail([signal(PAID)]).data).toEqual(PAID);
  });
});

group('mistakes are found, with their place', () => {
  const change = (from: string | RegExp, to: string): string => RULE.replace(from, to);
  test.each<[string, string, string, string, number]>([
    ['a field that the signal does not have', change('data.booking.total > 0', 'data.booking.totl > 0'), 'unknown-field', 'total', 3],
    ['a comparison that makes no sense', change('data.booking.total > 0', 'data.booking.total > "a"'), 'operator-type', 'compares', 3],
    ['a value that can never be', change('data.booking.total > 0', 'data.booking.state == "payed"'), 'never-equal', 'never equal', 3],
    [
      'two numbers that contradict',
      change('data.booking.total > 0', '10 < data.booking.total and data.booking.total <= 10'),
      'rule-never',
      'never hold',
      3,
    ],
    ['a contradiction', change('data.booking.total > 0', 'data.booking.isTest'), 'rule-never', 'never hold', 3],
    [
      'two values at once',
      change('data.booking.total > 0', 'data.booking.state == "paid" and data.booking.state == "open"'),
      'never-equal',
      'never',
      3,
    ],
    ['never', change(/^when: .*$/m, 'when: "false"'), 'rule-never', 'never hold', 3],
    ['a template that is not there', change('template: confirmed', 'template: confirmd'), 'unknown-template', 'confirmd', 5],
    [
      'a wrong type into the template',
      change('"{{ data.booking.reference }}", total', '"{{ data.booking.total }}", total'),
      'rule-type',
      '"data.reference" must be a text',
      9,
    ],
    [
      'what may be absent where it must be',
      change('reference: "{{ data.booking.reference }}", total', 'reference: "{{ data.passenger.name }}", total'),
      'rule-type',
      'absent',
      9,
    ],
    [
      'a field that the template does not have',
      change('name: "{{ data.passenger.name }}" }\n', 'nme: "x" }\n'),
      'rule-type',
      '"data.nme" is not a field',
      9,
    ],
    [
      'an address that may be absent',
      change('address: "{{ data.passenger.email }}"', 'address: "{{ data.passenger.name }}"'),
      'rule-type',
      '"to',
      6,
    ],
    [
      'no list to go through',
      change('total: "{{ data.booking.total }}"', 'legs: { $each: "x in data.passenger", $value: "{{ x.to }}" }'),
      'each-type',
      'goes through a list',
      9,
    ],
    [
      'a part that is not text',
      change('reference: "{{ data.booking.reference }}"', 'reference: "no {{ data.passenger.locale }}"'),
      'maybe-absent',
      'may be absent',
      8,
    ],
    ['a label that is no text', `${RULE}  labels: { n: "{{ data.booking.total }}" }\n`, 'rule-type', '"labels.n" must be a text', 10],
    ['a part with no meaning', `${RULE}afer: PT1M\n`, 'rule-unknown', 'afer', 10],
    ['a duration that is none', `${RULE}after: 10 minutes\n`, 'rule', 'PT10M', 10],
    ['a month, which has no fixed length', `${RULE}after: P1M\n`, 'rule', 'PT10M', 10],
    ['unless without a key', `${RULE}unless: booking.cancelled\n`, 'rule', 'needs a "key"', 10],
    [
      'a key that the canceling signal does not have',
      `${RULE}unless: booking.cancelled\nkey: "{{ data.passenger.email }}"\n`,
      'unknown-field',
      'On "booking.cancelled"',
      11,
    ],
    ['a schema that is not there', change('booking.schema', 'boking.schema'), 'no-schema', 'boking', 2],
    [
      'a formatter that is not there',
      change('"{{ data.booking.reference }}"', '"{{ data.booking.reference | nope }}"'),
      'unknown-formatter',
      'nope',
      8,
    ],
    ['no YAML', 'on: [', 'yaml', 'YAML', 1],
    ['all without combine', change('"{{ data.booking.total }}"', '"{{ all }}"'), 'unknown-field', 'all', 9],
  ])('%s', (_name, text, code, words, line) => {
    const cancels =
      'on: booking.cancelled\ndata: ../schemas/canceled.schema.json\nsend: { template: confirmed, to: a@post.example, data: { reference: x } }\n';
    const { rules, problems } = compiled({ booked: text, canceled: cancels });
    const errors = problems.filter(({ severity }) => severity === 'error');
    expect(errors.map((found) => found.code)).toContain(code);
    const found = errors.find((error) => error.code === code);
    expect(`${found?.message ?? ''} ${found?.hint ?? ''}`).toContain(words);
    expect(found?.place).toMatchObject({ file: 'signals/booked.yaml', line });
    expect(rules.has('booked')).toBe(false);
    expect(rules.has('canceled')).toBe(true);
  });

  test('two rules on one type with different schemas', () => {
    const { problems } = compiled({
      a: RULE,
      b: RULE.replace('booking.schema', 'canceled.schema')
        .replace(/^when: .*\n/m, '')
        .replace(/^send:[^]*/m, 'send: { template: confirmed, to: a@post.example, data: { reference: x } }\n'),
    });
    expect(problems).toMatchObject([{ code: 'signal-schema', place: { file: 'signals/b.yaml', line: 2 } }]);
  });

  test('sensitive data of the template must be marked in the signal, too', () => {
    const marked = { ...TEMPLATE, properties: { ...TEMPLATE.properties, name: { type: 'string', 'x-sensitive': true } } };
    const template = { 'templates/confirmed/data.schema.json': JSON.stringify(marked) };
    expect(compiled({ booked: RULE }, template).problems).toMatchObject([
      { code: 'sensitive-signal', severity: 'error', place: { file: 'signals/booked.yaml', line: 5 } },
    ]);
    const booking = JSON.stringify(BOOKING).replace('"name":{"type":"string"}', '"name":{"type":"string","x-sensitive":true}');
    const { problems, rules } = compiled({ booked: RULE }, { ...template, 'schemas/booking.schema.json': booking });
    expect(problems).toEqual([]);
    expect(rules.get('booked')?.masking?.shown({ ...PAID, passenger: { email: 'asa@post.example', name: 'Ása' } })).toMatchObject({
      passenger: { email: 'asa@post.example', name: '•••' },
    });
  });

  test('signals to try', () => {
    const sample = (name: string, content: unknown) => ({ [`signals/samples/${name}.json`]: JSON.stringify(content, undefined, 2) });
    const { problems } = compiled(
      { booked: RULE },
      {
        ...sample('right', { type: 'booking.paid', data: PAID }),
        ...sample('wrong', { type: 'booking.paid', data: { ...PAID, booking: { ...PAID.booking, total: 'much' } } }),
        ...sample('strange', { type: 'booking.payed', data: {} }),
        ...sample('typeless', { data: {} }),
      },
    );
    expect(problems.map(({ code, severity, message, place }) => [place.file, code, severity, message])).toEqual([
      ['signals/samples/strange.json', 'signal-sample', 'warning', 'No rule is on "booking.payed".'],
      ['signals/samples/typeless.json', 'signal-sample', 'error', 'This signal has no "type".'],
      ['signals/samples/wrong.json', 'signal-sample', 'error', '"data.booking.total" must be an integer, is a string.'],
    ]);
  });
});
