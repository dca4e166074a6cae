import { describe, expect, test } from '@jest/globals';
import { parse } from 'parse5';
import { adapter } from 'parse5-htmlparser2-tree-adapter';
import { contrast } from '@verbalis/core/check';
import { classesIn, cssFaults, inlineStyles, readDeclarations } from '@verbalis/core/css';
import { instantOf, readCause } from '@verbalis/core/delivery';
import { canonicalBodyHash, canonicalField } from '@verbalis/core/dkim';
import { readFilter } from '@verbalis/core/events';
import { harshView, inspectMail, linksOf, linksOfText } from '@verbalis/core/inspect';
import {
  decodeWords,
  fieldOf,
  headerFault,
  mediaType,
  parseAddress,
  parseMailbox,
  readAuthor,
  readMail,
  repairMail,
} from '@verbalis/core/mime';
import { parseExpression, parseSource } from '@verbalis/core/notation';
import { readPayloadTemplate } from '@verbalis/core/payload';
import { SourceText } from '@verbalis/core/problems';
import { readProfile, readRecorded, PROFILE_SHAPE, UnreadableContent } from '@verbalis/core/profile';
import { textOfHtml } from '@verbalis/core/program';
import { emailsIn, readReturn } from '@verbalis/core/returns';
import { readProxyHeader } from '@verbalis/core/smtp';
import { wrap } from '@verbalis/core/text';
import * as z from 'zod';
import { isInProportion } from './support/cpu.js';
import { scaled } from './support/scale.js';

// Whatever strangers and tenants send is read in time proportional to its length. Patterns that would take longer are found by the linter
// (no-super-linear-*); here every reader is given what such faults are made of, at two lengths. What counts is processor time, so that a busy
// machine changes nothing.

const SHORT = scaled(1_000, 2_000);
const TIMES = 8;

const bytes = (text: string): Buffer => Buffer.from(text, 'utf8');
const part = (type: string, body: string): Buffer => bytes(`From: a@b.example\r\nContent-Type: ${type}\r\n\r\n${body}`);

/** A profile that looks for everything, in a call that is read in some way. */
function profileOf(read: readonly unknown[]) {
  const written = z.strictObject(PROFILE_SHAPE).parse({
    request: { url: 'https://x.example', json: {} },
    answer: {
      reason: '$..[?search(@.a, "(a|b)*c")]',
      id: 'pattern:(a+)+b',
      words: [{ matches: '(x|xx)+y', means: 'refused' }],
      values: { a: '$..a' },
      accepted: 'a == 1',
    },
    callbacks: {
      read,
      signature: {
        kind: 'hmac',
        secret: 'x',
        signature: '$.a',
        parts: { timestamp: 't', signature: 's' },
        signed: '{{ body }}{{ sortedFields }}',
      },
      events: '$..*',
      fields: { type: '$.a', at: '$.b', code: '$.a', status: '$.b' },
      words: { '/(a*)*b/': 'failed' },
    },
  });
  return readProfile(written);
}
const FORMATS = { JSON: ['json'], lines: ['lines'], XML: ['xml'], 'a form': ['form', { at: '$.a' }, 'base64', 'json'] };

function readCallText(text: string, profile: ReturnType<typeof profileOf>): void {
  const { content, signature, events } = profile.callbacks!;
  const call = { method: 'POST', url: 'https://x.example/', headers: {}, body: bytes(text) };
  signature.verify({ call, outside: content.outside(call.body), now: 0 });
  try {
    events.raw(call, content.read(call.body).inside).map(events.read);
  } catch (error) {
    if (!(error instanceof UnreadableContent)) throw error;
  }
}

const CALLS = Object.fromEntries(
  Object.entries(FORMATS).map(([name, read]) => {
    const profile = profileOf(read);
    return [`a call of ${name}`, (text: string) => readCallText(text, profile)];
  }),
);
const ANSWERING = profileOf(['json']);

