import { describe, expect, test } from '@jest/globals';
import { object, testFolder } from './test-folder.js';

const SCHEMA = object({
  late: { type: 'boolean' },
  name: { type: 'string' },
  link: { type: 'string', format: 'uri' },
  tags: { type: 'array', items: { type: 'string' } },
});
const DATA = { late: true, name: '"><b>Ása', link: 'https://a.example/', tags: ['a', 'b'] };
const folder = (body: string): ReturnType<typeof testFolder> =>
  testFolder(SCHEMA, {
    'templates/t/message.html': `---\nsubject: S\npreview: P\n---\n<html lang="en" dir="ltr"><head><title>T</title></head><body>${body}</body></html>`,
  });
const body = (html: string): string => /<body>\s*(?:<div[^]*?<\/div>\s*)?([^]*)<\/body>/.exec(html)?.[1] ?? '';

describe('attributes under a condition', () => {
  test.each([
    ['<table><tr><td {{ if late }}bgcolor="#ff0000"{{ end }}>x</td></tr></table>', '<td  bgcolor="#ff0000">', '<td >'],
    ['<p{{ if late }} align="right"{{ end }}>x</p>', '<p   align="right">', '<p >'],
    [
      '<p {{ if late }}align="right"{{ else }}align="center" dir="rtl"{{ end }} title="t">x</p>',
      '<p  align="right" title="t">',
      '<p  align="center" dir="rtl" title="t">',
    ],
    [
      '<p {{ if late }}title="For {{ name }}"{{ end }}title2="y">x</p>',
      '<p  title="For &quot;&gt;&lt;b&gt;Ása" title2="y">',
      '<p  title2="y">',
    ],
    ['<img src="https://a.example/x.png" alt="x" {{ if not late }}width="10"{{ end }}/>', 'alt="x" />', 'alt="x"  width="10"/>'],
    ["<p {{ if late }}data-a='1'{{ end }}>a &lt; b</p>", "<p  data-a='1'>", '<p >'],
  ])('%s', (source, late, early) => {
    const made = folder(source);
    expect(body(made.render(DATA).html)).toContain(late);
    expect(body(made.render({ ...DATA, late: false }).html)).toContain(early);
  });

  test('a loop makes one for each entry', () => {
    expect(folder('<p {{ each tag in tags }}data-{{ tag }}="1"{{ end }}>x</p>').codes).toContain('attribute-steering');
    expect(body(folder('<p title="a" {{ each tag in tags }}lang="en"{{ end }}>x</p>').render({ ...DATA, tags: ['a'] }).html)).toContain(
      '<p title="a"  lang="en">',
    );
  });

  test.each([
    ['an address', '<a {{ if late }}href="https://a.example/"{{ end }}>x</a>'],
    ['a class', '<p {{ if late }}class="a"{{ end }}>x</p>'],
    ['a style', '<p {{ if late }}style="color:red"{{ end }}>x</p>'],
    ['a script', '<p {{ if late }}onclick="x()"{{ end }}>x</p>'],
    ['the words of a picture', '<img src="https://a.example/x.png" {{ if late }}alt="x"{{ end }}>'],
    ['data without quotes', '<p {{ if late }}title={{ name }}{{ end }}>x</p>'],
    ['data as a name', '<p {{ if late }}{{ name }}="x"{{ end }}>x</p>'],
    ['the end of the tag', '<p {{ if late }}title="x">{{ end }}x</p>'],
    ['half of a value', '<p {{ if late }}title="x{{ end }}">x</p>'],
    ['another condition', '<p {{ if late }}{{ if late }}title="x"{{ end }}{{ end }}>x</p>'],
    ['data in what is more than a text', '<a {{ if late }}target="{{ name }}"{{ end }} href="https://a.example/">x</a>'],
  ])('not %s', (_what, source) => {
    const { problems, locales } = folder(source);
    expect(problems.filter(({ severity }) => severity === 'error').map(({ code }) => code)).not.toEqual([]);
    expect(locales).toEqual([]);
  });

  test('what is refused says where and what to write instead', () => {
    const { problems } = folder('<a {{ if late }}href="{{ link }}"{{ end }}>x</a>');
    expect(problems.find(({ severity }) => severity === 'error')).toMatchObject({
      code: 'attribute-steering',
      message: 'The attribute "href" cannot be conditional.',
      hint: 'Choose between addresses: href="{{ test ? one : other }}".',
      place: { line: 5 },
    });
  });

  test('conditions among words stay what they were', () => {
    expect(body(folder('<p>a {{ if late }}<b title="x">b</b>{{ end }} > c</p>').render(DATA).html)).toContain(
      '<p>a <b title="x">b</b> > c</p>',
    );
  });
});
