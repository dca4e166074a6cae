import { describe as group, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { linkFolder } from '../folder/index.js';
import { prepare, type Rendering } from '../render/index.js';
import { compileFolder } from './index.js';
import { Fault } from '../problems/index.js';

const SCHEMA = {
  type: 'object',
  required: ['name', 'count', 'at', 'items', 'url', 'pet'],
  additionalProperties: false,
  properties: {
    name: { type: 'string' },
    nick: { type: 'string' },
    count: { type: 'integer' },
    ratio: { type: 'number' },
    flag: { type: 'boolean' },
    at: { type: 'string', format: 'date-time' },
    url: { type: 'string', format: 'uri' },
    status: { enum: ['open', 'closed'] },
    items: {
      type: 'array',
      items: { type: 'object', required: ['label', 'cents'], properties: { label: { type: 'string' }, cents: { type: 'integer' } } },
    },
    address: { $ref: '#/$defs/address' },
    pet: {
      oneOf: [
        { type: 'object', required: ['kind', 'bark'], properties: { kind: { const: 'dog' }, bark: { type: 'string' } } },
        { type: 'object', required: ['kind', 'lives'], properties: { kind: { const: 'cat' }, lives: { type: 'integer' } } },
      ],
    },
  },
  $defs: { address: { type: 'object', required: ['city'], properties: { city: { type: 'string' }, zip: { type: ['string', 'null'] } } } },
};

const DATA = {
  name: 'Ása',
  count: 3,
  at: '2026-06-04T08:15:00Z',
  url: 'https://host.example/a?b=1&c=2',
  items: [
    { label: 'Adult', cents: 4800 },
    { label: 'Bicycle', cents: 650 },
  ],
  pet: { kind: 'dog', bark: 'woof' },
};

function compile(body: string, front = 'subject: "S"', more: Record<string, string> = {}) {
  const files: Record<string, string> = {
    'mail.yaml': 'name: T\nbaseUrl: https://host.example/\n',
    'templates/t/message.md': `---\n${front}\n---\n${body}`,
    'templates/t/data.schema.json': JSON.stringify(SCHEMA),
    ...more,
  };
  const project = linkFolder(new Map(Object.entries(files).map(([path, text]) => [path, Buffer.from(text)])));
  const compiled = compileFolder(project);
  return {
    problems: compiled.problems.filter((problem) => problem.code !== 'unused-field'),
    all: compiled.problems,
    program: compiled.templates.get('t')?.programs.get('en'),
  };
}

function render(body: string, data: unknown = DATA, front?: string): Rendering {
  const { program, problems } = compile(body, front);
  if (program === undefined) throw new Error(JSON.stringify(problems, null, 1));
  return prepare(program)({ data, now: Date.parse('2026-06-01T00:00:00Z') });
}

group('faults are told with place, code and hint', () => {
  // body, code, "line:column" within the file (the body starts on line 4), a piece of the message or hint
  const cases: [string, string, string, string][] = [
    ['{{ nam }}', 'unknown-field', '4:4', 'Did you mean "name"'],
    ['a\n\n{{ address.city }}', 'maybe-absent', '6:4', 'guard'],
    ['{{ nick }}', 'maybe-absent', '4:4', '??'],
    ['{{ name | mony "EUR" }}', 'unknown-formatter', '4:11', 'Did you mean "money"'],
    ['{{ name | money "EUR" }}', 'formatter-type', '4:4', 'a whole number'],
    ['{{ count | money }}', 'formatter-arguments', '4:4', 'currency'],
    ['{{ name | date }}', 'formatter-type', '4:4', '"format": "date" or "date-time"'],
    ['{{ at | date "fulll" }}', 'formatter-choice', '4:14', 'Did you mean "full"'],
    ['{{ name - 1 }}', 'operator-type', '4:4', 'works on numbers'],
    ['{{ items }}', 'insert-type', '4:4', 'list'],
    ['{{ flag ?? true }}', 'insert-type', '4:4', '"yes"'],
    ['{{ items.label }}', 'no-fields', '4:10', 'each'],
    ['{{ status == "opened" ? "a" : "b" }}', 'never-equal', '4:4', 'Did you mean "open"'],
    [':::each x in name\n{{ x }}\n:::', 'each-type', '4:14', 'goes through a list'],
    [':::each items\nx\n:::', 'each-form', '4:1', 'NAME in LIST'],
    [':::notise\nx\n:::', 'unknown-block', '4:4', 'Did you mean "notice"'],
    [':::notice\nx', 'block-open', '4:1', 'not closed'],
    ['x\n:::', 'close-alone', '5:1', 'no open block'],
    [':::else\n:::', 'else-alone', '4:1', 'leave out'],
    [':::if\nx\n:::', 'test-missing', '4:1', 'needs a test'],
    ['::notice', 'block-empty', '4:3', 'needs a content'],
    [':::gap\n:::', 'block-content', '4:4', '::gap'],
    ['::action "Go"', 'missing-argument', '4:3', '"to"'],
    ['::action "Go" too="x"', 'unknown-argument', '4:15', 'Did you mean "to"'],
    [':::notice tone=red\nx\n:::', 'argument-choice', '4:11', 'info'],
    ['{{ name', 'braces-open', '4:1', 'not closed'],
    ['{{ }}', 'expression-empty', '4:4', 'nothing between'],
    ['{{ name && nick }}', 'expression-sign', '4:9', '"and"'],
    ['{{ name name }}', 'expression-rest', '4:9', 'left over'],
    ['{{ upper(name) }}', 'no-calls', '4:4', 'formatter'],
    ['{{ "a }}', 'braces-open', '4:1', 'not closed'],
    ['{{ if name }}x', 'if-open', '4:1', 'no "{{ end }}"'],
    ['**{{ if name }}** x {{ end }}', 'if-open', '4:3', 'same run'],
    ['x {{ end }}', 'steering-alone', '4:3', 'no "{{ if'],
    ['<b>x</b>', 'html-in-prose', '4:1', ':::raw html'],
    ['::body', 'body-here', '4:3', 'layout'],
    [':::facts\nnothing\n:::', 'row-form', '5:1', '- Label: value'],
    [':::facts\n- nothing\n:::', 'fact-form', '5:3', 'label'],
    ['{{ say "hello" }}', 'unknown-string', '4:4', 'strings/'],
    ['{{ constructor }}', 'unknown-field', '4:4', 'no field'],
  ];
  test.each(cases)('%j', (body, code, place, words) => {
    const { problems, program } = compile(body);
    const found = problems.find((problem) => problem.code === code);
    expect(problems.map((problem) => problem.code)).toContain(code);
    expect(`${found?.place.line}:${found?.place.column}`).toBe(place);
    expect(`${found?.message} ${found?.hint}`).toContain(words);
    expect(program).toBeUndefined();
  });

  test('one fault does not make another', () => {
    expect(compile('{{ nam.given | upper }} {{ (nam + 1) * 2 }}').problems.map((problem) => problem.code)).toEqual([
      'unknown-field',
      'unknown-field',
    ]);
  });

  test('front matter: missing, unknown key, broken YAML', () => {
    expect(compile('x', 'preview: "p"').problems.map((problem) => problem.code)).toEqual(['no-subject']);
    expect(compile('x', 'subject: "S"\nsubjekt: "T"').problems[0]).toMatchObject({
      code: 'front-key',
      place: { line: 3, column: 1 },
      hint: 'Did you mean "subject"?',
    });
    expect(compile('x', 'subject: "S\n').problems.map((problem) => problem.code)).toContain('yaml');
  });

  test('a field that nothing uses is a warning', () => {
    const unused = compile('{{ name }}').all.filter((problem) => problem.code === 'unused-field');
    expect(unused.map((problem) => problem.message).join()).toContain('"items"');
    expect(unused.every((problem) => problem.severity === 'warning')).toBe(true);
  });
});

group('narrowing', () => {
  test.each([
    ':::if nick\n{{ nick }}\n:::',
    '{{ if nick }}{{ nick }}{{ end }}',
    ':::if not nick\nnone\n:::else\n{{ nick }}\n:::',
    '{{ nick ? nick : name }}',
    '{{ nick ?? name }}',
    '{{ nick | upper | default "x" }}',
    ':::if address\n{{ address.city }} {{ address.zip ?? "" }}\n:::',
    ':::if nick and nick != "x"\n{{ nick }}\n:::',
    ':::if ratio and ratio > 0.5\n{{ ratio | percent }}\n:::',
    ':::if address.zip != null\n{{ address.zip }} {{ address.city }}\n:::',
    ':::if pet.kind == "dog"\n{{ pet.bark }}\n:::else\n{{ pet.lives }}\n:::',
    '{{ pet.kind == "cat" ? pet.lives | number : pet.bark }}',
  ])('%s', (body) => {
    expect(compile(body.replace('pet.lives | number', '(pet.lives | number)')).problems).toEqual([]);
  });
  test('knowledge ends with its branch', () => {
    expect(compile(':::if nick\nx\n:::\n{{ nick }}').problems.map((problem) => problem.code)).toEqual(['maybe-absent']);
    // A cat may have a field of that name that the schema does not mention.
    expect(compile('{{ pet.bark }}').problems.map((problem) => problem.code)).toEqual(['insert-type']);
  });
});

group('rendering', () => {
  test('prose, emphasis and links in both parts', () => {
    const { html, text } = render(
      '# Hello {{ name }}\n\nGo **on**, *now*: [here](/x?y={{ name | url }}) or <https://host.example/z>.\n\n- one\n- two\n\n1. first\n2. second\n\n> quoted\n\n---\n\n```\n{{ name }}  x\n```',
    );
    expect(html).toContain('Hello Ása</h1>');
    expect(html).toContain('<strong>on</strong>, <em>now</em>');
    expect(html).toContain('href="https://host.example/x?y=%C3%81sa"');
    expect(text).toBe(
      [
        'Hello Ása',
        '=========',
        '',
        'Go on, now: here [1] or https://host.example/z.',
        '',
        '- one',
        '- two',
        '',
        '1. first',
        '2. second',
        '',
        '> quoted',
        '',
        '-'.repeat(72),
        '',
        '    Ása  x',
        '',
        '[1] https://host.example/x?y=%C3%81sa',
        '',
      ].join('\n'),
    );
  });

  test('branches, loops, positions and empty lists', () => {
    const body =
      ':::each item, at in items\n- {{ at.number }}: {{ item.label }}\n:::\n\n:::each item in items\nx\n:::empty\nNothing.\n:::\n\nA{{ if count > 2 }} many{{ else }} few{{ end }}.';
    expect(render(body).text).toBe('- 1: Adult\n- 2: Bicycle\n\nx\n\nx\n\nA many.\n');
    expect(render(body, { ...DATA, items: [], count: 1 }).text).toBe('Nothing.\n\nA few.\n');
  });

  test('a loop around list items is one list', () => {
    expect(render(':::each item in items\n- {{ item.label }}\n:::').html.match(/<ul/g)).toHaveLength(1);
  });

  test('ledger: numbers flush right in both parts', () => {
    const { html, text } = render(
      ':::ledger\n:::each item in items\n- {{ item.label }} | {{ item.cents | money "EUR" }}\n:::\n= Total | {{ count | money "EUR" }}\n:::',
    );
    expect(text).toBe('Adult    €48.00\nBicycle   €6.50\n---------------\nTotal     €0.03\n');
    expect(html.match(/align="right"/g)).toHaveLength(3);
  });

  test.each([
    '{{ count | percent }}',
    '{{ count | number }}',
    '{{ count | money "EUR" }}',
    '{{ count }}',
    '12',
    '1,234.50',
    '-7 %',
    '€48.00',
  ])('ledger: a column of %s is flush right also where it is not the last', (cell) => {
    const { html } = render(`:::ledger\n- Adult | ${cell} | paid\n- Bicycle | ${cell} | open\n:::`);
    expect(html.match(/<t[hd][^>]*align="(left|right)"/g)?.map((text) => /align="(\w+)"/.exec(text)?.[1])).toEqual([
      ...['left', 'right', 'right'],
      ...['left', 'right', 'right'],
    ]);
  });

  test('ledger: a column with words in it is not', () => {
    const { html } = render(':::ledger\n- Adult | 12 | paid\n- Bicycle | none | open\n:::');
    expect(html.match(/align="right"/g)).toHaveLength(2);
  });

  test('ledger: a table of data with headings and a caption, its rows short', () => {
    const { html, text } = render(
      ':::ledger "Your fares"\n# Fare | Number | Price\n:::each item in items\n- {{ item.label }} | 1 | {{ item.cents | money "EUR" }}\n:::\n= Total | | €54.50\n:::',
    );
    expect(text).toBe(
      'Your fares:\nFare     Number   Price\n-----------------------\nAdult         1  €48.00\nBicycle       1   €6.50\n-----------------------\nTotal            €54.50\n',
    );
    const table = /<table class="block-ledger[\s\S]*?<\/table>/.exec(html)?.[0] ?? '';
    expect(table).toMatch(/<caption [^>]*>Your fares<\/caption>/);
    expect([...table.matchAll(/<th scope="(col|row)"[^>]*>([^<]*)</g)].map(([, scope, words]) => `${scope} ${words}`)).toEqual([
      ...['col Fare', 'col Number', 'col Price'],
      ...['row Adult', 'row Bicycle', 'row Total'],
    ]);
    expect(table).not.toContain('role="presentation"');
    for (const [row] of table.matchAll(/<tr[\s\S]*?<\/tr>/g)) expect(Buffer.byteLength(row)).toBeLessThanOrEqual(400);
  });

  test('a notice says its tone in a word, in the language of the mail', () => {
    const { html, text } = render(':::notice tone=danger\nOne.\n\nTwo.\n:::');
    expect(text).toBe('| Important:\n| One.\n|\n| Two.\n');
    expect(html).toContain('role="note" aria-label="Important"');
  });

  test('steps say where we are to those who do not see the signs', () => {
    const { html } = render(':::steps at={{ 2 }}\n- Booked\n- Boarding\n- At sea\n:::');
    const words = [...html.matchAll(/aria-label="(\w[\w ]*)"|aria-current="step"|>(Booked|Boarding|At sea)</g)].map(
      ([all, label, name]) => label ?? name ?? all,
    );
    expect(words).toEqual(['done', 'Booked', 'now', 'aria-current="step"', 'Boarding', 'to come', 'At sea']);
  });

  test('a heading of any depth is one in the text', () => {
    expect(render('# A\n\n## B\n\n### C\n\n#### D').text).toBe('A\n=\n\nB\n-\n\nC\n.\n\nD\n.\n');
  });

  test('a button of the Word engine is as wide as its words, wherever they come from', () => {
    const width = (label: string): number =>
      Number(/v-text-anchor:middle;width:(\d+)px/.exec(render(`::action "${label}" to="/x"`).html)?.[1]);
    expect(width('Go')).toBe(120);
    expect(width('{{ name }}')).toBe(120);
    expect(width('Change this booking')).toBe(211);
    expect(width('{{ "Change " + "this booking" }}')).toBe(211);
    expect(width('予約内容を変更して再送信する')).toBe(276);
    expect(width('x'.repeat(200))).toBe(520);
  });

  test('an action has its address in the text, and a button for the Word engine', () => {
    const { html, text } = render('::action "Open {{ name }}" to="{{ url }}"');
    expect(text).toBe('Open Ása: https://host.example/a?b=1&c=2\n');
    expect(html).toContain('<v:roundrect href="https://host.example/a?b=1&amp;c=2"');
  });

  test('operators and literals', () => {
    const line =
      '{{ count + 1 }} {{ "a" + count }} {{ count * 2 - 1 }} {{ count % 2 }} {{ -count }} {{ count == 3 ? "three" : "other" }} {{ items[1].label ?? "" }} {{ (items | count) + 1 }} \\{{ x }} {{{{';
    expect(render(line).text.trim()).toBe('4 a3 5 1 -3 three Bicycle 3 {{ x }} {{');
  });

  test('the same input gives the same output, and a program survives storing', () => {
    const { program } = compile('{{ name }}, {{ at | relative }}\n\n:::each i in items\n{{ i.label }}\n:::');
    const again: typeof program = JSON.parse(JSON.stringify(program));
    const input = { data: DATA, now: 0 };
    expect(prepare(again!)(input)).toEqual(prepare(program!)(input));
  });

  test.each([
    ['javascript:alert(1)', 'link-scheme'],
    ['JaVaScRiPt:alert(1)', 'link-scheme'],
    ['java\nscript:alert(1)', 'link-scheme'],
    ['data:text/html,x', 'link-scheme'],
    ['vbscript:x', 'link-scheme'],
    ['', 'link-empty'],
    ['http://[', 'link-malformed'],
  ])('the address %j is refused', (url, code) => {
    const fault = (() => {
      try {
        render('[x]({{ url }})', { ...DATA, url });
      } catch (error) {
        return error;
      }
      return undefined;
    })();
    expect(fault).toBeInstanceOf(Fault);
    expect((fault as Fault).code).toBe(code);
    expect((fault as Fault).at).toBe('templates/t/message.md:4:1');
  });

  test('a date that does not exist is told with its place', () => {
    expect(() => render('{{ at | date }}', { ...DATA, at: '2026-13-45T00:00:00Z' })).toThrow(/is not a valid date/);
  });

  test('loops are bounded', () => {
    const items = Array.from({ length: 10_001 }, () => DATA.items[0]);
    expect(() => render(':::each i in items\n{{ i.label }}\n:::', { ...DATA, items })).toThrow(/more than 10000 turns/);
  });

  test('data never becomes markup', () => {
    const hostile = fc.oneof(
      fc.string(),
      fc.constantFrom(
        '<script>x</script>',
        '"><img src=x onerror=y>',
        "'",
        '{{ name }}',
        ':::notice',
        '\r\nBcc: a@b.example',
        '\u202Eabc',
        '\0',
        ']]>',
        '-->',
        '&amp;',
        '\uFDD0\uFDD2\uFDD1',
      ),
    );
    const { program } = compile(
      '# {{ name }}\n\n[{{ name }}](https://host.example/{{ name | url }}) {{ nick ?? "" }}\n\n::action "{{ name }}" to="https://host.example/?q={{ name }}"',
      'subject: "S {{ name }}"\npreview: "{{ name }}"',
    );
    const run = prepare(program!);
    const shape = (html: string) => [...html.matchAll(/<[a-z!/][^\s>]*/gi)].map((found) => found[0]);
    const plain = shape(run.html({ data: { ...DATA, name: 'x', nick: 'y' }, now: 0 }));
    fc.assert(
      fc.property(hostile, hostile, (name, nick) => {
        const { subject, html, text } = run({ data: { ...DATA, name, nick }, now: 0 });
        expect(shape(html)).toEqual(plain);
        expect(html).not.toMatch(/[\0\u202E]/);
        expect(subject).not.toMatch(/[\r\n\0]/);
        expect(text).not.toMatch(/[\0\r\u202E]/);
      }),
      { numRuns: 500 },
    );
  });
});

group('mail folder', () => {
  const link = (files: Record<string, string>) =>
    linkFolder(new Map(Object.entries(files).map(([path, text]) => [path, Buffer.from(text)])));
  test('what is wrong is told with its file', () => {
    const codes = (files: Record<string, string>) =>
      compileFolder(link(files)).problems.map((problem) => `${problem.place.file} ${problem.code}`);
    expect(codes({})).toEqual(['mail.yaml no-mail-folder']);
    expect(codes({ 'mail.yaml': 'name: x\nlokale: en' })).toContain('mail.yaml setting-unknown');
    expect(codes({ 'mail.yaml': 'name: x\ntimeZone: Mars/Base' })).toContain('mail.yaml setting');
    expect(codes({ 'mail.yaml': 'name: x', 'templates/a/message.md': 'x' })).toContain('templates/a/data.schema.json no-schema');
    expect(codes({ 'mail.yaml': 'name: x', 'templates/a/message.md': 'x', 'templates/a/data.schema.json': '{' })).toContain(
      'templates/a/data.schema.json json',
    );
    expect(codes({ 'mail.yaml': 'name: x', 'layouts/l.md': 'no body' })).toContain('layouts/l.md layout-body');
  });
  test('a sample that does not fit its schema is told with file and line', () => {
    const { all } = compile('{{ name }}', undefined, {
      'templates/t/samples/s.json': JSON.stringify({ ...DATA, count: 'three', colour: 1 }, null, 2),
    });
    const faults = all.filter((problem) => problem.code === 'sample-data');
    expect(faults.map((fault) => `${fault.place.file}:${fault.place.line} ${fault.message}`)).toEqual([
      'templates/t/samples/s.json:3 "count" must be an integer, is a string.',
      'templates/t/samples/s.json:20 "colour" is not a field of the data schema.',
    ]);
  });
});
