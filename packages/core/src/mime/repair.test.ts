import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { scaled } from '../../../../tests/support/scale.js';
import { fieldOf, partsOf, partText, readMail, repairMail, shownText } from './index.js';

const latin1 = (text: string): Buffer => Buffer.from(text, 'latin1');
const utf8 = (text: string): Buffer => Buffer.from(text, 'utf8');
const repaired = (mail: Buffer) => {
  const { bytes, repairs, fault } = repairMail(mail);
  return { bytes, text: bytes.toString('latin1'), mail: readMail(bytes), repairs, fault };
};
/** 7-bit lines of at most 998 octets, no NUL, ended by CRLF. */
const travels = (bytes: Buffer): boolean =>
  bytes
    .toString('latin1')
    .split('\r\n')
    .every((line) => line.length <= 998 && /^[\x01-\x09\x0B\x0C\x0E-\x7F]*$/.test(line));

const SOUND = 'From: a@b.example\r\nSubject: hello\r\nMIME-Version: 1.0\r\nContent-Type: text/plain\r\n\r\nA line.\r\n-- \r\nname\r\n';

test('what can travel is left as it is, byte for byte', () => {
  expect(repaired(latin1(SOUND))).toMatchObject({ text: SOUND, repairs: [], fault: undefined });
});

describe('content', () => {
  test.each<[string, Buffer, string, RegExp]>([
    [
      '8-bit text',
      utf8('Content-Type: text/plain; charset=utf-8\r\nContent-Transfer-Encoding: 8bit\r\n\r\nGrüße \r\n-- \r\n'),
      'Grüße \r\n-- \r\n',
      /text\/plain: 8-bit content became quoted-printable/,
    ],
    [
      '8-bit text in another charset',
      latin1('Content-Type: text/plain; charset=iso-8859-1\r\nContent-Transfer-Encoding: 8bit\r\n\r\nGr\xFC\xDFe\r\n'),
      'Grüße\r\n',
      /8-bit/,
    ],
    ['8-bit text that says nothing of itself', utf8('Subject: x\r\n\r\nGrüße\r\n'), 'Grüße\r\n', /named utf-8/],
    ['the same, not UTF-8', latin1('Subject: x\r\n\r\nGr\xFC\xDFe\r\n'), 'Grüße\r\n', /named windows-1252/],
    [
      'a long line',
      latin1(`Content-Type: text/plain\r\n\r\n${'x'.repeat(3000)}\r\n`),
      `${'x'.repeat(3000)}\r\n`,
      /lines of more than 998 octets became quoted-printable/,
    ],
    [
      'a long line in quoted-printable',
      latin1(`Content-Type: text/plain\r\nContent-Transfer-Encoding: quoted-printable\r\n\r\n${'=41'.repeat(900)}\r\n`),
      `${'A'.repeat(900)}\r\n`,
      /lines of more/,
    ],
    ['a NUL', latin1('Content-Type: text/plain\r\n\r\na\0b\r\n'), 'a\0b\r\n', /became quoted-printable/],
    ['bare line feeds', latin1('Content-Type: text/plain\n\none\ntwo\n'), 'one\r\ntwo\r\n', /CRLF/],
    ['no line between header and content', latin1('Subject: x\r\nhello, this is content\r\n'), 'hello, this is content\r\n', /separated/],
  ])('%s', (_name, given, text, repair) => {
    const { bytes, mail, repairs, fault } = repaired(given);
    expect(fault).toBeUndefined();
    expect(travels(bytes)).toBe(true);
    expect(partText(mail)).toBe(text);
    expect(repairs.join('\n')).toMatch(repair);
  });

  test('each part by itself: pictures as base64, an email within the email, text beside the parts left out', () => {
    const inner = 'Subject: Grüße\r\nContent-Type: text/plain; charset=utf-8\r\nContent-Transfer-Encoding: 8bit\r\n\r\ninnen: ß\r\n';
    const given = utf8(
      `MIME-Version: 1.0\r\nContent-Type: multipart/mixed; boundary="b"\r\nContent-Transfer-Encoding: 8bit\r\n\r\nbeside ß\r\n--b\r\nContent-Type: image/png\r\nContent-Transfer-Encoding: binary\r\n\r\n\u0080\u0081\r\n--b\r\nContent-Type: message/rfc822\r\n\r\n${inner}\r\n--b\r\n\r\nplain\r\n--b--\r\nafter ß\r\n`,
    );
    const { bytes, mail, text } = repaired(given);
    expect(travels(bytes)).toBe(true);
    expect([...partsOf(mail)].map(({ type }) => type)).toEqual(['multipart/mixed', 'image/png', 'message/rfc822', 'text/plain']);
    expect(text).not.toContain('beside');
    expect(text).toContain('\r\n\r\nplain\r\n--b--');
    const [inside] = mail.parts[1]!.parts;
    expect(fieldOf(inside!, 'subject')).toBe('Grüße');
    expect(partText(inside!)).toBe('innen: ß\r\n');
    // An email within an email is never encoded (RFC 2046 5.2.1), nor is what holds parts (RFC 2045 6.4).
    expect(mail.fields.find(({ name }) => name === 'content-transfer-encoding')).toBeUndefined();
    expect(mail.parts[1]!.fields.map(({ name }) => name)).toEqual(['content-type']);
  });

  test('what is signed cannot be changed', () => {
    const given = utf8('Content-Type: multipart/signed; boundary=b\r\n\r\n--b\r\n\r\nß\r\n--b--\r\n');
    expect(repaired(given)).toMatchObject({ fault: expect.stringMatching(/multipart\/signed/), text: given.toString('latin1') });
  });
});

