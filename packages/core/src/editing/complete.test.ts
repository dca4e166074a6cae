import { describe, expect, test } from '@jest/globals';
import { complete } from './index.js';
import { inBody, opened, type Opened } from './test-folder.js';

const labels = ({ folder, path, offset }: Opened): string[] => complete(folder, path, offset).map(({ label }) => label);

/** What the text is once the first proposal with a label is taken. */
function taken({ folder, path, offset }: Opened, label: string): string {
  const found = complete(folder, path, offset).find((completion) => completion.label === label);
  if (found === undefined) throw new Error(`There is no "${label}".`);
  const text = folder.project.texts.get(path) ?? '';
  return `${text.slice(0, found.from)}${found.insert}${text.slice(found.to)}`.split('---\n').at(-1) ?? '';
}

describe('in an expression', () => {
  test.each([
    ['names of the data', '{{ ¦ }}', ['booking', 'passenger', 'state', 'mail']],
    ['a word that has begun', '{{ boo¦ }}', ['booking']],
    ['braces that are not closed yet', 'Dear {{ passenger.¦', ['name', 'since']],
    ['text after braces that are not closed', 'Dear {{ passenger.¦ and all', ['name', 'since']],
    ['in the middle of a word', '{{ passenger.na¦me }}', ['name', 'since']],
    ['a deeper path', '{{ booking.vehicle.¦ }}', ['lane']],
    ['entries by their index', '{{ booking.fares[0].¦ }}', ['label', 'amount']],
    ['an open parenthesis', '{{ (booking.¦ }}', ['total', 'currency']],
    ['one answer of two', '{{ state == "late" ? passenger.¦ }}', ['name']],
    ['an argument of a formatter', '{{ booking.total | money booking.¦ }}', ['currency']],
    ['a line of ":::if"', ':::if booking.¦\nx\n:::', ['vehicle']],
    ['a line of ":::each"', ':::each fare in booking.¦\n:::', ['fares']],
    ['a line of "::let"', '::let sum = booking.¦', ['total']],
    ['a loop’s name', ':::each fare, at in booking.fares\n- {{ fare.¦ }}\n:::', ['label', 'amount']],
    ['where a loop is', ':::each fare, at in booking.fares\n- {{ at.¦ }}\n:::', ['number', 'first', 'last', 'count']],
    ['names in a loop', ':::each fare in booking.fares\n- {{ ¦ }}\n:::', ['fare', 'booking']],
    ['a local name', '::let sum = booking.total\n\n{{ s¦ }}', ['sum']],
    ['a loop in a paragraph', '{{ each fare in booking.fares }}{{ fare.¦ }}{{ end }}', ['label']],
    ['a quoted argument', '::action "Go" to="https://a.example/{{ passenger.¦ }}"', ['name']],
    ['values that it is compared with', '{{ if state == "¦" }}x{{ end }}', ['boarding', 'late', 'cancelled']],
    ['values that it is compared with, without an end', ':::if state == "¦', ['boarding', 'late', 'cancelled']],
    ['fields that are summed', '{{ booking.fares | sum "¦" }}', ['label', 'amount']],
    ['a field by its name', '{{ passenger["¦"] }}', ['name', 'since']],
    ['keys of texts', '{{ say "¦', ['hello', 'parts.end']],
    ['values of a text', '{{ say "hello" ¦ }}', ['name']],
    ['formatters', '{{ booking.total | ¦ }}', ['money', 'number']],
    ['choices of a formatter', '{{ passenger.since | date ¦ }}', ['"full"', '"long"']],
    ['named arguments of a formatter', '{{ mail.locale | default "x" | shorten ¦ }}', ['booking']],
    ['words that steer', 'Dear {{ ¦', ['if', 'else', 'each', 'end', 'say']],
  ])('%s', (_what, body, wanted) => {
    expect(labels(inBody(body))).toEqual(expect.arrayContaining(wanted));
  });

  test('offers nothing that has no meaning there', () => {
    expect(labels(inBody('{{ passenger.¦ }}'))).toEqual(['name', 'since']);
    expect(labels(inBody('{{ booking.total | money booking.currency }} ¦'))).toEqual([]);
    expect(labels(inBody('A \\{{ ¦'))).toEqual([]);
    expect(labels(inBody('{{{{ ¦'))).toEqual([]);
    expect(labels(inBody('```\n:::¦\n```\n\n{{ "¦ }}'.replace('¦', '')))).toEqual([]);
  });

  test('puts formatters that fit before those that do not', () => {
    const { folder, path, offset } = inBody('{{ booking.total | ¦ }}');
    const all = complete(folder, path, offset);
    expect(all.filter(({ isUnfit }) => isUnfit !== true).map(({ label }) => label)).toContain('money');
    expect(all.filter(({ isUnfit }) => isUnfit === true).map(({ label }) => label)).toEqual(
      expect.arrayContaining(['upper', 'sum', 'phone']),
    );
  });

  test('takes the place of the word that has begun', () => {
    expect(taken(inBody('{{ passenger.na¦ }}'), 'name')).toBe('{{ passenger.name }}\n');
    expect(taken(inBody('{{ say "he¦'), 'hello')).toBe('{{ say "hello\n');
    expect(taken(inBody('{{ if state == "l¦" }}x{{ end }}'), 'late')).toBe('{{ if state == "late" }}x{{ end }}\n');
  });

  test('narrows as the compiler does', () => {
    const { folder, path, offset } = inBody(':::if booking.vehicle\n{{ booking.¦ }}\n:::');
    expect(complete(folder, path, offset).find(({ label }) => label === 'vehicle')?.detail).toBe('a record of fields');
  });

  test('works in the front matter, in a block, in a layout and in HTML of one’s own', () => {
    expect(labels(opened({ 'templates/t/message.md': '---\nsubject: "For {{ passenger.¦"\n---\nText\n' }))).toEqual(['name', 'since']);
    expect(
      labels(
        opened({
          'blocks/berth.md': '---\ninputs:\n  trip: { type: object, properties: { pier: { type: string } } }\n---\n{{ trip.¦ }}\n',
        }),
      ),
    ).toEqual(['pier']);
    expect(labels(opened({ 'layouts/quay.md': '::body\n\n{{ passenger.¦ }}\n' }))).toEqual(['name', 'since']);
    expect(labels(opened({ 'templates/t/message.html': '---\nsubject: S\n---\n<p>{{ passenger.¦ }}</p>\n' }))).toEqual(['name', 'since']);
  });
});

