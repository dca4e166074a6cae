import { expect, test } from '@jest/globals';
import { md, object, testFolder } from '../program/test-folder.js';
import { adviseFolder, compareParts } from './index.js';

const NOW = Date.parse('2026-06-04T08:00:00Z');
const check = (files: Record<string, string>): string[] => {
  const { project, compiled } = testFolder(object({ n: { type: 'integer' } }), { 'templates/t/samples/s.json': '{"n":54}', ...files });
  return adviseFolder(project, compiled, NOW)
    .filter((problem) => problem.code === 'parts-differ')
    .map((problem) => `${problem.severity}: ${problem.message}`);
};
const html = (body: string): Record<string, string> => ({ 'templates/t/message.html': md(`<body>${body}</body>`) });

test.each([
  ['<p>One two 3</p>', 'One two 3\n', []],
  ['<p>One two 3</p>', 'One 3\n', [['text', 'two']]],
  ['<p>One</p>', 'One two\n', [['html', 'two']]],
  ['<p>One one</p>', 'One\n', [['text', 'one']]],
  ['<p><a href="https://a.example/x">Go</a></p>', 'Go: https://a.example/x\n', []],
  ['<p><a href="https://a.example/x">Go</a></p>', 'Go [1]\n\n[1] https://a.example/x\n', []],
  ['<p><a href="https://a.example/x">Go</a></p>', 'Go\n', [['text', 'https://a.example/x']]],
  ['<p>Go</p>', 'Go https://a.example/x\n', [['html', 'https://a.example/x']]],
  ['<p>A</p><p style="display:none">B</p>', 'A\n', []],
  ['<ol start="3"><li>A</li><li>B</li></ol>', '3. A\n4. B\n', []],
  ['<ul><li>A</li></ul>', '- A\n', []],
  ['<p>予約は確定</p>', '予約\nは確定\n', []],
  [
    '<p><b>Bold</b>er</p>',
    '*Bold*er\n',
    [
      ['text', 'bolder'],
      ['html', 'bold'],
      ['html', 'er'],
    ],
  ],
  ['<p><a href="mailto:">there</a></p>', 'there: mailto:', []],
  ['<p>tel: 123</p>', 'tel: 123', []],
])('%s and %j', (a, b, wanted) => {
  expect(compareParts(a, b).map((part) => [part.missingIn, part.what])).toEqual(wanted);
});

test('a green check says that both parts say the same', () => {
  expect(
    check({
      'templates/t/message.md': md(
        '# Total {{ n }}\n\n- [Pay](/p/{{ n }})\n\n1. a\n2. b\n\n| H | I |\n|---|--:|\n| x | {{ n }} |\n\n~~y~~ `z`',
      ),
    }),
  ).toEqual([]);
  expect(check(html('<p>Total {{ n }} <a href="mailto:a@x.example">Write</a></p><img src="/a.png" alt="A boat">'))).toEqual([]);
});

test('what stands in one part only by wish of the author is left out of account', () => {
  expect(check({ 'templates/t/message.md': md(':::only html\nA picture\n:::\n\n:::only text\nNo picture\n:::\n\nBoth {{ n }}') })).toEqual(
    [],
  );
  expect(check({ 'templates/t/message.md': md('Both {{ n }}'), 'templates/t/message.txt': 'Both' })).toEqual([
    'warning: With the sample "s" in en, the text part lacks "54".',
  ]);
});