const READERS: Readonly<Record<string, (text: string) => unknown>> = {
  'links of HTML': linksOf,
  'links of a text': linksOfText,
  'an HTML part, as a harsh webmail shows it': harshView,
  'a style attribute, as a harsh webmail shows it': (text) => harshView(`<p style='a:url(x);${text.replaceAll("'", '')}'>`),
  'a captured text': (text) => inspectMail(part('text/plain; format=flowed', text)),
  'captured HTML': (text) => inspectMail(part('text/html', text)),
  'a captured header': (text) => inspectMail(bytes(`Subject: ${text}\r\n\r\nx`)),
  parts: (text) => readMail(part('multipart/mixed; boundary=b', text)),
  'quoted-printable': (text) =>
    inspectMail(bytes(`Content-Type: text/plain\r\nContent-Transfer-Encoding: quoted-printable\r\n\r\n${text}`)),
  'a field': (text) => fieldOf(readMail(bytes(`Subject: ${text}\r\n\r\nx`)), 'subject'),
  'a content type': (text) => readMail(bytes(`Content-Type: ${text}\r\n\r\nx`)),
  'a media type': mediaType,
  'an address': parseAddress,
  'a mailbox': parseMailbox,
  'an author': readAuthor,
  'encoded words': decodeWords,
  'a field of the app': (text) => headerFault('X-Own', text),
  'a submitted email': (text) => repairMail(part('text/plain', text)),
  'a submitted subject': (text) => repairMail(bytes(`From: a@b.example\r\nSubject: ${text}\r\n\r\nx`)),
  'a returned text': (text) => readReturn(bytes(`From: mailer-daemon@x.example\r\nSubject: Undelivered\r\n\r\n${text}`), {}),
  'returned HTML': (text) => readReturn(part('text/html', text), {}),
  'a delivery status': (text) =>
    readReturn(
      bytes(
        `Content-Type: multipart/report; report-type=delivery-status; boundary=b\r\n\r\n--b\r\nContent-Type: message/delivery-status\r\n\r\nReporting-MTA: dns; x\r\n\r\nFinal-Recipient: rfc822; ${text}\r\nAction: failed\r\nDiagnostic-Code: smtp; ${text}\r\n\r\n--b--\r\n`,
      ),
      {},
    ),
  'an mbox': (text) => [...emailsIn(bytes(`From x@y Mon Mar  2 09:00:00 2026\n${text}`))],
  'what a server says': (text) => readCause({ diagnostic: text, status: undefined, replyCode: undefined }),
  'the text of HTML': textOfHtml,
  'a style sheet': (text) => inlineStyles(parse('<p class="a" style="color:red">x</p>', { treeAdapter: adapter }), [{ text }]),
  'faults of a style sheet': cssFaults,
  'classes of a style sheet': classesIn,
  'a style': readDeclarations,
  'a source': (text) => parseSource('message.md', text, new Map()),
  'a source’s block of code': (text) => parseSource('message.md', `\`\`\`\n${text}\n\`\`\``, new Map()),
  'an expression': (text) => parseExpression(new SourceText('x', text), 0, text.length, []),
  'a payload': (text) => readPayloadTemplate(`{{ ${text}`, 'payload'),
  'a loop of a payload': (text) => readPayloadTemplate({ $each: text, $value: 1 }, 'payload'),
  'a filter': readFilter,
  'a PROXY header': (text) => readProxyHeader(bytes(text)),
  lines: (text) => wrap(text, 72),
  'a signed field': (text) => canonicalField('Subject', text),
  'a signed body': (text) => canonicalBodyHash([bytes(text)]),
  'a date': (text) => instantOf(text, 'UTC'),
  ...CALLS,
  'a call of text in JSON': (text) => readCallText(JSON.stringify({ a: text, b: text }), ANSWERING),
  'an answer': (text) => ANSWERING.answer.read({ status: 400, headers: {}, content: text }, { address: '', now: 0 }),
  'an answer in JSON': (text) =>
    ANSWERING.answer.read({ status: 400, headers: {}, content: JSON.stringify([{ a: text }]) }, { address: '', now: 0 }),
  'a recorded answer': (text) => readRecorded(bytes(`HTTP/1.1 200 OK\nVerbalis-Secret: ${text}`)),
  'a color': (text) => contrast(text, '#ffffff'),
};

const UNITS = [
  ...['<', '<a href="x ', '<a href=x>', '<b>', '<p>', '<object>', '<table>', '</a>', '<!--', '<style>', '<head ', '<script', '&', '&amp'],
  ...[
    '"',
    "'",
    '(',
    ')',
    '[',
    '{',
    '}',
    '{{',
    '}}',
    '{{ a',
    '{{# ',
    '\n{{# ',
    '{{# a }}',
    '\n::let a = 1',
    '{{ each a in b }}',
    '{{ end }}',
    '{% ',
    ',',
    ';',
    ':',
    '@',
    '.',
    '=',
    '\\',
    '/*',
    '*/',
    'url(',
    'a{',
    '@a{',
    '@media ',
  ],
  ...[
    '\r\n',
    '\n',
    '\r',
    ' ',
    '\t',
    '\0',
    '=3D',
    '= ',
    '=?utf-8?q?',
    '?=',
    '--b\r\n',
    '- ',
    '> ',
    '*',
    '_',
    '`',
    '|',
    '!',
    '#',
    '<<<',
    'http://',
  ],
  ...[
    'a',
    'é',
    '0',
    '5.1.1 ',
    '550 ',
    '550-',
    'x@y.example ',
    'From x@y Mon Mar  2 09:00:00 2026\n',
    'RFC822;',
    'a=b;',
    '%41',
    ' in ',
    'not ',
    '\u0300',
    '👩‍🚀',
  ],
];
/** Repeated; within something else; and what comes again and again behind what it waits for. */
const INPUTS: readonly (readonly [name: string, of: (length: number) => string])[] = UNITS.flatMap((unit) => {
  const run = (length: number): string => unit.repeat(Math.ceil(length / unit.length));
  const shown = JSON.stringify(unit);
  return [
    [`${shown} again and again`, run],
    [`${shown} and a letter, in turn`, (length: number) => `${unit}x`.repeat(Math.ceil(length / (unit.length + 1)))],
    // Rarely finds what the first does not.
    ...scaled([], [[`${shown} between letters`, (length: number) => `x${run(length)}x`] as const]),
  ] as const;
});

/** What throws is refused; but never for want of memory or stack. */
function readBy(reader: (text: string) => unknown, text: string): void {
  try {
    reader(text);
  } catch (error) {
    if (error instanceof RangeError) throw error;
  }
}

describe('is read in time proportional to its length', () => {
  test.each(Object.entries(READERS))('%s', (_name, reader) => {
    const slow = INPUTS.filter(([, of]) => {
      const [short, long] = [of(SHORT), of(SHORT * TIMES)];
      return !isInProportion(
        TIMES,
        () => readBy(reader, short),
        () => readBy(reader, long),
      );
    });
    expect(slow.map(([name]) => name)).toEqual([]);
  });
});
