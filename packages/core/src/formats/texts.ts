import type { Format } from './format.js';
import { memo } from './memo.js';
import { Fault } from '../problems/index.js';

const lists = memo((locale: string, type: string) => new Intl.ListFormat(locale, { type: type === 'or' ? 'disjunction' : 'conjunction' }));
const segmenter = memo((locale: string) => new Intl.Segmenter(locale, { granularity: 'grapheme' }));

// ITU-T E.164: country codes of one and of two digits; all others have three.
const ONE_DIGIT = '17';
const TWO_DIGITS = new Set(
  '20 27 30 31 32 33 34 36 39 40 41 43 44 45 46 47 48 49 51 52 53 54 55 56 57 58 60 61 62 63 64 65 66 81 82 84 86 90 91 92 93 94 95 98'.split(
    ' ',
  ),
);

/** E.164 digits in readable groups, kept together by no-break spaces. */
function phone(value: string): string {
  const digits = value.replace(/[\s().-]/g, '');
  if (!/^\+[1-9]\d{5,14}$/.test(digits))
    throw new Fault('format-value', `"${value}" is no international phone number such as "+3545551234".`);
  const rest = digits.slice(1);
  const size = ONE_DIGIT.includes(rest[0] ?? '') ? 1 : TWO_DIGITS.has(rest.slice(0, 2)) ? 2 : 3;
  const national = rest.slice(size);
  const groups: string[] = [];
  let left = national;
  while (left.length > 4) {
    groups.push(left.slice(0, 3));
    left = left.slice(3);
  }
  return [`+${rest.slice(0, size)}`, ...groups, left].join('\u00A0');
}

/** Letters that never join with another, whatever the language: each is a letter as people count them. */
const ALONE = /^[\u0020-\u02FF]*$/;

/** The letters of a text as people count them (UAX 29). */
function lettersIn(value: string, locale: string): readonly string[] {
  return ALONE.test(value) ? [...value] : Array.from(segmenter(locale).segment(value), ({ segment }) => segment);
}

function shorten(value: string, most: number, locale: string): string {
  const limit = Math.max(1, Math.trunc(most));
  const letters = lettersIn(value.slice(0, limit * 64), locale);
  return letters.length <= limit
    ? value
    : `${letters
        .slice(0, limit - 1)
        .join('')
        .trimEnd()}…`;
}

const wordSegmenter = memo((locale: string) => new Intl.Segmenter(locale, { granularity: 'word' }));
/** Letters that are looked at: enough for any number of words that is shown, and bounded. */
const MOST_LETTERS = 100_000;

/** Words by the rules of the language, also where no spaces part them (UAX 29). */
function firstWords(value: string, n: number, locale: string): string {
  let left = Math.max(1, Math.trunc(n));
  let end = 0;
  for (const { segment, index, isWordLike } of wordSegmenter(locale).segment(value.slice(0, MOST_LETTERS))) {
    if (isWordLike !== true) continue;
    if (left === 0) return `${value.slice(0, end)}…`;
    left -= 1;
    end = index + segment.length;
  }
  return value.length > MOST_LETTERS ? `${value.slice(0, end)}…` : value;
}

function initials(value: string, locale: string): string {
  const words = value
    .trim()
    .split(/[\s-]+/)
    .filter((word) => /[\p{L}\p{N}]/u.test(word));
  const ends = words.length > 1 ? [words[0], words[words.length - 1]] : words;
  // A name of signs only is shown by its first.
  if (ends.length === 0) return [...segmenter(locale).segment(value.trim().slice(0, 64))][0]?.segment ?? '';
  return ends
    .map(
      (word = '') => [...segmenter(locale).segment(word.slice(0, 64))].find(({ segment }) => /[\p{L}\p{N}]/u.test(segment))?.segment ?? '',
    )
    .join('')
    .toLocaleUpperCase(locale);
}

function capital(value: string, locale: string): string {
  const start = value.slice(0, 2);
  const [first = ''] = lettersIn(ALONE.test(start) ? start : value.slice(0, 64), locale);
  return first.toLocaleUpperCase(locale) + value.slice(first.length);
}

