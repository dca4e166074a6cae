import { describe as group, expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  decodeWords,
  encodeWords,
  fieldOf,
  isFault,
  parseAddress,
  parseMailbox,
  parseParameters,
  partText,
  partsOf,
  readMail,
  shownText,
  mailBytes,
  writeMail,
  type MailContent,
} from './index.js';
import { Fault } from '../problems/index.js';
import { scaled } from '../../../../tests/support/scale.js';

const MAIL: MailContent = {
  from: { name: 'Saltmarsh Ferries', local: 'harbour', domain: 'saltmarsh-ferries.example' },
  to: [{ name: 'Ása Þórsdóttir', local: 'asa', domain: 'post.example' }],
  subject: 'Booking SM-1042: Brackwater → Tern Island',
  messageId: 'm1@saltmarsh-ferries.example',
  date: Date.parse('2026-06-04T08:15:00Z'),
  text: 'Hello Ása\n',
  html: '<p>Hello Ása</p>',
  boundary: '=_b',
};

const anyText = fc.string({
  unit: fc.oneof(
    fc.constantFrom('a', ' ', '\n', '.', '=', 'é', '日', '👍', '\u0301', '\uD800', '"', '\\', ','),
    fc.string({ unit: 'binary', maxLength: 1 }),
  ),
  maxLength: 300,
});
const flat = (text: string): string =>
  text
    .toWellFormed()
    .replace(/[\s\u0085\u2028\u2029]/g, ' ')
    .replace(/[\u0000-\u001F\u007F-\u009F]/g, '')
    .replace(/ +/g, ' ')
    .trim();

group('writing', () => {
  test('an email is what RFC 5322 and 2045 say', () => {
    const bytes = mailBytes(writeMail(MAIL)).toString('utf8');
    expect(bytes.split('\r\n').slice(0, 8)).toEqual([
      'Date: Thu, 4 Jun 2026 08:15:00 +0000',
      'From: Saltmarsh Ferries <harbour@saltmarsh-ferries.example>',
      'To: =?UTF-8?B?w4FzYSDDnsOzcnNkw7N0dGly?= <asa@post.example>',
      'Subject: =?UTF-8?Q?Booking_SM-1042=3A_Brackwater_=E2=86=92_Tern_Island?=',
      'Message-ID: <m1@saltmarsh-ferries.example>',
      'MIME-Version: 1.0',
      'Content-Type: multipart/alternative; boundary="=_ba"',
      '',
    ]);
    expect(bytes).not.toMatch(/[^\r]\n/);
    expect(bytes.indexOf('text/plain')).toBeLessThan(bytes.indexOf('text/html'));
  });

  test('what is written is read back, and no line is too long', () => {
    fc.assert(
      fc.property(anyText, anyText, anyText, anyText, (subject, name, text, html) => {
        const bytes = mailBytes(writeMail({ ...MAIL, to: [{ ...MAIL.to[0]!, name }], subject, text, html }));
        expect(
          bytes
            .toString('latin1')
            .split('\r\n')
            .filter((line) => line.length > 998),
        ).toEqual([]);
        const mail = readMail(bytes);
        expect(fieldOf(mail, 'subject')).toBe(flat(subject));
        // Without HTML the email is a single part, and the encoding of that part is in the email's own header.
        expect(mail.fields).toHaveLength(html === '' ? 8 : 7);
        const body = (part: string) =>
          part
            .toWellFormed()
            .replaceAll('\0', '')
            .replace(/\r\n|\r|\n/g, '\r\n');
        expect(shownText(mail, 'plain')).toBe(body(text));
        expect(shownText(mail, 'html')).toBe(html === '' ? undefined : body(html));
        const to = parseMailbox(fieldOf(mail, 'to') ?? '');
        expect(isFault(to) ? to : to.local).toBe('asa');
      }),
      { numRuns: scaled(300, 1000) },
    );
  });

  test('nothing that reaches a header makes another', () => {
    fc.assert(
      fc.property(anyText, anyText, (name, value) => {
        let bytes: Uint8Array;
        try {
          bytes = mailBytes(writeMail({ ...MAIL, headers: [[name, value]] }));
        } catch (error) {
          expect(error).toBeInstanceOf(Fault);
          return;
        }
        expect(readMail(bytes).fields).toHaveLength(8);
      }),
    );
  });
});

