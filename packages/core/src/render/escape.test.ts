import { describe as group, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { escapeHtml, escapeLine, escapeText } from './index.js';
import { scaled } from '../../../../tests/support/scale.js';

const anything = fc.string({
  unit: fc.constantFrom(
    'a',
    ' ',
    '  ',
    '&',
    '<',
    '>',
    '"',
    "'",
    '\n',
    '\r',
    '\t',
    '\0',
    '\u0007',
    '\u001B',
    '\u007F',
    '\u0085',
    '\u00A0',
    '\u2028',
    '\u202E',
    '\u2066',
    '\uFDD0',
    '\uFFFE',
    '\uD800',
    'é',
    '💡',
    'ש',
  ),
  maxLength: 30,
});

const NEVER = /[\u0000-\u0008\u000B-\u001F\u007F-\u009F\u202A-\u202E\u2066-\u2069\uFDD0-\uFDEF\uFFFE\uFFFF]/;

group('what a value can do', () => {
  test('in HTML: it opens no element, ends no attribute, and turns nothing around', () => {
    fc.assert(
      fc.property(anything, (text) => {
        const out = escapeHtml(text);
        expect(out).not.toMatch(/[<>"']/);
        expect(out.replace(/&(?:amp|lt|gt|quot|#39);/g, '')).not.toContain('&');
        expect(out).not.toMatch(NEVER);
        expect(out.isWellFormed()).toBe(true);
      }),
      { numRuns: scaled(700, 3000) },
    );
  });

  test('in the text part: it begins no line of its own', () => {
    fc.assert(
      fc.property(anything, (text) => {
        const out = escapeText(text);
        expect(out).not.toMatch(/[\r\n\u2028\u2029\t]/);
        expect(out).not.toMatch(/ {2}/);
        expect(out).not.toMatch(NEVER);
      }),
      { numRuns: scaled(700, 3000) },
    );
  });

  test('in a line: nothing before and after it', () => {
    fc.assert(
      fc.property(anything, (text) => {
        expect(escapeLine(text)).toBe(escapeText(text).trim());
      }),
    );
  });
});

test.each([
  ['plain words, as most are', 'plain words, as most are', 'plain words, as most are'],
  ['Ben & Jerry <b>"x"</b>', 'Ben &amp; Jerry &lt;b&gt;&quot;x&quot;&lt;/b&gt;', 'Ben & Jerry <b>"x"</b>'],
  ["it's", 'it&#39;s', "it's"],
  ['two\nlines', 'two\nlines', 'two lines'],
  ['a  b\t c', 'a  b\t c', 'a b c'],
  // A space that keeps words together stays what it is.
  ['ISK\u00A014,250', 'ISK\u00A014,250', 'ISK\u00A014,250'],
  ['\u202Eevil\u202C', 'evil', 'evil'],
  ['lone \uD800 half', 'lone \uFFFD half', 'lone \uFFFD half'],
  ['', '', ''],
])('%j', (text, html, plain) => {
  expect(escapeHtml(text)).toBe(html);
  expect(escapeText(text)).toBe(plain);
});
