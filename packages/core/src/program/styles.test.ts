import { describe as group, expect, test } from '@jest/globals';
import { md, object, testFolder } from './test-folder.js';

const SCHEMA = object({
  lines: { type: 'array', items: object({ label: { type: 'string' }, cents: { type: 'integer' } }) },
  gift: { type: 'boolean' },
  total: { type: 'integer' },
});
const DATA = {
  lines: [
    { label: 'Adult', cents: 4800 },
    { label: 'Bicycle', cents: 650 },
  ],
  gift: true,
  total: 5450,
};
const LEDGER = `:::ledger
:::each line in lines
- {{ line.label }} | {{ line.cents | money "EUR" }}
:::
:::if gift
- A gift | {{ 0 | money "EUR" }}
:::
= Total | {{ total | money "EUR" }}
:::`;
const FACTS = `:::facts
:::each line in lines
- {{ line.label }}: {{ line.cents | money "EUR" }}
:::
- Total: {{ total | money "EUR" }}
:::`;
const rowsIn = (html: string): number => html.match(/<tr[\s>]/g)?.length ?? 0;

group('rows stay where they are, whatever sheet is laid over them', () => {
  test.each([
    ['ledger', LEDGER],
    ['facts', FACTS],
  ])('%s', (_name, body) => {
    const source = { 'templates/t/message.md': md(body) };
    const plain = testFolder(SCHEMA, source).render(DATA);
    const styled = testFolder(SCHEMA, { ...source, 'styles/x.css': '.q{color:#555}' }, 'styles: [styles/x.css]\n');
    expect(styled.codes.filter((code) => code !== 'class-unknown')).toEqual([]);
    expect(rowsIn(styled.render(DATA).html)).toBe(rowsIn(plain.html));
    expect(styled.render(DATA).html).toContain('€48.00');
    expect(styled.render(DATA).html).toContain('€54.50');
    expect(styled.render(DATA).text).toBe(plain.text);
  });

  test.each([
    [
      'the first rows come of a loop',
      '<table>\n:::each line in lines\n<tr><td>{{ line.label }}</td></tr>\n:::\n<tr><td>T</td></tr></table>',
    ],
    [
      'a loop after a head',
      '<table><thead><tr><th>A</th></tr></thead>\n:::each line in lines\n<tr><td>{{ line.label }}</td></tr>\n:::\n</table>',
    ],
    [
      'branches in a loop',
      '<table>\n:::each line in lines\n:::if line.cents > 1000\n<tr><td><b>{{ line.label }}</b></td></tr>\n:::else\n<tr><td>{{ line.label }}</td></tr>\n:::\n:::\n</table>',
    ],
    [
      'a head under a condition, then a loop',
      '<table>\n:::if gift\n<thead><tr><th>A</th></tr></thead>\n:::\n:::each line in lines\n<tr><td>{{ line.label }}</td></tr>\n:::\n</table>',
    ],
  ])('message.html: %s', (_name, table) => {
    const { codes, render } = testFolder(SCHEMA, { 'templates/t/message.html': md(`<!DOCTYPE html><body>${table}</body>`) });
    expect(codes).toEqual([]);
    const { html } = render(DATA);
    expect(html).toMatch(/<tr><td>(?:<b>)?Adult(?:<\/b>)?<\/td><\/tr>\s*<tr><td>Bicycle<\/td><\/tr>/);
    expect(render({ ...DATA, lines: [] }).html).not.toContain('Bicycle');
  });

  test.each([
    ['text between rows', '<table>\n:::each line in lines\n<tr><td>x</td></tr>and {{ line.label }}\n:::\n</table>', 'html-moved'],
    ['a value between rows', '<table>\n:::each line in lines\n{{ line.label }}<tr><td>x</td></tr>\n:::\n</table>', 'html-moved'],
    ['words that only the parser moves', '<table><tr><td>x</td></tr>:::</table><p>y</p>', 'html-moved'],
    ['a row without a table', '<tr><td>{{ total }}</td></tr>', 'html-dropped'],
    ['a link in a link', '<a href="/a">x <a href="/b">{{ total }}</a></a>', undefined],
    ['a value as an attribute', '<p {{ total }}>x</p>', 'html-moved'],
    ['a value in the name of a tag', '<h{{ total }}>x</h1>', 'html-moved'],
    ['a value in a comment', '<!-- {{ total }} --><p>x</p>', 'html-moved'],
    ['a condition in a title', '<title>{{ if gift }}a{{ end }}</title><p>x</p>', 'steering-here'],
    ['a condition in a style sheet', '<style>{{ if gift }}p{color:red}{{ end }}</style><p>x</p>', 'steering-here'],
    ['a condition in a conditional comment', '<!--[if mso]>{{ if gift }}a{{ end }}<![endif]--><p>x</p>', 'steering-here'],
    ['a loop half in a row', '<table><tr>\n:::each line in lines\n<td>x</td></tr>\n:::\n</table>', 'steering-crosses'],
  ])('what cannot stand where it does is refused: %s', (_name, body, code) => {
    const { codes, problems } = testFolder(SCHEMA, { 'templates/t/message.html': md(`<body>${body}</body>`) });
    if (code === undefined) expect(problems.filter((problem) => problem.severity === 'error')).toEqual([]);
    else expect(codes).toContain(code);
  });
});