export const TEXT_FORMATS: readonly Format[] = [
  {
    name: 'list',
    takes: ['list'],
    entries: ['text', 'number'],
    args: [{ name: 'word', kind: 'text', optional: true, choices: ['and', 'or'] }],
    gives: 'text',
    summary: 'Texts or numbers as a sentence lists them, with “and” (or “or”) in the locale’s language.',
    example: { value: ['Brackwater', 'Tern Island', 'Oldquay'], gives: 'Brackwater, Tern Island, and Oldquay' },
    run: (value: unknown[], [word = 'and']: readonly string[], context) => lists(context.locale, word).format(value.map(String)),
  },
  {
    name: 'join',
    takes: ['list'],
    entries: ['text', 'number'],
    args: [{ name: 'between', kind: 'text', optional: true }],
    gives: 'text',
    summary: 'Texts or numbers with a fixed text between them (", " unless another is given).',
    example: { value: ['12A', '12B'], args: [' / '], gives: '12A / 12B' },
    run: (value: unknown[], [between = ', ']: readonly string[]) => value.map(String).join(between),
  },
  {
    name: 'count',
    takes: ['list', 'text'],
    args: [],
    gives: 'whole',
    summary: 'How many entries a list has, or letters a text.',
    example: { value: ['a', 'b', 'c'], gives: '3' },
    run: (value: unknown[] | string, _args, context) =>
      typeof value === 'string' ? [...segmenter(context.locale).segment(value)].length : value.length,
  },
  {
    name: 'upper',
    takes: ['text'],
    args: [],
    gives: 'text',
    summary: 'Capital letters, by the locale’s rules.',
    example: { value: 'pier 4', gives: 'PIER 4' },
    run: (value: string, _args, context) => value.toLocaleUpperCase(context.locale),
  },
  {
    name: 'lower',
    takes: ['text'],
    args: [],
    gives: 'text',
    summary: 'Small letters, by the locale’s rules.',
    example: { value: 'PIER 4', gives: 'pier 4' },
    run: (value: string, _args, context) => value.toLocaleLowerCase(context.locale),
  },
  {
    name: 'capital',
    takes: ['text'],
    args: [],
    gives: 'text',
    summary: 'The first letter as a capital, the rest unchanged.',
    example: { value: 'sandpiper', gives: 'Sandpiper' },
    run: (value: string, _args, context) => capital(value, context.locale),
  },
  {
    name: 'trim',
    takes: ['text'],
    args: [],
    gives: 'text',
    summary: 'Without the spaces at both ends.',
    example: { value: '  pier 4 ', gives: 'pier 4' },
    run: (value: string) => value.trim(),
  },
  {
    name: 'lines',
    takes: ['text'],
    args: [],
    gives: 'text',
    givesFormat: 'lines',
    summary: 'A text with its line breaks kept (elsewhere they become spaces). The last formatter, in running text.',
    example: { value: 'Pier 1\nBrackwater', gives: 'Pier 1\nBrackwater' },
    run: (value: string) => value.replace(/\r\n?|[\u0085\u2028\u2029]/g, '\n').trim(),
  },
  {
    name: 'shorten',
    takes: ['text'],
    args: [{ name: 'letters', kind: 'whole', range: [1, 100_000] }],
    gives: 'text',
    summary: 'At most so many letters, the last of them an ellipsis where something was cut.',
    example: { value: 'A long walk along the quay', args: [12], gives: 'A long walk…' },
    run: (value: string, [most = 80]: readonly number[], context) => shorten(value, most, context.locale),
  },
  {
    name: 'words',
    takes: ['text'],
    args: [{ name: 'n', kind: 'whole', range: [1, 10_000] }],
    gives: 'text',
    summary: 'The first n words, and an ellipsis where something was cut.',
    example: { value: 'A long walk along the quay', args: [3], gives: 'A long walk…' },
    run: (value: string, [n = 1]: readonly number[], context) => firstWords(value, n, context.locale),
  },
  {
    name: 'initials',
    takes: ['text'],
    args: [],
    gives: 'text',
    summary: 'The first letters of the first and the last word, in capitals.',
    example: { value: 'Ása Björk Jónsdóttir', gives: 'ÁJ' },
    run: (value: string, _args, context) => initials(value, context.locale),
  },
  {
    name: 'url',
    takes: ['text', 'number', 'whole'],
    args: [],
    gives: 'text',
    givesFormat: 'percent-encoded',
    summary: 'Percent-encoded, as one piece of an address that is shown. Links encode their values themselves.',
    example: { value: 'Tern Island', gives: 'Tern%20Island' },
    run: (value: string | number) => encodeURIComponent(String(value).toWellFormed()),
  },
  {
    name: 'phone',
    takes: ['phone'],
    args: [],
    gives: 'text',
    summary: 'An E.164 number in readable groups.',
    example: { value: '+3545551234', gives: '+354 555 1234' },
    run: (value: string) => phone(value),
  },
  {
    name: 'default',
    takes: ['any'],
    args: [{ name: 'instead', kind: 'any' }],
    gives: 'any',
    summary: 'Another value where this one is absent or an empty text.',
    example: { value: '', args: ['today'], gives: 'today' },
    run: (value: unknown, [instead]: readonly unknown[]) => (value === undefined || value === null || value === '' ? instead : value),
  },
];
