import { describe as group, expect, test } from '@jest/globals';
import { md, object, testFolder } from './test-folder.js';
import { ALIAS_BOMB, doublingBlocks } from './test-hostile.js';

const SCHEMA = object({
  xs: { type: 'array', items: object({ name: { type: 'string' }, subs: { type: 'array', items: { type: 'string' } } }) },
  yes: { type: 'boolean' },
  s: { type: 'string' },
});
const DATA = {
  xs: [
    { name: 'A', subs: ['a1', 'a2'] },
    { name: 'B', subs: [] },
  ],
  yes: true,
  s: 'x',
};
const folder = (body: string): ReturnType<typeof testFolder> => testFolder(SCHEMA, { 'templates/t/message.md': md(body) });
const text = (body: string, data: unknown = DATA): string => {
  const { problems, render } = folder(body);
  expect(problems.filter((problem) => problem.severity === 'error')).toEqual([]);
  return render(data).text;
};
const html = (body: string): string => folder(body).render(DATA).html;

group('tables and struck-out text', () => {
  test('a table keeps its columns in both parts', () => {
    const source = '| Day | High |\n|-----|-----:|\n| Mon **1** | {{ s }} |\n| Tue \\| x | 10:30 |';
    expect(text(source)).toBe('Day       High\n--------------\nMon 1        x\nTue | x  10:30\n');
    const made = html(source);
    expect(made).toMatch(
      /<thead><tr><th scope="col"[^>]*align="left"[^>]*>Day<\/th><th scope="col"[^>]*align="right"[^>]*>High<\/th><\/tr>/,
    );
    expect(made).toMatch(/<td [^>]*align="right"[^>]*>x<\/td>/);
  });
  test('two tildes strike out, one is a tilde', () => {
    expect(html('~~old~~ ~1~ new')).toContain('<del>old</del> ~1~ new');
    expect(text('~~old~~ new')).toBe('~old~ new\n');
  });
  test.each([
    ['| a | b |', 'table-form'],
    ['text[^1]\n\n[^1]: note', 'footnote'],
    ['> ::body', 'block-here'],
    ['> :::if yes\n> x\n> :::', 'block-here'],
    ['- ::gap', 'block-here'],
  ])('%j: %s', (body, code) => {
    expect(folder(body).codes).toContain(code);
  });
  test.each(['\\| a | b', '> `::body`', '```\n| a |\n::body\n```'])('%j says what it says', (body) => {
    expect(folder(body).codes).toEqual([]);
  });
});

group('emphasis beside CJK punctuation', () => {
  test.each([
    ['**「重要」**です', '<strong>「重要」</strong>です'],
    ['これは**重要。**と言う', 'これは<strong>重要。</strong>と言う'],
    ['~~旧。~~新', '<del>旧。</del>新'],
  ])('%s', (body, wanted) => {
    expect(html(body)).toContain(wanted);
  });
});

group('lists go on over loops and branches', () => {
  const cases: [name: string, body: string, text: string][] = [
    ['a loop in the middle, one numbering', '1. First\n:::each x in xs\n1. {{ x.name }}\n:::\n1. Last', '1. First\n2. A\n3. B\n4. Last\n'],
    ['a branch in the middle', '1. First\n:::if yes\n1. Second\n:::else\n1. Other\n:::\n1. Last', '1. First\n2. Second\n3. Last\n'],
    ['a branch at the start', ':::if yes\n- a\n:::\n- b', '- a\n- b\n'],
    ['items in items', ':::each x in xs\n- {{ x.name }}\n  - deep\n:::', '- A\n  - deep\n- B\n  - deep\n'],
    ['a loop within an item', '- Top\n  :::each x in xs\n  - {{ x.name }}\n  :::\n- End', '- Top\n  - A\n  - B\n- End\n'],
    [
      'a loop within a loop’s item',
      ':::each x in xs\n- {{ x.name }}\n  :::each sub in x.subs\n  - {{ sub }}\n  :::\n:::',
      '- A\n  - a1\n  - a2\n- B\n',
    ],
    [
      'text after a loop within an item',
      '- Top\n  :::if yes\n  In it.\n  :::\n  After it.\n- End',
      '- Top\n\n  In it.\n\n  After it.\n\n- End\n',
    ],
    ['something else for an empty list', ':::each x in xs\n- {{ x.name }}\n:::empty\nNone.\n:::', '- A\n- B\n'],
    ['a list and then another kind', '- a\n:::each x in xs\n1. {{ x.name }}\n:::', '- a\n\n1. A\n2. B\n'],
    ['prose in between parts lists', '- a\n\nword\n\n- b', '- a\n\nword\n\n- b\n'],
  ];
  test.each(cases)('%s', (_name, body, wanted) => {
    expect(text(body)).toBe(wanted);
    const made = html(body);
    const lists = (wanted.match(/(?:^|\n\n)(?:- |1\. )/g) ?? []).length;
    if (!body.includes('  ')) expect(made.match(/<(?:ul|ol)[\s>]/g)).toHaveLength(lists);
  });
  test('where there is nothing to go through, what stands for it', () => {
    expect(text(':::each x in xs\n- {{ x.name }}\n:::empty\nNone.\n:::', { ...DATA, xs: [] })).toBe('None.\n');
  });
});