group('the style sheet that stays in the head', () => {
  const SHEET = `.a>p{margin:1px}
@media (max-width:9px){ .block-card>tbody>tr>td, [class="vp"] { font-family:"Fira Sans"; background:url("https://shop.example/a.png") } }
@font-face{font-family:"Fira Sans";src:url("https://shop.example/f.woff2")}
p:hover::after{content:"</style><script>alert(1)</script>"}`;
  test('it is CSS, not HTML: no entities, and nothing in it ends it', () => {
    const { render } = testFolder(
      SCHEMA,
      { 'styles/x.css': SHEET, 'templates/t/message.md': md(`:::card\nTotal {{ total }}\n:::`) },
      'styles: [styles/x.css]\n',
    );
    const { html } = render(DATA);
    const style = [...html.matchAll(/<style>([\s\S]*?)<\/style>/g)].map(([, text]) => text).join('\n');
    expect(style).not.toMatch(/&(?:gt|quot|amp|lt);/);
    expect(style).toContain('[class="vp"] { font-family:"Fira Sans"; background:url("https://shop.example/a.png") }');
    expect(style).toContain('.block-card>tbody>tr>td');
    expect(style).toContain('@font-face{font-family:"Fira Sans";src:url("https://shop.example/f.woff2")}');
    expect(html).not.toContain('<script>alert(1)</script>');
    expect(html.match(/<\/style>/g)).toHaveLength(2);
  });

  test('selectors with a child sign reach into tables', () => {
    const { render } = testFolder(
      SCHEMA,
      { 'styles/x.css': '.block-ledger > tbody > tr > * { letter-spacing: 2px }', 'templates/t/message.md': md(LEDGER) },
      'styles: [styles/x.css]\n',
    );
    expect(render(DATA).html.match(/letter-spacing:2px/g)).toHaveLength(8);
  });

  test('what a style sheet says of a button holds for the Word engine too', () => {
    const { render } = testFolder(
      SCHEMA,
      {
        'styles/x.css': '.block-action { background-color: #0f766e; border-color: teal; color: #fefefe }',
        'templates/t/message.md': md('::action "Go" to="/x"'),
      },
      'baseUrl: https://shop.example/\nstyles: [styles/x.css]\n',
    );
    const { html } = render(DATA);
    expect(html).toMatch(/<v:roundrect [^>]*strokecolor="teal" fillcolor="#0f766e"><center style="[^"]*color:#fefefe/);
  });

  test('sheets that import each other end, with a problem', () => {
    const many = '@import "x.css";@import "y.css";'.repeat(20);
    const { codes } = testFolder(
      SCHEMA,
      { 'styles/x.css': `${many}p{color:red}`, 'styles/y.css': many, 'templates/t/message.md': md('x') },
      'styles: [styles/x.css]\n',
    );
    expect(codes).toContain('style-imports');
  });

  test('mistakes in a style sheet are reported with their place', () => {
    const { problems } = testFolder(
      SCHEMA,
      { 'styles/x.css': '.block-legder td { color: red }\n.block-card { color red }', 'templates/t/message.md': md(LEDGER) },
      'styles: [styles/x.css]\n',
    );
    expect(
      problems.filter((problem) => problem.place.file === 'styles/x.css').map(({ code, place, hint }) => [code, place.line, hint]),
    ).toEqual([
      ['class-unknown', 1, 'Did you mean "block-ledger"?'],
      ['class-unknown', 2, expect.anything()],
      ['css-syntax', 2, expect.stringContaining('left out')],
    ]);
  });
});

group('data in styles', () => {
  const schema = object({
    color: { type: 'string', format: 'color' },
    width: { type: 'string', format: 'length' },
    n: { type: 'integer' },
    tone: { enum: ['#ff0000', 'green'] },
    s: { type: 'string' },
    kind: { enum: ['a', 'b'] },
  });
  const data = { color: '#0f766e', width: '12px', n: 7, tone: 'green', s: 'red;background:url(https://evil.example)', kind: 'a' };
  const html = (body: string, more: Record<string, string> = {}): ReturnType<typeof testFolder> =>
    testFolder(schema, { 'templates/t/message.html': md(`<body>${body}</body>`), ...more });
  test('a colour, a length, a number, and what an enumeration holds', () => {
    const { codes, render } = html(
      '<p style="color:{{ color }};width:{{ width }};margin:{{ n }}px;border-color:{{ tone }}">x</p><style>p{top:{{ n }}px}</style>',
    );
    expect(codes).toEqual([]);
    expect(render(data).html).toContain('style="top:7px;color:#0f766e;width:12px;margin:7px;border-color:green"');
    expect(() => render({ ...data, color: 'red;background:url(x)' })).toThrow('is not a colour, a length or a number');
  });
  test.each([
    ['style="color:{{ s }}"', 'style-data'],
    ['style="background:url(https://shop.example/{{ s }})"', 'style-data'],
    ['class="{{ kind }}"', 'class-data'],
    ['srcset="{{ s }} 2x"', 'attribute-data'],
  ])('<p %s> is refused: %s', (attribute, code) => {
    expect(html(`<p ${attribute}>x</p><style>.a{color:red}</style>`).codes).toContain(code);
  });
  test('<style> with a text in it is refused, and so is a text in that of a conditional comment', () => {
    expect(html('<style>p{color:{{ s }}}</style><p>x</p>').codes).toContain('style-data');
    expect(html('<!--[if mso]><style>p{color:{{ s }}}</style><![endif]--><p>x</p>').codes).toContain('style-data');
  });
});
