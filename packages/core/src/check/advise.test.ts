import { describe, expect, test } from '@jest/globals';
import { linkFolder } from '../folder/index.js';
import { compileFolder } from '../program/index.js';
import { adviseFolder } from './index.js';

const NOW = Date.parse('2026-12-03T09:00:00Z');

describe('advice', () => {
  const SCHEMA = '{"type":"object","properties":{"x":{"type":"string"}}}';
  const codes = (source: string, more: Record<string, string> = {}, name = 'message.md'): string[] => {
    const all: Record<string, string> = {
      'mail.yaml': 'name: T\nbaseUrl: https://host.example/\ntopics:\n  news: { label: News, purpose: optional }\n',
      'templates/t/data.schema.json': SCHEMA,
      'templates/t/samples/s.json': '{"x":"y"}',
      [`templates/t/${name}`]: source,
      ...more,
    };
    const linked = linkFolder(
      new Map(
        Object.entries(all)
          .filter(([, text]) => text !== '')
          .map(([path, text]) => [path, Buffer.from(text)]),
      ),
    );
    return adviseFolder(linked, compileFolder(linked), NOW).map((problem) => problem.code);
  };
  const md = (front: string, body = 'Hello there.'): string => `---\n${front}\n---\n${body}`;
  const fine = 'subject: "Your booking"\npreview: "It is confirmed."';
  const cases: [string, string, Record<string, string>?, string?][] = [
    ['preview-missing', md('subject: "S"')],
    ['preview-repeats', md('subject: "Same"\npreview: "Same"')],
    ['subject-long', md(`subject: "${'long '.repeat(20)}"\npreview: "p"`)],
    ['subject-empty', md('subject: \'{{ x == "y" ? "" : "z" }}\'\npreview: "p"')],
    ['filter-words', md('subject: "Act now!!"\npreview: "p"')],
    ['filter-words', md('subject: "YOUR TICKETS ARE HERE"\npreview: "p"')],
    ['heading-order', md(fine, '# A\n\n### B')],
    ['link-words', md(fine, 'Your ticket is [here](/x).')],
    ['link-local', md(fine, 'Go to [your booking](http://localhost:3000/x).')],
    [
      'picture-missing',
      md(fine, '![A boat]({{ x }})'),
      {
        'templates/t/data.schema.json': '{"type":"object","required":["x"],"properties":{"x":{"type":"string","format":"uri-reference"}}}',
        'templates/t/samples/s.json': '{"x":"assets/none.png"}',
      },
    ],
    ['no-unsubscribe', md(`${fine}\ntopic: news`)],
    ['no-sample', md(fine), { 'templates/t/samples/s.json': '' }],
    ['contrast', md(fine, '<p style="color:#999999;background-color:#ffffff">Pale</p>'), {}, 'message.html'],
    ['css-support', md(fine, '<div style="display:flex">x</div>'), {}, 'message.html'],
    ['text-poor', md(fine, `:::only html\n${'many words stand in this part. '.repeat(12)}\n:::\n\nFew.`)],
    ['contrast', md(fine), { 'theme.tokens.json': '{"color":{"text":{"$value":"#eeeeee"}}}' }],
    [
      'link-scheme',
      md(fine, '[your page]({{ x }})'),
      {
        'templates/t/data.schema.json': '{"type":"object","required":["x"],"properties":{"x":{"type":"string","format":"uri"}}}',
        'templates/t/samples/s.json': '{"x":"javascript:x"}',
      },
    ],
  ];
  test.each(cases)('%s (case %#)', (...[code, source, more, name]) => {
    // A parameter for each entry would make Jest wait for a callback where a row is shorter.
    expect(codes(source, more, name)).toContain(code);
  });
  test('size and picture-large', () => {
    expect(codes(md(fine, 'word '.repeat(20_000)))).toContain('size');
    expect(codes(md(fine, '![A boat](assets/big.png)'), { 'assets/big.png': 'x'.repeat(400_000) })).toContain('picture-large');
  });
  test('a contrast is enough from 4.5:1 on, and not before', () => {
    const on = (textColor: string): string[] =>
      codes(md(fine, `<p style="color:${textColor};background-color:#ffffff">Pale</p>`), {}, 'message.html').filter(
        (code) => code === 'contrast',
      );
    // #767676 on white has 4.54:1, #777777 has 4.48:1.
    expect([on('#767676'), on('#777777')]).toEqual([[], ['contrast']]);
  });
  test('nothing is said of an email that is in order', () => {
    expect(codes(md(fine))).toEqual([]);
  });
});