group('encoded words', () => {
  test('round trip, each word within 75 characters', () => {
    fc.assert(
      fc.property(anyText, (text) => {
        const words = encodeWords(text);
        for (const word of words) expect(word.length).toBeLessThanOrEqual(75);
        expect(decodeWords(words.join(' '))).toBe(text.toWellFormed());
      }),
    );
  });
  test.each([
    ['=?ISO-8859-1?Q?Andr=E9?= Pirard', 'André Pirard'],
    ['=?iso-8859-1?Q?a?= =?utf-8?B?4pyT?=', 'a✓'],
    ['=?utf-8?Q?=E2=9C?= =?utf-8?Q?=93?=', '✓'],
    ['=?nonsense?Q?a_b?=', 'a b'],
    ['no =? word', 'no =? word'],
  ])('%s', (raw, text) => {
    expect(decodeWords(raw)).toBe(text);
  });
});

group('addresses', () => {
  test.each(['a@b.example', 'a.b+c@host.example', '"a b"@host.example', 'ása@host.example', "o'brien@host.example"])(
    '%s is one',
    (text) => {
      expect(isFault(parseAddress(text))).toBe(false);
    },
  );
  test.each([
    '',
    'a',
    '@b.example',
    'a@',
    'a b@host.example',
    'a@b@c.example',
    'a@host.example\r\nRCPT TO:<x@y>',
    'a@-host.example',
    'a..b@host.example',
    'a@127.0.0.1',
    'a@[127.0.0.1]',
    `${'a'.repeat(65)}@host.example`,
    'g: a@b.example;',
  ])('%j is none', (text) => {
    expect(isFault(parseAddress(text))).toBe(true);
  });
  test('names are read, domains made ASCII', () => {
    expect(parseMailbox('"Jóns, Ása" <asa@PÓST.example>')).toEqual({ name: 'Jóns, Ása', local: 'asa', domain: 'xn--pst-gna.example' });
  });
});

group('reading what real mail does', () => {
  const read = (text: string) => readMail(Buffer.from(text, 'latin1'));
  test('bare line feeds, folded fields, missing boundary at the end, preamble', () => {
    const mail = read(
      'Subject: a\n\tb\nContent-Type: multipart/mixed;\n boundary=x\n\npreamble\n--x\nContent-Type: text/plain\n\none\n--x\n\ntwo',
    );
    expect(fieldOf(mail, 'subject')).toBe('a b');
    expect(mail.parts.map((part) => partText(part))).toEqual(['one', 'two']);
  });
  test('8-bit text without charset, unknown charset, broken base64', () => {
    expect(shownText(read('\r\ncaf\xE9'), 'plain')).toBe('café');
    expect(shownText(read('Content-Type: text/plain; charset=x-none\r\n\r\ncaf\xE9'), 'plain')).toBe('café');
    expect(shownText(read('Content-Type: text/plain\r\nContent-Transfer-Encoding: base64\r\n\r\naGVs\r\n bG8*'), 'plain')).toBe('hello');
  });
  test('parameters in pieces and charsets (RFC 2231)', () => {
    expect(parseParameters(`application/pdf; name*0*=utf-8''t%C3%AD; name*1="cket.pdf"`)).toEqual({
      value: 'application/pdf',
      parameters: expect.objectContaining({ name: 'tícket.pdf' }),
    });
  });
  test('nesting and number of parts are bounded', () => {
    let text = 'x';
    for (let i = 0; i < 200; i += 1) text = `Content-Type: multipart/mixed; boundary=b${i}\r\n\r\n--b${i}\r\n${text}\r\n--b${i}--`;
    expect([...partsOf(read(text))].length).toBeLessThanOrEqual(21);
    expect(
      [...partsOf(read(`Content-Type: multipart/mixed; boundary=b\r\n\r\n${'--b\r\n\r\nx\r\n'.repeat(5000)}`))].length,
    ).toBeLessThanOrEqual(1001);
  });
  test('never throws', () => {
    const line = fc.constantFrom(
      'Content-Type: multipart/mixed; boundary="b"',
      'Content-Type: message/rfc822',
      '--b',
      '--b--',
      '',
      'Subject: =?x?Q?=',
      ' folded',
      ':',
      'Content-Transfer-Encoding: quoted-printable',
      '=E',
      'text',
    );
    fc.assert(
      fc.property(
        fc.array(fc.oneof(line, fc.string())),
        fc.constantFrom('\n', '\r\n', '\r'),
        (lines, end) => void [...partsOf(readMail(Buffer.from(lines.join(end))))].map(partText),
      ),
      { numRuns: scaled(500, 2000) },
    );
  });
});
