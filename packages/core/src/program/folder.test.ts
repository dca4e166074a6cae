import { describe as group, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { BLOCKS } from '../blocks/index.js';
import { linkFolder } from '../folder/index.js';
import { MAX_NESTING, MAX_SOURCE_BYTES } from '../notation/index.js';
import { prepare } from '../render/index.js';
import { compileFolder } from './index.js';
import { Fault } from '../problems/index.js';
import { scaled } from '../../../../tests/support/scale.js';

const SCHEMA = {
  type: 'object',
  required: ['name', 'n', 'at', 'rows', 'url'],
  properties: {
    name: { type: 'string' },
    nick: { type: 'string' },
    n: { type: 'integer' },
    at: { type: 'string', format: 'date-time' },
    url: { type: 'string', format: 'uri' },
    rows: { type: 'array', items: { type: 'object', required: ['a', 'b'], properties: { a: { type: 'string' }, b: { type: 'integer' } } } },
  },
};
const DATA = {
  name: 'Ása',
  n: 2,
  at: '2026-06-04T08:15:00Z',
  url: 'https://host.example/x',
  rows: [
    { a: 'one', b: 1 },
    { a: 'two', b: 2 },
  ],
};

function compile(files: Record<string, string>) {
  const all: Record<string, string> = {
    'mail.yaml': 'name: T\nbaseUrl: https://host.example/\n',
    'templates/t/data.schema.json': JSON.stringify(SCHEMA),
    ...files,
  };
  const project = linkFolder(new Map(Object.entries(all).map(([path, text]) => [path, Buffer.from(text)])));
  const compiled = compileFolder(project);
  const template = compiled.templates.get('t');
  const codes = compiled.problems.filter((problem) => problem.code !== 'unused-field').map((problem) => problem.code);
  const render = (locale = 'en', data: unknown = DATA) => {
    const program = template?.programs.get(locale);
    if (program === undefined) throw new Error(JSON.stringify(compiled.problems, null, 1));
    return prepare(program)({ data, now: 0 });
  };
  return { codes, problems: compiled.problems, template, render };
}
const md = (body: string, front = 'subject: "S"'): string => `---\n${front}\n---\n${body}`;

group('blocks of one’s own', () => {
  const block =
    '---\ninputs:\n  title: { type: string }\n  when: { type: string, format: date-time, optional: true }\n  size: { type: integer, default: 3 }\n---\n**{{ title }}** {{ size }}{{ if when }} {{ when | date }}{{ end }}\n\n::content\n\n:::each x in items\n:::';
  const fine = block.replace('\n\n:::each x in items\n:::', '');
  test('inputs keep their types, content stands where the block says, names stay apart', () => {
    const { render, codes } = compile({
      'blocks/tile.md': fine,
      'templates/t/message.md': md(
        ':::each row in rows\n:::tile title="{{ row.a }}!" when={{ at }}\n{{ row.b }} of {{ name }}\n:::\n:::\n\n:::tile title=plain size=7\n:::tile title={{ name }}\ninner\n:::\n:::',
      ),
    });
    expect(codes).toEqual([]);
    expect(render().text).toBe('one! 3 June 4, 2026\n\n1 of Ása\n\ntwo! 3 June 4, 2026\n\n2 of Ása\n\nplain 7\n\nÁsa 3\n\ninner\n');
  });
  test.each([
    [':::tile\nx\n:::', 'missing-argument'],
    [':::tile title={{ n }}\nx\n:::', 'input-type'],
    [':::tile title={{ nick }}\nx\n:::', 'maybe-absent'],
    [':::tile title=a when={{ name }}\nx\n:::', 'input-type'],
    [':::tile titel=a\nx\n:::', 'unknown-argument'],
    ['::content', 'content-here'],
  ])('%j: %s', (body, code) => {
    expect(compile({ 'blocks/tile.md': fine, 'templates/t/message.md': md(body) }).codes).toContain(code);
  });
  test('a block sees its inputs only, is checked where it stands, and cannot hold itself', () => {
    expect(
      compile({ 'blocks/tile.md': block, 'templates/t/message.md': md('x') }).problems.map(
        (problem) => `${problem.place.file}:${problem.code}`,
      ),
    ).toContain('blocks/tile.md:unknown-field');
    expect(compile({ 'blocks/a.md': '::b', 'blocks/b.md': '::a', 'templates/t/message.md': md('x') }).codes).toContain('block-circle');
    expect(compile({ 'blocks/card.md': 'x', 'templates/t/message.md': md('x') }).codes).toContain('block-name-taken');
  });
});

group('strings and locales', () => {
  const files = {
    'strings/en.json': '{"hello": "Hello {name}", "count": "{n, plural, one {# mail} other {# mails}}", "day": "On {d, date, long}"}',
    'strings/fr.json':
      '{"hello": "Bonjour {name}", "count": "{n, plural, one {# message} other {# messages}}", "day": "Le {d, date, long}"}',
    'strings/ar.json': '{"hello": "مرحبا {name}"}',
    'templates/t/message.md': md('{{ say "hello" name=name }}, {{ say "count" n=n }}. {{ say "day" d=at }}'),
  };
  test('ICU messages, by locale, with what is missing told and taken from the own locale', () => {
    const { render, problems, template } = compile(files);
    expect(render().text).toBe('Hello Ása, 2 mails. On June 4, 2026\n');
    expect(render('fr').text).toBe('Bonjour Ása, 2 messages. Le 4 juin 2026\n');
    expect([...template!.programs.keys()]).toEqual(['en', 'fr']);
    expect(problems.filter((problem) => problem.code === 'untranslated').map((problem) => problem.message)).toEqual([
      '"count" has no text in ar; readers get the one of en.',
      '"day" has no text in ar; readers get the one of en.',
    ]);
  });
  test('a whole translation stands beside the source; right to left is said', () => {
    const { render, template } = compile({
      'templates/t/message.md': md('Hello {{ name }}'),
      'templates/t/message.ar.md': md('مرحبا {{ name }}'),
    });
    expect([...template!.programs.keys()]).toEqual(['en', 'ar']);
    expect(render('ar').html).toContain('<html lang="ar" dir="rtl"');
    expect(render('ar').html).toContain('text-align:right');
  });
  test.each([
    ['{{ say "helo" name=name }}', 'unknown-string'],
    ['{{ say "hello" }}', 'string-value'],
    ['{{ say "hello" name=name nom=name }}', 'string-value'],
    ['{{ say "hello" name=nick }}', 'maybe-absent'],
  ])('%s: %s', (body, code) => {
    expect(compile({ ...files, 'templates/t/message.md': md(body) }).codes).toContain(code);
  });
  test.each([
    ['{"a": "{n, plural, one {x}"}', 'icu'],
    ['{"a": 3}', 'string-type'],
    ['{"a" "b"}', 'json'],
  ])('strings file %s: %s', (text, code) => {
    expect(compile({ 'strings/en.json': text, 'templates/t/message.md': md('x') }).codes).toContain(code);
  });
});

group('HTML of one’s own', () => {
  const html = (body: string, front = 'subject: "S"'): Record<string, string> => ({
    'templates/t/message.html': `---\n${front}\n---\n${body}`,
    'styles/x.css': 'p { color: red } p:hover { color: blue }',
  });
  test('values, branches, loops, styles and addresses', () => {
    const { render, codes } = compile(
      html(
        '<head><link rel="stylesheet" href="styles/x.css"><style>.k { margin: 1px } @media (max-width: 9px) { .k { margin: 0 } }</style></head><body><p class="k">Hi {{ name }}{{ if n > 1 }}, <b>many</b>{{ end }}</p>\n<table><tr><th>A</th><th>B</th></tr>\n:::each row in rows\n<tr><td>{{ row.a }}</td><td align="right">{{ row.b }}</td></tr>\n:::\n</table><a href="/go?q={{ name | url }}">Go</a> <img src="x.png" alt="A {{ name }}"></body>',
      ),
    );
    expect(codes).toEqual([]);
    const { html: made, text } = render();
    expect(made).toContain('<p class="k" style="color:red;margin:1px">Hi Ása, <b>many</b></p>');
    expect(made).toContain('<style>p:hover{color:blue!important}</style><style>@media (max-width: 9px){ .k{margin:0!important} }</style>');
    expect(made).toContain('<tr><td>one</td><td align="right">1</td></tr>');
    expect(made).toContain('href="https://host.example/go?q=%C3%81sa"');
    expect(made).toContain('<img src="https://host.example/x.png" alt="A Ása">');
    expect(text).toBe('Hi Ása, many\n\nA    B\n------\none  1\ntwo  2\n\nGo [1] [A Ása]\n\n[1] https://host.example/go?q=%C3%81sa\n');
  });
  test.each([
    ['<script>x</script>', 'forbidden-element'],
    ['<form></form>', 'forbidden-element'],
    ['<p onclick="x">y</p>', 'forbidden-attribute'],
    ['<link rel="stylesheet" href="styles/y.css">', 'unknown-style'],
    ['<style>@import "y.css";</style>', 'unknown-style'],
    ['<p title="{{ if n }}a{{ end }}">x</p>', 'steering-here'],
    ['{{ if n }}<p>a{{ end }}</p>', 'steering-crosses'],
    ['{{ nam }}', 'unknown-field'],
    ['<p title="a"lang="en">x</p>', 'html-syntax'],
  ])('%s: %s', (body, code) => {
    expect(compile(html(body)).codes).toContain(code);
  });
  test('faults name the line and column of the source, also after values and directive lines', () => {
    const at = (body: string, code: string): string[] =>
      compile(html(body))
        .problems.filter((problem) => problem.code === code)
        .map(({ place }) => `${place.line}:${place.column}`);
    expect(at('<p>{{ name }} {{ n }}</p>\n<form></form>', 'forbidden-element')).toEqual(['5:1']);
    expect(at('<p>\n:::each row in rows\n<b>{{ row.a }}</b>\n:::\n</p><script>x</script>', 'forbidden-element')).toEqual(['8:5']);
    expect(at('{{ name }}<p class="a" onclick="x">y</p>', 'forbidden-attribute')).toEqual(['4:24']);
    expect(at('<p>x</p>\r\n<p>y</p>\r\n{{ if n > 1 }}<p title="a"lang="en">x</p>{{ end }}', 'html-syntax')).toEqual(['6:27']);
    expect(at('<i>a</i>\n<p title="{{ if n }}a{{ end }}">x</p>', 'steering-here')).toEqual(['5:4']);
    const { render } = compile(html('<p>\n<a href="{{ url }}">x</a></p>'));
    expect(() => render('en', { ...DATA, url: 'javascript:x' })).toThrow(expect.objectContaining({ at: 'templates/t/message.html:5:4' }));
  });
  test('a text part written by hand takes the place of the compiled one', () => {
    const { render, codes } = compile({
      'templates/t/message.md': md('# Long'),
      'templates/t/message.txt': 'Dear {{ name }},\n:::each row in rows\n* {{ row.a }}\n:::\nBye',
    });
    expect(codes).toEqual([]);
    expect(render().text).toBe('Dear Ása,\n* one\n* two\nBye\n');
    expect(compile({ 'templates/t/message.md': md('x'), 'templates/t/message.txt': '{{ nam }}' }).problems[0]!.place.file).toBe(
      'templates/t/message.txt',
    );
    expect(compile({ 'templates/t/message.md': md('x'), 'templates/t/message.html': md('x') }).codes).toContain('two-sources');
  });
  test('style sheets reach what blocks make', () => {
    const { render } = compile({
      'mail.yaml': 'name: T\nstyles: [styles/x.css]\n',
      'styles/x.css': 'h1 { letter-spacing: 3px } li { color: green }',
      'templates/t/message.md': md('# T\n\n:::each row in rows\n- {{ row.a }}\n:::'),
    });
    expect(render().html).toMatch(/<h1[^>]*letter-spacing:3px/);
    expect(render().html.match(/<li style="[^"]*;color:green">/g)).toHaveLength(2);
    expect(render().html).toContain('<!--[if mso]><table');
  });
});

group('built-in blocks', () => {
  const drawn = [...BLOCKS.keys()].filter((name) => !['raw', 'only'].includes(name));
  test.each(drawn)('a style sheet reaches %s by its class', (name) => {
    const { render, codes } = compile({
      'mail.yaml': 'name: T\nbaseUrl: https://host.example/\nstyles: [styles/x.css]\n',
      'styles/x.css': `.block-${name} { letter-spacing: 7px }`,
      'templates/t/message.md': md(BLOCKS.get(name)?.example ?? ''),
    });
    expect(codes).toEqual([]);
    expect(render().html).toMatch(new RegExp(`class="block-${name}[ "][^>]*style="[^"]*letter-spacing:7px`));
  });
  test.each([...BLOCKS.values()].map((block) => [block.signature.name, block] as const))(
    'the example of %s compiles and has both sides',
    (name, block) => {
      const { codes, render } = compile({ 'templates/t/message.md': md(block.example) });
      expect(codes).toEqual([]);
      const { html, text } = render();
      expect(html).toContain('</html>');
      if (!['gap', 'raw', 'only'].includes(name)) expect(text.trim()).not.toBe('');
    },
  );
  test('what they say in text', () => {
    const text = (body: string) => compile({ 'templates/t/message.md': md(body) }).render().text;
    expect(text('::passcode "{{ name }} 1"')).toBe('    Ása 1\n');
    expect(text(':::steps at={{ n }}\n- A | x\n- B\n- C\n:::')).toBe('[x] A (x)\n[>] B\n[ ] C\n');
    expect(text(':::steps at=3\n- A\n- B\n- C\n:::')).toBe('[x] A\n[x] B\n[>] C\n');
    expect(text(':::quote by="{{ name }}"\nx\n:::')).toBe('> x\n>\n> -- Ása\n');
    expect(text(':::postal\n{{ name }}\nPier 1\n:::')).toBe('Ása\nPier 1\n');
    expect(text(':::only text\nt\n:::\n:::only html\nh\n:::')).toBe('t\n');
    expect(text('::picture "a.png" alt="A {{ name }}"')).toBe('[A Ása]\n');
    expect(text(':::lanes\n:::lane\na\n:::\n:::lane\nb\n:::\n:::')).toBe('a\n\nb\n');
  });
});

group('bounds', () => {
  test.each([
    ['source-size', 'x'.repeat(MAX_SOURCE_BYTES)],
    ['nesting', `${':::card\n'.repeat(MAX_NESTING + 1)}x\n${':::\n'.repeat(MAX_NESTING + 1)}`],
    ['expression-depth', `{{ ${'('.repeat(70)}n${')'.repeat(70)} }}`],
    ['expression-depth', `{{ ${'-'.repeat(70)}n }}`],
    ['expression-depth', `{{ n${' + n'.repeat(70)} }}`],
    ['expression-depth', `{{ name${'.a'.repeat(70)} }}`],
    ['noncharacter', 'a\uFDD0b'],
  ])('%s', (code, body) => {
    expect(compile({ 'templates/t/message.md': md(body) }).codes).toContain(code);
  });
  test('turns and output', () => {
    const { render } = compile({ 'templates/t/message.md': md(':::each a in rows\n:::each b in rows\n{{ b.a }}\n:::\n:::') });
    expect(() => render('en', { ...DATA, rows: Array.from({ length: 101 }, () => DATA.rows[0]) })).toThrow(/10000 turns/);
    const long = compile({ 'templates/t/message.md': md('{{ name }}') });
    expect(() => long.render('en', { ...DATA, name: 'x'.repeat(2 ** 21 + 1) })).toThrow(/2 MiB/);
  });
});

// 20,000 in all on CI; a tenth of that where someone waits.
const RUNS = scaled(1000, 20_000);

group('fuzz: any source ends in a program or in problems', () => {
  const piece = fc.constantFrom(
    ':::',
    '::',
    ':::if n',
    ':::else',
    ':::else-if name',
    ':::each row in rows',
    ':::each',
    ':::card',
    ':::facts',
    ':::ledger',
    ':::raw html',
    ':::postal',
    ':::tile title=',
    '::action "a" to=',
    '::gap height=',
    '{{',
    '}}',
    '{{ name }}',
    '{{ if n }}',
    '{{ else }}',
    '{{ end }}',
    '{{ row.a | upper }}',
    '{{ n | money "EUR" }}',
    '{{ say "hello" name=name }}',
    '- a: b',
    '- a | b',
    '= c | d',
    '# ',
    '> ',
    '- ',
    '1. ',
    '```',
    '`',
    '**',
    '_',
    '[',
    '](',
    ')',
    '<',
    '>',
    '&',
    '\\',
    '"',
    "'",
    '|',
    '---',
    '\n',
    '\n\n',
    '  ',
    '\t',
    'x',
    'é',
    '日本',
    '\u202E',
    '\uFDD0',
    '\0',
    '::content',
    '::body',
  );
  const source = fc
    .array(fc.oneof({ weight: 5, arbitrary: piece }, fc.string({ maxLength: 8 })), { maxLength: 40 })
    .map((pieces) => pieces.join(''));
  const block = {
    'blocks/tile.md': '---\ninputs:\n  title: { type: string }\n---\n{{ title }}\n::content',
    'strings/en.json': '{"hello": "Hi {name}"}',
  };
  const survives = (files: Record<string, string>): void => {
    const { template, problems } = compile({ ...block, ...files });
    for (const program of template?.programs.values() ?? []) {
      try {
        prepare(program)({ data: DATA, now: 0 });
      } catch (error) {
        if (!(error instanceof Fault)) throw error;
      }
    }
    for (const problem of problems) expect(problem.place.line).toBeGreaterThan(0);
  };
  test('Markdown sources', () => {
    fc.assert(
      fc.property(source, (body) => survives({ 'templates/t/message.md': md(body) })),
      { numRuns: RUNS * 0.7 },
    );
  }, 240_000);
  test('front matter and whole files', () => {
    fc.assert(
      fc.property(source, fc.constantFrom('', '---\n', '---\nsubject: '), (body, start) =>
        survives({ 'templates/t/message.md': start + body }),
      ),
      { numRuns: RUNS * 0.15 },
    );
  }, 120_000);
  test('HTML sources', () => {
    const tag = fc.constantFrom(
      '<p>',
      '</p>',
      '<table>',
      '<tr>',
      '<td>',
      '</table>',
      '<a href="',
      '<style>p{',
      '</style>',
      '<!--',
      '-->',
      '<div style="color:',
      '<img src=x>',
      '<svg>',
      '<template>',
      '<select>',
    );
    fc.assert(
      fc.property(fc.array(fc.oneof(tag, piece), { maxLength: 30 }), (pieces) =>
        survives({ 'templates/t/message.html': `---\nsubject: S\n---\n${pieces.join('')}` }),
      ),
      { numRuns: RUNS * 0.15 },
    );
  }, 120_000);
});
