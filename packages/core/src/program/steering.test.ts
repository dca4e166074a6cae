import { describe, expect, test } from '@jest/globals';
import { md, object, testFolder } from './test-folder.js';

const SCHEMA = object({
  name: { type: 'string' },
  total: { type: 'integer' },
  lines: { type: 'array', items: object({ label: { type: 'string' }, cents: { type: 'integer' } }) },
  ports: { type: 'array', items: { type: 'string' } },
  prices: {
    ...object({ adult: { type: 'integer' }, child: { type: 'integer' }, bicycle: { type: ['integer', 'null'] } }),
    required: ['adult'],
  },
  notes: { type: 'object', additionalProperties: { type: 'string' } },
  anything: { type: 'object' },
});
const DATA = {
  name: 'Ása',
  total: 5450,
  lines: [
    { label: 'Adult', cents: 4800 },
    { label: 'Bicycle', cents: 650 },
  ],
  ports: ['Brackwater', 'Tern Island', 'Oldquay'],
  prices: { adult: 2400, bicycle: 650 },
  notes: { gate: 'B', lane: '7' },
  anything: {},
};

const folder = (body: string) => testFolder(SCHEMA, { 'templates/t/message.md': md(body) });

function text(body: string, data: unknown = DATA): string {
  const { problems, render } = folder(body);
  expect(problems.filter(({ severity }) => severity === 'error')).toEqual([]);
  return render(data).text;
}

/** The text of the HTML's body. */
function words(body: string): string {
  return (
    /<body[^>]*>([\s\S]*)<\/body>/
      .exec(folder(body).render(DATA).html)?.[1]
      ?.replace(/<[^>]+>/g, ' ')
      .replace(/\s+/g, ' ')
      .replace(/[\u034F\u200C\u00A0\u00AD]/g, '') ?? ''
  );
}

describe('comments', () => {
  test.each([
    ['a line', 'One.\n::# Ask Sigrún about this sentence.\nTwo.', 'One. Two.\n'],
    ['within a line', 'One {{# two {{ }} three.', 'One three.\n'],
    ['at the end of a block’s line', ':::quote {{# theirs }}\nOne.\n:::', '> One.\n'],
    ['at the end of a test', ':::if total > 2 {{# euros? }}\nOne.\n:::', 'One.\n'],
    ['a line in Markdown’s way', 'One.\n<!-- two -->\nThree.', 'One. Three.\n'],
    ['within a line in Markdown’s way', 'One <!-- two --> three.', 'One three.\n'],
    ['before a line', '<!-- two --> Three.', 'Three.\n'],
    ['over lines, with blocks', 'One.\n\n<!--\n:::if nothing.like.this\n{{ nobody }}\n-->\n\nTwo.', 'One.\n\nTwo.\n'],
    ['over lines, in braces', 'One.\n\n{{# two\n\n:::each x in\nthree }}\nFour.', 'One.\n\nFour.\n'],
    ['between items', '- One\n::# and\n- Two', '- One\n- Two\n'],
    ['in a ledger', ':::ledger\n- A {{# note }} | 1\n::# more to come\n- B | 2\n:::', 'A  1\nB  2\n'],
  ])('%s', (_, body, expected) => {
    expect(text(body)).toBe(expected);
  });

  test('nothing of them is in either part, nor in front matter', () => {
    const { render } = testFolder(SCHEMA, {
      'templates/t/message.md': md('A{{# secret }}B <!-- secret --> C', 'subject: "Hello{{# secret }} {{ name }}"'),
    });
    const { html, text: plain, subject } = render(DATA);
    expect(subject).toBe('Hello Ása');
    expect(html + plain).not.toContain('secret');
  });

  test('in message.html, comments of HTML stay and ours go', () => {
    const { render } = testFolder(SCHEMA, { 'templates/t/message.html': md('<p>A{{# x }}B</p>\n::# y\n<!-- z --><p>C</p>\n') });
    expect(render(DATA).html).toContain('<p>AB</p>\n<!-- z --><p>C</p>');
  });

  test('braces in code, in values and after a backslash are no comments', () => {
    expect(text('```\n::# a\n```')).toBe('    ::# a\n');
    expect(text('{{ "{{# x" }}\n\n\\{{# x }}')).toBe('{{# x\n\n{{# x }}\n');
  });

  test.each([
    ['{{# open', 'comment-open', 'not closed'],
    ['a <!-- open\nb', 'comment-open', '-->'],
    [':::# three', 'comment-form', 'two colons'],
    ['{{#if name}}a{{/if}}', 'expression-sign', 'space after "#"'],
  ])('%j is refused', (body, code, words) => {
    const [first] = folder(body).problems;
    expect(first).toMatchObject({ code, place: { line: 4 } });
    expect(`${first?.message} ${first?.hint}`).toContain(words);
  });
});

