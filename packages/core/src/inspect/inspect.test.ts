import { describe, expect, test } from '@jest/globals';
import { codesOf, harshView, inspectMail, linksOf, linksOfText } from './index.js';

describe('one-time codes', () => {
  test.each<[text: string, codes: string[]]>([
    ['Your sign-in code\n\n    493 027\n\nGood for 10 minutes.', ['493027']],
    ['Your code is 4821.', ['4821']],
    ['Use the passcode K7PQ22 to sign in.', ['K7PQ22']],
    ['Votre code : 118-204', ['118204']],
    ['رمز الدخول\n\n٤\n482913\n', ['482913']],
    ['ログインコード\n\n  552 019', ['552019']],
    ['Booking SM-1042 of 2026: 48.00 EUR, 2 adults', []],
    ['We sail at 08:15 on 4 December 2026.\n\nTotal 4800', []],
    ['Your code is ready.\nPrice: 12.50, year 2026', []],
    ['PIN: 9034\nor the code 771 002', ['9034', '771002']],
    ['', []],
  ])('%j', (text, codes) => {
    expect(codesOf(text)).toEqual(codes);
  });
});

describe('links', () => {
  test('have their words and targets, in the order of reading', () => {
    const html = '<p><a href="https://a.example/1">One <b>bold</b></a> <a href="#top">up</a><a href=" /x "><img alt="Map" src="m"></a></p>';
    expect(linksOf(html)).toEqual([
      { text: 'One bold', href: 'https://a.example/1' },
      { text: 'Map', href: '/x' },
    ]);
  });
  test('are found in a text, once each, without the punctuation after them', () => {
    expect(
      linksOfText('See https://a.example/x?y=1. Or (http://b.example/z) and https://a.example/x?y=1').map((link) => link.href),
    ).toEqual(['https://a.example/x?y=1', 'http://b.example/z']);
  });
  test('200,000 links beside each other are gone through, and no more looked at than a person would', () => {
    expect(linksOf('<a href="https://wide.example">x</a>'.repeat(200_000))).toHaveLength(2000);
  });
  test('a document nested ten thousand deep is gone through', () => {
    expect(linksOf(`${'<div>'.repeat(10_000)}<a href="https://deep.example">x</a>`)).toHaveLength(1);
  });
});

test('a harsh webmail leaves inline styles and takes sheets, classes and background pictures', () => {
  const view = harshView(
    '<html><head><style>.a{color:red}</style><link rel="stylesheet" href="x"></head><body class="a" id="b"><p style="color:blue;background:url(x);margin:0">Hi</p></body></html>',
  );
  expect(view).not.toMatch(/<style|<link|class=|id=|url\(/);
  expect(view).toContain('color:blue');
  expect(view).toContain('margin:0');
});

test('an email is read as a person would: parts, names that lead nowhere, pictures within', () => {
  const mail = [
    'From: A <a@b.example>',
    'To: c@d.example',
    'Subject: =?utf-8?q?H=C3=A9llo?=',
    'MIME-Version: 1.0',
    'Content-Type: multipart/mixed; boundary=x',
    '',
    '--x',
    'Content-Type: text/html; charset=utf-8',
    '',
    '<p>Your code</p><p>338 120</p><img src="cid:pic@x"><a href="https://a.example">go</a>',
    '--x',
    'Content-Type: image/png; name="../../etc/passwd"',
    'Content-ID: <pic@x>',
    'Content-Transfer-Encoding: base64',
    '',
    'AAEC',
    '--x',
    'Content-Type: application/pdf',
    "Content-Disposition: attachment; filename*=utf-8''Fahr%C3%A4usweis.pdf",
    '',
    'PDF',
    '--x--',
    '',
  ].join('\r\n');
  const shown = inspectMail(Buffer.from(mail));
  expect(shown.subject).toBe('Héllo');
  expect(shown.codes).toEqual(['338120']);
  expect(shown.links).toEqual([{ text: 'go', href: 'https://a.example' }]);
  expect(shown.attachments).toEqual([
    { part: 2, name: 'passwd', type: 'image/png', size: 3, inline: true },
    { part: 3, name: 'Fahräusweis.pdf', type: 'application/pdf', size: 3, inline: false },
  ]);
});

test('format=flowed is put together again: soft lines joined, the start freed, quotes and the signature kept', () => {
  const mail =
    'Content-Type: text/plain; format=flowed\r\n\r\nA long line \r\nthat goes on.\r\n  stuffed\r\n> quoted and \r\n> going on\r\n-- \r\nSigned\r\n';
  expect(inspectMail(Buffer.from(mail)).text).toBe('A long line that goes on.\n stuffed\n> quoted and going on\n-- \nSigned\n');
});

test.each(['', '\r\n\r\n', 'no header at all', 'Content-Type: multipart/mixed\r\n\r\n--', '\u0000\u0001'])(
  'odd bytes %j are read',
  (bytes) => {
    expect(() => inspectMail(Buffer.from(bytes))).not.toThrow();
  },
);
