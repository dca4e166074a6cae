import { TONGUES, type CorpusCause, type Tongue } from './test-tongues.js';

/**
 * Made-up bounces with known causes: 14 languages, ten causes, six shapes. The sentences were written as postmasters write them, not from the
 * tables that are tested, which were there before. Every tenth sentence is kept aside, in all its shapes: the tables are corrected by looking at the others only.
 */
const RECIPIENT = 'una.bell@post.example';
const word = (text: string): string => `=?utf-8?b?${Buffer.from(text).toString('base64')}?=`;
const base64 = (text: string): string => Buffer.from(text).toString('base64').replace(/.{76}/g, '$&\r\n');
const header = (from: string, subject: string, type: string, more = ''): string =>
  `Return-Path: <>\r\nFrom: ${from}\r\nTo: returns@saltmarsh-ferries.example\r\nSubject: ${word(subject)}\r\n${more}MIME-Version: 1.0\r\nContent-Type: ${type}\r\n`;
const DAEMON = 'Mail Delivery System <MAILER-DAEMON@mx.post.example>';
const ORIGINAL = `Message-ID: <m1@saltmarsh-ferries.example>\r\nFrom: harbour@saltmarsh-ferries.example\r\nTo: ${RECIPIENT}\r\nSubject: Your booking\r\n`;
const text = (from: string, subject: string, body: string, more = ''): string =>
  `${header(from, subject, 'text/plain; charset=utf-8', `${more}Content-Transfer-Encoding: base64\r\n`)}\r\n${base64(body)}\r\n`;

type Shape = (tongue: Tongue, reason: string, i: number) => string;
const pick = <T>(two: readonly [T, T], i: number): T => two[i % 2 === 0 ? 0 : 1];

const SHAPES: Readonly<Record<string, Shape>> = {
  'a list': (tongue, reason, i) => text(DAEMON, pick(tongue.subjects, i), `${pick(tongue.opening, i)}\n\n<${RECIPIENT}>:\n    ${reason}\n`),
  'a list with a code': (tongue, reason, i) =>
    text(DAEMON, pick(tongue.subjects, i + 1), `${pick(tongue.opening, i)}\n\n  ${RECIPIENT}\n    550 ${reason}\n\n--- ${ORIGINAL}`),
  sentences: (tongue, reason, i) => text(DAEMON, pick(tongue.subjects, i), `${pick(tongue.opening, i)}\n${RECIPIENT}\n\n${reason}\n`),
  'only HTML': (tongue, reason, i) =>
    `${header(DAEMON, pick(tongue.subjects, i), 'text/html; charset=utf-8', 'Content-Transfer-Encoding: base64\r\n')}\r\n${base64(
      `<html><body><h1>${pick(tongue.subjects, i)}</h1><p>${pick(tongue.opening, i)}</p><p>${RECIPIENT}</p><p>${reason}</p></body></html>`,
    )}\r\n`,
  'a report with a bare code': (tongue, reason, i) =>
    `${header(DAEMON, pick(tongue.subjects, i), 'multipart/report; report-type=delivery-status; boundary=b')}\r\n--b\r\nContent-Type: text/plain; charset=utf-8\r\nContent-Transfer-Encoding: base64\r\n\r\n${base64(
      `${pick(tongue.opening, i)}\n\n<${RECIPIENT}>: ${reason}\n`,
    )}\r\n--b\r\nContent-Type: message/delivery-status\r\n\r\nReporting-MTA: dns; mx.post.example\r\n\r\nFinal-Recipient: rfc822; ${RECIPIENT}\r\nAction: failed\r\nStatus: 5.0.0\r\n--b\r\nContent-Type: text/rfc822-headers\r\n\r\n${ORIGINAL}--b--\r\n`,
  'a quoted answer': (tongue, reason, i) =>
    text(
      DAEMON,
      pick(tongue.subjects, i),
      `${pick(tongue.opening, i)}\n\n   ----- Transcript of session follows -----\n... while talking to mx.post.example.:\n>>> RCPT To:<${RECIPIENT}>\n<<< 554 ${reason}\n`,
    ),
};

export interface CorpusEmail {
  readonly name: string;
  readonly language: string;
  readonly kind: 'delivery-status' | 'auto-reply' | 'read-receipt' | 'other';
  readonly cause: CorpusCause | undefined;
  readonly bytes: Buffer;
  /** Kept aside while the tables were written. */
  readonly isAside: boolean;
}

/** All of them: 14 languages, and what is no bounce among them. */
export function corpus(): CorpusEmail[] {
  const out: CorpusEmail[] = [];
  for (const [t, tongue] of TONGUES.entries()) {
    const { language } = tongue;
    for (const [c, [cause, reasons]] of (Object.entries(tongue.reasons) as [CorpusCause, readonly [string, string]][]).entries())
      for (const i of [0, 1]) {
        for (const [shape, make] of Object.entries(SHAPES))
          out.push({
            name: `${language} ${cause} ${shape} ${i}`,
            language,
            kind: 'delivery-status',
            cause,
            bytes: Buffer.from(make(tongue, pick(reasons, i), i)),
            isAside: (t * 3 + c * 2 + i) % 10 === 7,
          });
      }
    const add = (name: string, kind: CorpusEmail['kind'], raw: string): void => {
      out.push({ name: `${language} ${name}`, language, kind, cause: undefined, bytes: Buffer.from(raw), isAside: false });
    };
    tongue.answers.forEach(([subject, body], i) => {
      add(`answer ${i}`, 'auto-reply', text(`Una <${RECIPIENT}>`, subject, body));
      add(`marked answer ${i}`, 'auto-reply', text(`Una <${RECIPIENT}>`, subject, body, 'Auto-Submitted: auto-replied\r\n'));
    });
    const [subject, body] = tongue.person;
    add('person', 'other', text(`Una <${RECIPIENT}>`, subject, body).replace('Return-Path: <>', `Return-Path: <${RECIPIENT}>`));
    const about = `${body}\n\n> ${tongue.opening[0]}\n> <someone@post.example>: ${tongue.reasons['mailbox-unknown'][0]}\n`;
    add(
      'person who quotes a bounce',
      'other',
      text(`Una <${RECIPIENT}>`, `Re: ${tongue.subjects[0]}`, about).replace('Return-Path: <>', `Return-Path: <${RECIPIENT}>`),
    );
    add(
      'receipt',
      'read-receipt',
      `${header(`Una <${RECIPIENT}>`, subject, 'multipart/report; report-type=disposition-notification; boundary=b')}\r\n--b\r\n\r\n${base64(body)}\r\n--b\r\nContent-Type: message/disposition-notification\r\n\r\nFinal-Recipient: rfc822; ${RECIPIENT}\r\nOriginal-Message-ID: <m1@saltmarsh-ferries.example>\r\nDisposition: manual-action/MDN-sent-manually; displayed\r\n--b--\r\n`,
    );
  }
  return out;
}