describe('local names', () => {
  test.each([
    ['of an expression', '::let double = total * 2\n{{ double }}', '10900\n'],
    ['until the block ends', ':::if total > 0\n::let name = "Within"\n{{ name }}\n:::\n{{ name }}', 'Within\n\nÁsa\n'],
    ['of another local name', '::let a = total + 1\n::let b = a + 1\n{{ b }}', '5452\n'],
    [
      'in every turn',
      ':::each line in lines\n::let euros = line.cents / 100\n- {{ line.label }}: {{ euros }}\n:::',
      '- Adult: 48\n- Bicycle: 6.5\n',
    ],
    ['in a ledger', ':::ledger\n::let sum = total * 2\n- A | {{ sum }}\n:::', 'A  10900\n'],
    ['that a condition narrows', '::let b = prices.bicycle\n:::if b\nBicycle {{ b }}.\n:::', 'Bicycle 650.\n'],
    ['of a list', '::let all = ports\n{{ all | list }}', 'Brackwater, Tern Island, and Oldquay\n'],
  ])('%s', (_, body, expected) => {
    expect(text(body)).toBe(expected);
  });

  test('in message.html', () => {
    const { render } = testFolder(SCHEMA, { 'templates/t/message.html': md('::let n = total\n<p>{{ n }}</p>\n') });
    expect(render(DATA).html).toContain('<p>5450</p>');
  });

  test.each([
    ['::let', 'let-form', 'NAME = VALUE'],
    ['::let total', 'let-form', 'NAME = VALUE'],
    [':::let a = 1\n:::', 'block-content', 'two colons'],
    ['::let mail = 1', 'reserved-name', 'another name'],
    ['::let a = nobody', 'unknown-field', 'nobody'],
    [':::if true\n::let a = 1\n:::\n{{ a }}', 'unknown-field', '"a"'],
    ['::let a = prices.bicycle\n{{ a }}', 'maybe-absent', '"a"'],
  ])('%j is refused', (body, code, said) => {
    const found = folder(body).problems.find((problem) => problem.code === code);
    expect(`${found?.message} ${found?.hint}`).toContain(said);
  });

  test('many of them end in a problem', () => {
    expect(folder(Array.from({ length: 2000 }, (_, i) => `::let a${i} = 1`).join('\n')).codes).toContain('too-many-names');
  });
});

describe('loops', () => {
  test.each([
    [
      ':::each line, at in lines\n- {{ at.number }} of {{ at.count }} {{ line.label }}{{ if at.last }}.{{ end }}\n:::',
      '- 1 of 2 Adult\n- 2 of 2 Bicycle.\n',
    ],
    [':::each line in lines\n- {{ line.label }}\n:::empty\nNothing.\n:::', '- Adult\n- Bicycle\n'],
    [':::each kind, price in prices\n- {{ kind }}: {{ price ?? "free" }}\n:::', '- adult: 2400\n- bicycle: 650\n'],
    [':::each key, note in notes\n- {{ key }} {{ note }}\n:::', '- gate B\n- lane 7\n'],
    ['From {{ each port in ports }}{{ port }}{{ between }}, {{ end }}.', 'From Brackwater, Tern Island, Oldquay.\n'],
    [
      '{{ each p, at in ports }}{{ at.number }} *{{ p }}*{{ between }}; {{ empty }}none{{ end }}',
      '1 Brackwater; 2 Tern Island; 3 Oldquay\n',
    ],
    ['{{ each k, v in notes }}{{ if k == "gate" }}**{{ v }}**{{ else }}{{ v }}{{ end }}{{ between }}/{{ end }}', 'B/7\n'],
  ])('%j', (body, expected) => {
    expect(text(body)).toBe(expected);
    expect(words(body).replace(/ ([.,;/])/g, '$1')).toContain(
      expected
        .trim()
        .split('\n')[0]
        ?.replace(/^- /, '')
        .replace(/^From /, ''),
    );
  });

  test('an empty list, an empty record', () => {
    const none = { ...DATA, lines: [], ports: [], notes: {} };
    expect(text(':::each line in lines\n- {{ line.label }}\n:::empty\nNothing.\n:::', none)).toBe('Nothing.\n');
    expect(text('{{ each p in ports }}{{ p }}{{ empty }}nowhere{{ end }}', none)).toBe('nowhere\n');
    expect(text(':::each p in ports\n{{ p }}\n:::else\nnowhere\n:::', none)).toBe('nowhere\n');
    expect(text(':::each k, v in notes\n{{ k }}{{ v }}\n:::empty\nNo notes.\n:::', none)).toBe('No notes.\n');
  });

  test('in message.html, between table rows and within a line', () => {
    const { render } = testFolder(SCHEMA, {
      'templates/t/message.html': md(
        '<p>{{ each p in ports }}<b>{{ p }}</b>{{ between }} – {{ end }}</p>\n<table>\n:::each k, v in notes\n<tr><td>{{ k }}</td><td>{{ v }}</td></tr>\n:::\n</table>\n',
      ),
    });
    const { html, text: plain } = render(DATA);
    expect(html).toContain('<p><b>Brackwater</b> – <b>Tern Island</b> – <b>Oldquay</b></p>');
    expect(html).toContain('<tr><td>gate</td><td>B</td></tr>\n<tr><td>lane</td><td>7</td></tr>');
    expect(plain).toContain('Brackwater – Tern Island – Oldquay');
  });

  test('turns count against the bound, of records too', () => {
    const notes = Object.fromEntries(Array.from({ length: 10_001 }, (_, i) => [`n${i}`, 'x']));
    expect(() => folder(':::each k, v in notes\n{{ k }}{{ v }}\n:::').render({ ...DATA, notes })).toThrow('10000 turns');
  });

  test.each([
    [':::each line in lines\nx\n:::else-if total\ny\n:::', 'else-alone', ':::empty'],
    [':::if name\nx\n:::empty\ny\n:::', 'else-alone', ':::else'],
    [':::empty\n:::', 'else-alone', ':::each'],
    [':::each key in prices\n{{ key }}\n:::', 'each-type', 'key, value in prices'],
    [':::each k, v in mail\n{{ k }}{{ v }}\n:::', 'each-type', 'goes through data'],
    [':::each k, v in anything\n{{ v }}\n:::', 'insert-type', 'anything'],
    ['{{ each p in name }}{{ p }}{{ end }}', 'each-type', 'a text'],
    ['{{ each p, in ports }}{{ p }}{{ end }}', 'each-form', 'Expected "in"'],
    ['{{ each p of ports }}{{ p }}{{ end }}', 'each-form', 'NAME in LIST'],
    ['{{ each p in ports }}{{ p }}', 'if-open', '{{ end }}'],
    ['{{ each p in ports }}{{ else if total }}{{ end }}', 'steering-alone', '{{ empty }}'],
    ['{{ if name }}a{{ between }}b{{ end }}', 'steering-alone', '{{ else }}'],
    ['{{ between }}', 'steering-alone', 'each'],
    ['{{ each p in ports }}a{{ between }}b{{ between }}c{{ end }}', 'else-last', 'twice'],
    ['{{ each p in ports }}a{{ empty }}b{{ between }}c{{ end }}', 'else-last', '{{ end }}'],
    [':::each line, at in lines\n{{ at }}\n:::', 'insert-type', 'record'],
    [':::each line, at in lines\n{{ at.index }}\n:::', 'unknown-field', 'number'],
    ['[x]({{ each p in ports }}{{ p }}{{ end }})', 'steering-here', 'paragraph'],
  ])('%j is refused', (body, code, said) => {
    const found = folder(body).problems.find((problem) => problem.code === code);
    expect(`${found?.message} ${found?.hint}`).toContain(said);
  });
});

