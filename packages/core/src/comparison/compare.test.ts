import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { changedRows, compareFolders } from './index.js';

const FILES: Readonly<Record<string, string>> = {
  'mail.yaml': 'name: T\nbaseUrl: https://a.example/\n',
  'layouts/none.md': '::body\n',
  'templates/t/message.md': '---\nsubject: "Hello {{ name }}"\npreview: P\n---\nDear {{ name }}, read [the page](/page).\n',
  'templates/t/data.schema.json': '{"type":"object","required":["name"],"properties":{"name":{"type":"string"}}}',
  'templates/t/samples/typical.json': '{"name":"Ada"}',
  'templates/u/message.md': '---\nsubject: U\npreview: P\n---\nThe same.\n',
  'templates/u/data.schema.json': '{"type":"object"}',
  'templates/u/samples/typical.json': '{}',
};
const folder = (changes: Readonly<Record<string, string | undefined>> = {}): Map<string, Uint8Array> =>
  new Map(
    Object.entries({ ...FILES, ...changes }).flatMap(([path, text]) => (text === undefined ? [] : [[path, Buffer.from(text)] as const])),
  );
const compare = (changes: Readonly<Record<string, string | undefined>>) => compareFolders(folder(), folder(changes), 0);

describe('two folders', () => {
  test('that are the same differ in nothing', () => {
    expect(compare({})).toEqual({ same: 2, renderings: [], advice: [], broken: [] });
  });

  test('differ in the words, links and sizes of an email', () => {
    const { same, renderings } = compare({
      'templates/t/message.md': '---\nsubject: "Hi {{ name }}"\npreview: P\n---\nDear {{ name }}, see [the page](/other).\n\nA new line.\n',
    });
    expect(same).toBe(1);
    expect(renderings).toHaveLength(1);
    const [{ bytes, html, ...rest } = { bytes: undefined, html: undefined }] = renderings;
    expect(rest).toEqual({
      template: 't',
      sample: 'typical',
      locale: 'en',
      change: 'changed',
      subject: { before: 'Hello Ada', after: 'Hi Ada' },
      words: { removed: ['read', 'page'], added: ['see', 'A new line.', 'other'] },
      text: expect.arrayContaining([
        { mark: '-', text: 'Dear Ada, read the page [1].' },
        { mark: '+', text: 'Dear Ada, see the page [1].' },
        { mark: '+', text: 'A new line.' },
      ]),
      links: {
        added: [{ text: 'the page', href: 'https://a.example/other' }],
        removed: [{ text: 'the page', href: 'https://a.example/page' }],
      },
    });
    expect(bytes?.after).toBeGreaterThan(bytes?.before ?? 0);
    expect(html?.before).toContain('https://a.example/page');
  });

  test('differ by a sample, a template or a language that only one of them has', () => {
    const { renderings } = compare({
      'templates/t/samples/long.json': '{"name":"Ada Lovelace"}',
      'templates/u/message.md': undefined,
      'templates/t/message.de.md': '---\nsubject: Hallo\npreview: P\n---\nGuten Tag.\n',
    });
    expect(renderings.map(({ template, sample, locale, change }) => `${change} ${template} ${sample} ${locale}`).sort()).toEqual([
      'added t long de',
      'added t long en',
      'added t typical de',
      'removed u typical en',
    ]);
  });

  test('differ in looks alone, where a layout or the theme has changed', () => {
    const theme = JSON.stringify({ color: { ink: { $type: 'color', $value: '#123456' } } });
    const { renderings } = compare({
      'mail.yaml': `${FILES['mail.yaml'] ?? ''}styles: [styles/x.css]\n`,
      'styles/x.css': 'p { color: #123456 }',
      'theme.x': theme,
    });
    expect(renderings).toHaveLength(2);
    for (const { text, words, html } of renderings) {
      expect({ text, words }).toEqual({ text: [], words: { added: [], removed: [] } });
      expect(html.before).not.toBe(html.after);
    }
  });

  test('differ where only the bytes of a picture have changed', () => {
    const message = '---\nsubject: S\npreview: P\n---\n::picture "assets/a.png" alt="A" width=10 height=10\n';
    const files = (bytes: string): Map<string, Uint8Array> => folder({ 'templates/t/message.md': message, 'assets/a.png': bytes });
    expect(compareFolders(files('one'), files('two'), 0).renderings.map(({ template }) => template)).toEqual(['t']);
  });

  test('say what a check finds in one of them only, and which template is broken', () => {
    const { advice, broken } = compare({
      'templates/u/message.md': '---\nsubject: U\npreview: P\n---\n{{ nothing }}\n',
      'templates/t/message.md': '---\nsubject: "Hello {{ name }}"\n---\nDear {{ name }}, read [the page](/page).\n',
    });
    expect(broken).toEqual([{ template: 'u', side: 'after', problem: expect.objectContaining({ code: 'unknown-field' }) }]);
    expect(advice.map(({ template, change, problem }) => `${change} ${template} ${problem.code}`)).toEqual(
      expect.arrayContaining(['added t preview-missing', 'added u unknown-field']),
    );
  });
});

describe('rows of pictures', () => {
  test.each([
    ['the same', 'abc', 'abc', []],
    [
      'a changed row',
      'abc',
      'axc',
      [
        [
          [1, 1],
          [1, 1],
        ],
      ],
    ],
    [
      'a row that is added: what is below has only moved',
      'abc',
      'axbc',
      [
        [
          [1, 0],
          [1, 1],
        ],
      ],
    ],
    [
      'a row that is removed',
      'abc',
      'ac',
      [
        [
          [1, 1],
          [1, 0],
        ],
      ],
    ],
    [
      'two places',
      'abcd',
      'xbcy',
      [
        [
          [0, 1],
          [0, 1],
        ],
        [
          [3, 1],
          [3, 1],
        ],
      ],
    ],
    [
      'nothing before',
      '',
      'ab',
      [
        [
          [0, 0],
          [0, 2],
        ],
      ],
    ],
  ])('%s', (_what, before, after, wanted) => {
    expect(changedRows([...before], [...after]).map((rows) => [rows.before, rows.after])).toEqual(wanted);
  });

  test('outside of what differs, two pictures have the same rows', () => {
    const rows = fc.array(fc.constantFrom('a', 'b', 'c'), { maxLength: 30 });
    fc.assert(
      fc.property(rows, rows, (before, after) => {
        const without = (list: readonly string[], which: 'before' | 'after'): string[] => {
          const gone = new Set(
            changedRows(before, after).flatMap((change) => Array.from({ length: change[which][1] }, (_, i) => change[which][0] + i)),
          );
          return list.filter((_, i) => !gone.has(i));
        };
        expect(without(before, 'before')).toEqual(without(after, 'after'));
      }),
    );
  });
});

test('two texts that have nothing in common are not compared word by word', () => {
  const long = (word: string): Map<string, Uint8Array> =>
    new Map(
      Object.entries({
        'mail.yaml': 'name: T\nbaseUrl: https://a.example/\n',
        'templates/t/message.md': `---\nsubject: S\n---\n${Array.from({ length: 2000 }, (_, i) => `${word}${i}`).join(' ')}`,
        'templates/t/data.schema.json': '{"type":"object"}',
        'templates/t/samples/a.json': '{}',
      }).map(([path, text]) => [path, Buffer.from(text)]),
    );
  const [change] = compareFolders(long('a'), long('b'), 0).renderings;
  expect(change?.words.added).toHaveLength(1);
  expect(change?.text.filter(({ mark }) => mark === '+').length).toBeGreaterThan(100);
});
