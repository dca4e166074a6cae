import { describe, expect, test } from '@jest/globals';
import { md, object, testFolder } from './test-folder.js';

const FARE = object({ label: { type: 'string' }, cents: { type: 'integer' }, off: { type: 'integer' } }, { required: ['label', 'cents'] });
const SCHEMA = object({ fares: { type: 'array', items: FARE }, currency: { type: 'string', format: 'currency' } });
const DATA = {
  fares: [
    { label: 'Adult', cents: 4800, off: 300 },
    { label: 'Bicycle', cents: 650 },
  ],
  currency: 'EUR',
};
const BLOCKS = {
  'blocks/fare.md':
    '---\ngives: rows\ninputs:\n  label: { type: string }\n  cents: { type: integer }\n  off: { type: integer, optional: true }\n  currency: { type: string, format: currency }\n---\n- {{ label }} | {{ cents | money currency }}\n:::if off\n- less | {{ 0 - off | money currency }}\n:::\n',
  'blocks/port.md': '---\ngives: facts\ninputs:\n  name: { type: string }\n---\n- Port: {{ name }}\n- Open: always\n',
};
const LEDGER =
  ':::ledger\n# Fare | Price\n:::each fare in fares\n::fare label={{ fare.label }} cents={{ fare.cents }} off={{ fare.off }} currency={{ currency }}\n:::\n= Total | {{ fares | sum "cents" | money currency }}\n:::';

const folder = (body: string, more: Readonly<Record<string, string>> = {}): ReturnType<typeof testFolder> =>
  testFolder(SCHEMA, { ...BLOCKS, ...more, 'templates/t/message.md': md(body) });

describe('a block gives entries', () => {
  test('rows of a ledger, in both parts, aligned with those around them', () => {
    const { html, text } = folder(LEDGER).render(DATA);
    expect(text.trim()).toBe(
      'Fare      Price\n---------------\nAdult    €48.00\nless     -€3.00\nBicycle   €6.50\n---------------\nTotal    €54.50',
    );
    expect([...html.matchAll(/<tr[^>]*>\n<th[^>]*>([^<]*)<\/th><td[^>]*>([^<]*)<\/td>/g)].map(([, a, b]) => `${a} ${b}`)).toEqual([
      'Adult €48.00',
      'less -€3.00',
      'Bicycle €6.50',
      'Total €54.50',
    ]);
    // All of them are amounts: the column is flush right also where only a block gives its rows.
    expect(html).toMatch(/align="right" nowrap[^>]*>€48\.00/);
  });

  test('facts', () => {
    expect(folder(':::facts\n::port name="Tern"\n- Gate: 3\n:::').render(DATA).text.trim()).toBe('Port: Tern\nOpen: always\nGate: 3');
  });

  test('one that gives them through another', () => {
    const more = {
      'blocks/pair.md':
        '---\ngives: rows\ninputs:\n  currency: { type: string, format: currency }\n---\n::fare label="A" cents=1 currency={{ currency }}\n- B | 2\n',
    };
    expect(folder(':::ledger\n::pair currency={{ currency }}\n:::', more).render(DATA).text.trim()).toBe('A  €0.01\nB      2');
  });

  test.each([
    ['in prose', '::fare label=x cents=1 currency=EUR', 'block-here'],
    ['rows among facts', ':::facts\n::fare label=x cents=1 currency=EUR\n:::', 'block-here'],
    ['with something inside', ':::ledger\n:::fare label=x cents=1 currency=EUR\n- a | b\n:::\n:::', 'block-content'],
    ['without what it needs', ':::ledger\n::fare label=x\n:::', 'missing-argument'],
    ['with a wrong type', ':::ledger\n::fare label=x cents=many currency=EUR\n:::', 'input-type'],
    ['a block of prose among rows', ':::ledger\n::gap\n:::', 'block-here'],
  ])('not %s', (_what, body, code) => {
    expect(folder(body).codes).toContain(code);
  });

  test.each([
    ['---\ngives: cells\n---\nx', 'front-value'],
    ['---\ngives: rows\n---\nprose', 'row-form'],
    ['---\ngives: rows\n---\n::odd\n', 'block-circle'],
  ])('a wrong source: %j', (source, code) => {
    expect(folder('x', { 'blocks/odd.md': source }).codes).toContain(code);
  });

  test('only blocks give something', () => {
    expect(testFolder(SCHEMA, { 'templates/t/message.md': md('- a | b', 'subject: S\ngives: rows') }).codes).toContain('front-here');
    expect(folder('x', { 'layouts/l.md': '---\ngives: rows\n---\n::body' }).codes).toContain('front-here');
  });
});
