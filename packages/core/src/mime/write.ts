import type { Mailbox } from './addresses.js';
import { dateField, field, mailboxField, unstructured } from './fields.js';
import { bestEncoding, encodeText } from './transfer.js';

/** A mail before it is bytes. Date, ids and boundary come in, so the same content gives the same bytes. */
export interface MailContent {
  readonly from: Mailbox;
  readonly to: readonly Mailbox[];
  readonly cc?: readonly Mailbox[];
  readonly replyTo?: readonly Mailbox[];
  readonly subject: string;
  /** Without angle brackets. */
  readonly messageId: string;
  /** Milliseconds since the epoch. */
  readonly date: number;
  readonly text: string;
  readonly html: string;
  readonly headers?: readonly (readonly [name: string, value: string])[];
  /** A boundary that stands nowhere in the content. */
  readonly boundary: string;
}

function textPart(subtype: 'plain' | 'html', text: string): string {
  const clean = text.toWellFormed().replaceAll('\0', '');
  const encoding = bestEncoding(clean);
  const charset = encoding === '7bit' ? 'us-ascii' : 'utf-8';
  return (
    field('Content-Type', `text/${subtype}; charset=${charset}`) +
    field('Content-Transfer-Encoding', encoding) +
    `\r\n${encodeText(clean, encoding)}\r\n`
  );
}

/**
 * Writes RFC 5322 bytes: multipart/alternative with the text first (RFC 2046 5.1.4).
 * @throws HeaderFault when a field cannot be written.
 */
export function writeMail(mail: MailContent): Uint8Array {
  const header =
    field('Date', dateField(mail.date)) +
    field('From', mailboxField([mail.from])) +
    field('To', mailboxField(mail.to)) +
    (mail.cc !== undefined && mail.cc.length > 0 ? field('Cc', mailboxField(mail.cc)) : '') +
    (mail.replyTo !== undefined && mail.replyTo.length > 0 ? field('Reply-To', mailboxField(mail.replyTo)) : '') +
    field('Subject', unstructured(mail.subject)) +
    field('Message-ID', `<${mail.messageId}>`) +
    (mail.headers ?? []).map(([name, value]) => field(name, unstructured(value))).join('') +
    field('MIME-Version', '1.0') +
    field('Content-Type', `multipart/alternative; boundary="${mail.boundary}"`);
  const edge = `--${mail.boundary}`;
  const body = `${edge}\r\n${textPart('plain', mail.text)}${edge}\r\n${textPart('html', mail.html)}${edge}--\r\n`;
  return Buffer.from(`${header}\r\n${body}`, 'utf8');
}