test('a layout is offered only what all of its templates have', () => {
  const other = {
    'templates/u/message.md': '---\nsubject: U\n---\nText\n',
    'templates/u/data.schema.json': JSON.stringify({ type: 'object', required: ['state'], properties: { state: { type: 'string' } } }),
  };
  const found = labels(opened({ ...other, 'layouts/quay.md': '::body\n\n{{ ¦ }}\n' }));
  expect(found).toContain('state');
  expect(found).not.toContain('booking');
});

describe('in a directive', () => {
  test.each([
    ['blocks with content', ':::¦', ['card', 'notice', 'if', 'each'], ['let', 'action']],
    ['blocks without', '::¦', ['action', 'stamp', 'let'], ['card', 'if']],
    ['arguments', '::action "Go" ¦', ['to', 'tone'], ['booking']],
    ['arguments that are not given yet', '::action "Go" to="https://a.example" ¦', ['tone'], ['to']],
    ['choices', ':::notice tone=¦', ['info', 'danger'], []],
    ['quoted choices', ':::notice tone="w¦"', ['warning'], []],
    ['the first argument', ':::only ¦', ['html', 'text'], []],
    ['inputs of a block of one’s own', '::berth ¦', ['lane', 'trip'], []],
    ['files of assets/', '::picture "assets/¦', ['assets/logo.png'], []],
    ['slots', ':::slot ¦', ['aside'], []],
  ])('%s', (_what, body, wanted, unwanted) => {
    const found = labels(inBody(body));
    expect(found).toEqual(expect.arrayContaining(wanted));
    expect(found.filter((label) => unwanted.includes(label))).toEqual([]);
  });
});

describe('in the front matter', () => {
  test.each([
    ['keys', '---\n¦', ['subject', 'topic', 'layout']],
    ['topics', '---\ntopic: ¦', ['bookings', 'news']],
    ['layouts', '---\nlayout: ¦\n---\n', ['none', 'quay']],
  ])('%s', (_what, text, wanted) => {
    expect(labels(opened({ 'templates/t/message.md': text }))).toEqual(expect.arrayContaining(wanted));
  });
});

test('keys that the layouts around a template take are among those of its front matter', () => {
  const layouts = {
    'layouts/inner.md': '---\nlayout: quay\ninputs: { hero: { type: string } }\n---\n::body\n',
    'layouts/quay.md': '---\ninputs: { tone: { enum: [a, b], default: a } }\n---\n::body\n',
  };
  expect(labels(opened({ ...layouts, 'templates/t/message.md': '---\nlayout: inner\n¦\n---\nx' }))).toEqual(
    expect.arrayContaining(['subject', 'hero', 'tone']),
  );
  expect(labels(opened({ ...layouts, 'templates/t/message.md': '---\n¦\n---\nx' }))).not.toContain('hero');
});

test('never fails, wherever the cursor is in a text that is being typed', () => {
  const text =
    '---\nsubject: "S {{ say "hello" name=passenger.name }}"\n---\n:::notice tone={{ state == "late" ? "warning" : "info" }}\n{{ if booking.vehicle }}{{ booking.total | money booking.currency }}{{ end }}\n:::\n';
  for (let end = 0; end <= text.length; end += 1) {
    const { folder, path } = opened({ 'templates/t/message.md': `${text.slice(0, end)}¦` });
    expect(Array.isArray(complete(folder, path, end))).toBe(true);
  }
});
