import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { decodeTransfer, encodeText } from './transfer.js';
import { scaled } from '../../../../tests/support/scale.js';

const lineEnd = (text: string): string => text.replace(/\r\n|\r|\n/g, '\r\n');
const pieces = fc.constantFrom(
  ...[
    'a',
    'word ',
    '=',
    '.',
    'From ',
    '\n',
    '\r\n',
    '\r',
    ' ',
    '\t',
    'é',
    '日本',
    '💡',
    '\u0001',
    'x'.repeat(75),
    'y'.repeat(990),
    '<a href="">',
  ],
);

/** Whether every relay lets a line through as it is. */
function isLine(line: string, encoding: string): boolean {
  if (!/^[\t\x20-\x7E]*$/.test(line) || line.length > (encoding === '7bit' ? 998 : 76)) return false;
  if (encoding === 'base64') return true;
  return !line.startsWith('From ') && line !== '.' && !(encoding === 'quoted-printable' && /[ \t]$/.test(line));
}

test('what is encoded is decoded as it was, in lines that every relay lets through; also when lines come again', () => {
  fc.assert(
    fc.property(fc.array(pieces, { maxLength: 30 }), (list) => {
      const text = list.join('');
      const { encoding, body } = encodeText(text);
      expect(Buffer.from(decodeTransfer(Buffer.from(body, 'latin1'), encoding)).toString('utf8')).toBe(lineEnd(text));
      // One assertion for all lines: each of Jest's costs more than encoding one.
      expect(body.split('\r\n').filter((line) => !isLine(line, encoding))).toEqual([]);
      // The second time, its lines are known.
      expect(encodeText(text)).toEqual({ encoding, body });
    }),
    { numRuns: scaled(500, 2000) },
  );
});

test('the smallest encoding that is right', () => {
  expect(encodeText('plain\nlines').encoding).toBe('7bit');
  expect(encodeText('a small café by the sea').encoding).toBe('quoted-printable');
  expect(encodeText('日本語の文章').encoding).toBe('base64');
  expect(encodeText(`From here\n${'x'.repeat(50)}`)).toEqual({ encoding: 'quoted-printable', body: `=46rom here\r\n${'x'.repeat(50)}` });
  expect(encodeText('x'.repeat(998)).encoding).toBe('7bit');
  expect(encodeText('x'.repeat(999)).encoding).toBe('quoted-printable');
});

test('more lines than are kept come out as they are', () => {
  const text = Array.from({ length: 9000 }, (_, i) => `line ${i} é`).join('\n');
  expect(Buffer.from(decodeTransfer(Buffer.from(encodeText(text).body, 'latin1'), 'quoted-printable')).toString('utf8')).toBe(
    lineEnd(text),
  );
});