describe('header', () => {
  test.each<[string, string, string | undefined]>([
    ['Subject: Grüße aus Köln', 'subject', 'Grüße aus Köln'],
    ['Subject: =?utf-8?q?Gr=C3=BC=C3=9Fe?= aus Köln', 'subject', 'Grüße aus Köln'],
    ['From: Jörg "Käpt\'n, der" Müller <jm@kölle.example>', 'from', "Jörg Käpt'n, der Müller <jm@xn--klle-5qa.example>"],
    ['To: Ærø (på dæk) <a@b.example>, "X, Y" <c@d.example>, Gruppe Süd: e@f.example;', 'to', undefined],
    [
      `References: ${Array.from({ length: 60 }, (_, i) => `<${String(i).padStart(20, '0')}@b.example>`).join(' ')}`,
      'references',
      undefined,
    ],
    [`Subject: ${'word '.repeat(400)}end`, 'subject', `${'word '.repeat(400)}end`],
    [`Subject: ${'x'.repeat(2000)}`, 'subject', 'x'.repeat(2000)],
  ])('%s', (line, name, text) => {
    const { bytes, mail, fault } = repaired(utf8(`${line}\r\n\r\nhello\r\n`));
    expect(fault).toBeUndefined();
    expect(travels(bytes)).toBe(true);
    if (text !== undefined) expect(fieldOf(mail, name)).toBe(text);
  });

  test('parameters beyond ASCII are extended (RFC 2231)', () => {
    const { mail, bytes } = repaired(utf8('Content-Type: text/plain; name="Fähre.txt"; charset=us-ascii\r\n\r\nx\r\n'));
    expect(travels(bytes)).toBe(true);
    expect(mail.parameters).toEqual({ name: 'Fähre.txt', charset: 'us-ascii' });
  });

  test('MIME-Version is added where the content is described', () => {
    expect(repaired(utf8('Content-Type: text/plain; charset=utf-8\r\n\r\nß\r\n'))).toMatchObject({
      text: expect.stringContaining('MIME-Version: 1.0\r\n'),
      repairs: expect.arrayContaining(['MIME-Version was added']),
    });
  });
});

test('whatever comes: it travels afterwards or is refused, a second time changes nothing, and the texts are the same', () => {
  const line = fc.oneof(
    fc.constantFrom(
      '',
      '--b',
      '--b--',
      '--c',
      '.',
      '-- ',
      'From me',
      'Subject: x',
      'Content-Type: text/html; charset=utf-8',
      'ß é',
      '\0',
      'x'.repeat(1200),
    ),
    fc.constantFrom(
      'Content-Type: multipart/mixed; boundary=b',
      'Content-Type: message/rfc822',
      'Content-Type: multipart/alternative; boundary="c"',
    ),
    fc.constantFrom(
      'Content-Transfer-Encoding: 8bit',
      'Content-Transfer-Encoding: base64',
      'Content-Transfer-Encoding: quoted-printable',
      ' folded',
      '=C3=9F=\r\n',
    ),
    fc.string({ unit: 'binary', maxLength: 40 }).map((text) => text.replace(/[\r\n]/g, '')),
  );
  fc.assert(
    fc.property(fc.array(line, { maxLength: 30 }), (lines) => {
      const given = utf8(lines.join('\r\n'));
      const once = repairMail(given);
      if (once.fault !== undefined) return;
      expect(travels(once.bytes)).toBe(true);
      const twice = repairMail(once.bytes);
      expect(twice.bytes.equals(once.bytes)).toBe(true);
      expect(twice.repairs).toEqual([]);
      if (once.repairs.some((repair) => /separated|without a boundary|removed/.test(repair))) return;
      const [before, after] = [readMail(given), readMail(once.bytes)];
      if (before.type === 'text/plain' && before.parts.length === 0)
        expect(shownText(after, 'plain')?.trimEnd()).toBe(shownText(before, 'plain')?.trimEnd());
    }),
    { numRuns: scaled(600, 2000), examples: [[['Content-Type: message/rfc822', '\t\0']], [['Content-Type: text/htmlß', '', '<b>']]] },
  );
});
