import { describe as group, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { base64Of, bytesOf, joinedBytes, wholeOf } from './body.js';
import { dateField, field, headerFault, parameter, phrase, unstructured } from './fields.js';
import { decodeWords, inOnePiece, mailBytes, parseParameters, prefixed, writeMail } from './index.js';
import { Fault } from '../problems/index.js';
import { scaled } from '../../../../tests/support/scale.js';

group('a header field', () => {
  test('is folded at spaces, and comes back as it was', () => {
    const word = fc.stringMatching(/^[!-9;-~]{1,30}$/);
    fc.assert(
      fc.property(fc.array(word, { minLength: 1, maxLength: 40 }), (words) => {
        const written = field('Subject', words.join(' '));
        expect(written.endsWith('\r\n')).toBe(true);
        const lines = written.slice(0, -2).split('\r\n');
        for (const [i, line] of lines.entries()) {
          if (i > 0) expect(line.startsWith(' ')).toBe(true);
          // A line is longer than wanted only where one word is.
          if (line.length > 78) expect(line.trim().split(' ').length).toBeLessThanOrEqual(i === 0 ? 2 : 1);
        }
        expect(lines.join('')).toBe(`Subject: ${words.join(' ')}`);
      }),
    );
  });

  test.each([
    ['Subject', 'a\r\nBcc: x@y.example'],
    ['Subject', 'a\nb'],
    ['Subject', 'a\rb'],
    ['Subject', 'nul\0'],
    ['Sub ject', 'x'],
    ['Subject:', 'x'],
    ['', 'x'],
    ['Größe', 'x'],
    ['X', 'y'.repeat(999)],
  ])('%j with %j is refused', (name, value) => {
    expect(() => field(name, value)).toThrow(Fault);
  });

  test('no text, whatever it holds, makes a second field', () => {
    const nasty = fc.string({
      unit: fc.constantFrom('a', ' ', '\r', '\n', '\0', ':', '\u2028', '\u0085', 'é', '=?', '?=', '"', '\\', '<', '>', '💡'),
    });
    fc.assert(
      fc.property(nasty, (text) => {
        for (const written of [field('Subject', unstructured(text, 7)), field('From', `${phrase(text)} <a@b.example>`)]) {
          expect(written.slice(0, -2).replace(/\r\n[ \t]/g, '')).not.toMatch(/[\r\n\0]/);

          expect(written).toMatch(/^[\x20-\x7E\r\n\t]*$/);
        }
      }),
      { numRuns: scaled(500, 2000) },
    );
  });
});

test('a subject is read as it was meant, in any language', () => {
  const text = fc.string({ unit: fc.constantFrom('a', 'word ', 'é', 'þ', '日', '本', '💡', '=?', 'x'.repeat(20), ' '), maxLength: 40 });
  fc.assert(
    fc.property(text, (subject) => {
      const written = field('Subject', unstructured(subject, 7))
        .replace(/\r\n(?=[ \t])/g, '')
        .slice('Subject: '.length, -2);
      expect(decodeWords(written).trim()).toBe(subject.replace(/ +/g, ' ').trim());
    }),
    { numRuns: scaled(300, 1000) },
  );
});

group('parameters', () => {
  test('a file name in any language and of any length comes back', () => {
    const name = fc.string({
      unit: fc.constantFrom('a', ' ', 'í', '日', '💡', '"', '\\', '%', "'", 'long-'.repeat(6), '.pdf'),
      minLength: 1,
      maxLength: 30,
    });
    fc.assert(
      fc.property(name, (text) => {
        const wanted = text.replace(/ +/g, ' ').trim();
        const written = `attachment${parameter('filename', text)}`;
        expect(written).toMatch(/^[\x20-\x7E]*$/);
        expect(parseParameters(written).parameters['filename'] ?? '').toBe(wanted);
      }),
      { numRuns: scaled(300, 1000) },
    );
  });
});

test.each([
  ['X-Campaign', 'spring', undefined],
  ['From', 'a@b.example', 'is written by the service'],
  ['bcc', 'a@b.example', 'is written by the service'],
  ['Content-Type', 'text/plain', 'is written by the service'],
  ['Resent-To', 'a@b.example', 'is written by the service'],
  ['X Y', 'v', 'is no name'],
  ['X'.repeat(61), 'v', 'is no name'],
  ['X-A', 'a\r\nb', 'line break'],
  ['X-A', 'v'.repeat(2001), '2000'],
])('an app may set %s: %s', (name, value, why) => {
  const found = headerFault(name, value);
  if (why === undefined) expect(found).toBeUndefined();
  else expect(found).toContain(why);
});

test.each([
  ['2026-12-04T08:15:09Z', 'Fri, 4 Dec 2026 08:15:09 +0000'],
  ['2000-02-29T00:00:00Z', 'Tue, 29 Feb 2000 00:00:00 +0000'],
  ['2026-12-31T23:59:59.999Z', 'Thu, 31 Dec 2026 23:59:59 +0000'],
])('%s as a date (RFC 5322 3.3)', (iso, wanted) => {
  expect(dateField(Date.parse(iso))).toBe(wanted);
});

group('bytes that are gone through', () => {
  const pieces = fc.array(fc.uint8Array({ maxLength: 200 }), { maxLength: 8 });

  test('as base64: lines of 76, the size that was told, and the same again', () => {
    fc.assert(
      fc.property(pieces, (list) => {
        const all = Buffer.concat(list);
        const coded = base64Of({ size: all.length, chunks: () => list });
        const text = wholeOf(coded).toString('latin1');
        expect(text.length).toBe(coded.size);
        expect(wholeOf(coded).toString('latin1')).toBe(text);
        for (const line of text.split('\r\n').slice(0, -2)) expect(line.length).toBe(76);
        expect(Buffer.from(text, 'base64').equals(all)).toBe(true);
      }),
    );
  });

  test('large ones too, whatever pieces they come in', () => {
    const all = Buffer.from(Array.from({ length: 100_000 }, (_, i) => i % 251));
    for (const step of [1000, 29_184, 57, 100_000]) {
      const coded = base64Of({
        size: all.length,
        *chunks() {
          for (let at = 0; at < all.length; at += step) yield all.subarray(at, at + step);
        },
      });
      expect(wholeOf(coded).toString('latin1')).toBe(`${(all.toString('base64').match(/.{1,76}/g) ?? []).join('\r\n')}\r\n`);
    }
  });

  test('texts and bytes one after another', () => {
    const joined = joinedBytes(['a', 'é', bytesOf(Buffer.from('bytes')), '', 'end']);
    expect(wholeOf(joined).toString()).toBe('aébytesend');
    expect(joined.size).toBe(11);
  });

  test('a small mail in one piece is the same mail', () => {
    const mail = prefixed(
      'X-First: yes\r\n',
      writeMail({
        from: { name: '', local: 'a', domain: 'b.example' },
        to: [],
        subject: 'é',
        messageId: 'm@b.example',
        date: 0,
        text: 'Hello',
        boundary: 'x',
      }),
    );
    const one = inOnePiece(mail, 10_000);
    expect([...mail.chunks()].length).toBeGreaterThan(1);
    expect([...one.chunks()]).toHaveLength(1);
    expect(mailBytes(one).equals(mailBytes(mail))).toBe(true);
    expect({ size: one.size, utf8: one.utf8 }).toEqual({ size: mail.size, utf8: mail.utf8 });
    expect(inOnePiece(mail, 10)).toBe(mail);
  });
});
