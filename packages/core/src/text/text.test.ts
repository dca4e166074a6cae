import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import stringWidth from 'string-width';
import { displayWidth, pairs, table, wrap } from './index.js';

test.each([
  ['abc', 3],
  ['大人', 4],
  ['é', 1],
  ['👩‍👩‍👧‍👦', 2],
])('the width of %s', (text, width) => {
  expect(displayWidth(text)).toBe(width);
});

test('letters of two columns are counted as those that must be measured', () => {
  const letter = fc.constantFrom(...'aé€ дאبم、。「」日本語はンー한글！ｆ￥々〆', '\u2066', '\u2069', '\u0301', 'が', 'ｶﾞ', '👩‍👩‍👧‍👦', '\u064B');
  fc.assert(
    fc.property(fc.array(letter, { maxLength: 30 }), (letters) => {
      expect(displayWidth(letters.join(''))).toBe(stringWidth(letters.join('')));
    }),
  );
});

test('wrapping keeps words whole and lines within the width', () => {
  expect(wrap('one two three four', 9)).toEqual(['one two', 'three', 'four']);
  expect(wrap('see https://host.example/a/very/long/address now', 12)).toEqual(['see', 'https://host.example/a/very/long/address', 'now']);
  expect(wrap('a\nb', 10)).toEqual(['a', 'b']);
  expect(wrap('日本語の文章は空白がない。', 8)).toEqual(['日本語の', '文章は空', '白がな', 'い。']);
});

test('no text is lost and no line with a choice is too long', () => {
  fc.assert(
    fc.property(
      fc.array(fc.string({ minLength: 1, maxLength: 12, unit: 'grapheme' }).filter((word) => !/\s/.test(word))),
      fc.integer({ min: 10, max: 80 }),
      (words, width) => {
        const lines = wrap(words.join(' '), width);
        expect(lines.join('').replace(/\s/g, '')).toBe(words.join(''));
        for (const line of lines) if (line.includes(' ')) expect(displayWidth(line)).toBeLessThanOrEqual(width);
      },
    ),
  );
});

test('pairs stand in a column; a long label stands above its value', () => {
  const row = (...cells: string[]) => ({ cells, total: false });
  expect(pairs([row('To', 'Oldquay'), row('Vessel', 'MV Curlew')], 40)).toEqual(['To:     Oldquay', 'Vessel: MV Curlew']);
  expect(pairs([row('A label that is really long', 'value')], 30)).toEqual(['A label that is really long:', '  value']);
});

test('a table wraps its first column and stacks when nothing fits', () => {
  const rows = [
    { cells: ['A long label for a thing', '12', '1.00'], total: false },
    { cells: ['Total', '', '1.00'], total: true },
  ];
  expect(table(rows, { right: [false, true, true], width: 28 })).toEqual([
    'A long label for a',
    'thing               12  1.00',
    '----------------------------',
    'Total                   1.00',
  ]);
  expect(table(rows, { right: [false, true, true], width: 16 })).toEqual([
    'A long label for',
    'a thing',
    '  12',
    '  1.00',
    'Total',
    '  1.00',
  ]);
});

test('letters of one column are set as those that must be measured: as many words a line as fit', () => {
  const greedy = (text: string, width: number): string[] => {
    const out: string[] = [];
    for (const word of text.split(/ +/)) {
      const line = out.at(-1);
      if (line !== undefined && line.length + 1 + word.length <= width) out[out.length - 1] = `${line} ${word}`;
      else out.push(word);
    }
    return out.length === 0 ? [''] : out;
  };
  const word = fc.stringMatching(/^[a-zé€]{1,14}$/);
  fc.assert(
    fc.property(fc.array(word, { minLength: 1 }), fc.integer({ min: 1, max: 40 }), (words, width) => {
      expect(wrap(words.join(' '), width)).toEqual(greedy(words.join(' '), width));
      expect(wrap(words.join(' '), width, '~').join('')).toBe(greedy(words.join(' '), width).join('~'));
    }),
  );
});