group('habits from other notations', () => {
  test.each([
    ['{{#each xs}}x{{/each}}', ':::each NAME in LIST'],
    ['{{{ s }}}', 'always escaped'],
    ['{{ s && yes }}', 'Write "and"'],
    ['{{ s.toUpperCase() }}', 'Formatters come after a bar'],
  ])('%s: %s', (body, hint) => {
    expect(folder(body).problems.find((problem) => problem.severity === 'error')?.hint).toContain(hint);
  });
  test.each(['{% if yes %}', '<%= s %>', 'Dear ${s}', 'Dear [[name]]'])('%s is reported as plain text', (body) => {
    expect(folder(body).codes).toContain('foreign-braces');
  });
});

group('nesting ends in a problem, not in a fault', () => {
  test.each([
    ['quotes', '>'.repeat(3000) + ' x'],
    ['lists', Array.from({ length: 500 }, (_, i) => `${'  '.repeat(i)}- x`).join('\n')],
    ['branches', ':::if yes\n'.repeat(1500) + 'x\n' + ':::\n'.repeat(1500)],
    ['loops', ':::each x in xs\n'.repeat(1500) + 'x\n' + ':::\n'.repeat(1500)],
    ['blocks that are never closed', ':::card\n'.repeat(1500)],
    ['branches within a line', '{{ if yes }}'.repeat(1500) + 'x' + '{{ end }}'.repeat(1500)],
  ])('%s', (_name, body) => {
    expect(folder(body).codes).toContain('nesting');
  });
  test.each([
    ['emphasis', (n: number) => '*a **b '.repeat(n) + 'x' + '** *'.repeat(n), 400],
    ['links', (n: number) => '['.repeat(n) + 'x' + '](/y)'.repeat(n), 1400],
  ])('%s that CommonMark reads as plain text is shown, as far as it can be read in time', (_name, body, most) => {
    const { codes, render } = folder(body(most));
    expect(codes).toEqual([]);
    expect(render(DATA).text).toContain('x');
    expect(folder(body(3000)).codes).toEqual(['crowded']);
    // Each paragraph counts separately.
    expect(folder(`${body(most)}\n\n${body(most)}`).codes).toEqual([]);
  });
  test('60 kB of nested elements, in HTML of one’s own and in raw markup', () => {
    const deep = '<div>'.repeat(12_000) + '</div>'.repeat(12_000);
    expect(testFolder(SCHEMA, { 'templates/t/message.html': md(`<body>${deep}</body>`) }).codes).toContain('nesting');
    expect(folder(`:::raw html\n${deep}\n:::`).codes).toContain('nesting');
  });
  test('a bomb of aliases, in mail.yaml and in the inputs of a block', () => {
    const source = { 'templates/t/message.md': md('x') };
    expect(testFolder(SCHEMA, source, `${ALIAS_BOMB}\n`).codes).toContain('yaml');
    expect(testFolder(SCHEMA, { ...source, 'blocks/b.md': `---\ninputs:\n${ALIAS_BOMB.replace(/^/gm, '  ')}\n---\nx` }).codes).toContain(
      'yaml',
    );
  });
  test('JSON that nests without end', () => {
    const deep = '{"a":'.repeat(20_000) + '1' + '}'.repeat(20_000);
    const source = { 'templates/t/message.md': md('x') };
    expect(testFolder(SCHEMA, { ...source, 'templates/t/data.schema.json': deep }).codes).toContain('nesting');
    expect(testFolder(SCHEMA, { ...source, 'templates/t/samples/s.json': deep }).codes).toContain('nesting');
    expect(testFolder(SCHEMA, { ...source, 'strings/en.json': deep }).codes).toContain('nesting');
    expect(testFolder(SCHEMA, { ...source, 'theme.tokens.json': deep }).codes).toContain('nesting');
    expect(testFolder(SCHEMA, { ...source, 'strings/en.json': '['.repeat(50_000) }).codes).toContain('json');
  });
  test('blocks that double with each step', () => {
    expect(testFolder(SCHEMA, { ...doublingBlocks(30), 'templates/t/message.md': md('::b29') }).codes).toContain('too-large');
  });
  test('blocks in circles are found without going through every way', () => {
    const blocks = Object.fromEntries(
      Array.from({ length: 60 }, (_, i) => [`blocks/b${i}.md`, i < 2 ? 'word' : `::b${i - 1}\n\n::b${i - 2}`]),
    );
    expect(testFolder(SCHEMA, { ...blocks, 'templates/t/message.md': md('::b2') }).codes).not.toContain('block-circle');
    expect(testFolder(SCHEMA, { ...blocks, 'blocks/b0.md': '::b59', 'templates/t/message.md': md('x') }).codes).toContain('block-circle');
  });
});