describe('a value in the place of a word', () => {
  const notice = (value: string): string => `:::notice tone=${value}\nPier 2.\n:::`;

  test.each([
    ['{{ total > 5000 ? "warning" : "info" }}', DATA, 'Warning'],
    ['{{ total > 5000 ? "warning" : "info" }}', { ...DATA, total: 1 }, 'Note'],
    ['"{{ prices.bicycle ? "good" : "danger" }}"', DATA, 'Good'],
  ])('%s', (value, data, word) => {
    const { problems, render } = folder(notice(value));
    expect(problems.filter(({ severity }) => severity === 'error')).toEqual([]);
    const { html, text: plain } = render(data);
    expect(plain).toMatch(/^\| [\w ]+:\n\| Pier 2\.\n/);
    expect(html.match(/class="block-notice (\w+)/)?.[1]).toBe(value.includes(`"${word.toLowerCase()}"`) ? word.toLowerCase() : 'info');
  });

  test('of an input of a block of one’s own, whose words are listed', () => {
    const { problems, render } = testFolder(SCHEMA, {
      'blocks/alert.md': '---\ninputs:\n  kind: { enum: [info, danger], default: info }\n---\n:::notice tone={{ kind }}\nX\n:::',
      'templates/t/message.md': md('::alert kind=danger\n\n::alert'),
    });
    expect(problems.filter(({ severity }) => severity === 'error')).toEqual([]);
    expect([...render(DATA).html.matchAll(/block-notice (\w+)/g)].map(([, tone]) => tone)).toEqual(['danger', 'info']);
  });

  test.each([
    ['{{ name }}', 'may be anything else'],
    ['{{ total > 5000 ? "warning" : "loud" }}', '"loud"'],
    ['{{ total > 5000 ? "warning" : null }}', 'absent'],
    ['"warn{{ name }}"', 'one value'],
    ['loud', '"loud"'],
  ])('%s is refused', (value, said) => {
    const found = folder(notice(value)).problems.find(({ code }) => code === 'argument-choice');
    expect(`${found?.message} ${found?.hint}`).toContain(said);
    expect(found?.hint).toMatch(/info|Did you mean/);
  });
});

test('in a layout, the body cannot see local names of the layout', () => {
  const layout = (source: string) =>
    testFolder(SCHEMA, { 'layouts/l.md': source, 'templates/t/message.md': md('{{ name }}', 'subject: "S"\nlayout: l') });
  expect(layout(':::card\n::let name = "no"\n{{ name }}\n:::\n\n::body').render(DATA).text).toBe('no\n\nÁsa\n');
  expect(layout('::let name = "no"\n{{ name }}\n\n::body').problems.find(({ code }) => code === 'layout-body')?.message).toContain('::let');
});
