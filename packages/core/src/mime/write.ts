import { isUtf8 } from 'node:buffer';
import { needsUtf8, type Mailbox } from './addresses.js';
import { base64Of, bytesOf, joinedBytes, wholeOf, type Bytes } from './body.js';
import { dateField, field, mailboxField, parameter, unstructured } from './fields.js';
import { parseParameters } from './read.js';
import { repairMail } from './repair.js';
import { crlf, encodeText } from './transfer.js';
import { Fault } from '../problems/index.js';

/** A file in an email. */
export interface MailFile {
  readonly name: string;
  /** "image/png" */
  readonly type: string;
  readonly body: Bytes;
}

/** A picture that travels in the mail and is shown by "cid:ID" (RFC 2392). */
export interface CarriedPicture extends MailFile {
  readonly id: string;
}

/** An iCalendar object (RFC 5545) with its method (RFC 5546): clients show what can be done with it. */
export interface Calendar {
  readonly method: string;
  readonly text: string;
}

/** An email before it is bytes. Date, ids and boundary come in, so the same content gives the same bytes. */
export interface MailContent {
  readonly from: Mailbox;
  readonly to: readonly Mailbox[];
  readonly cc?: readonly Mailbox[];
  readonly replyTo?: readonly Mailbox[];
  readonly subject: string;
  /** Without angle brackets. */
  readonly messageId: string;
  /** Message-IDs without angle brackets: what this answers, and the whole thread. */
  readonly inReplyTo?: string | undefined;
  readonly references?: readonly string[];
  /** Milliseconds since the epoch. */
  readonly date: number;
  readonly text: string;
  /** Whether the text is format=flowed (RFC 3676). */
  readonly flowed?: boolean;
  readonly html?: string;
  readonly pictures?: readonly CarriedPicture[];
  readonly calendar?: Calendar | undefined;
  readonly attachments?: readonly MailFile[];
  /** Where one click ends the subscription (RFC 8058), and an address with a subject that does the same (RFC 2369 3.2). */
  readonly unsubscribe?: { readonly url: string; readonly mailto?: string } | undefined;
  readonly headers?: readonly (readonly [name: string, value: string])[];
  /** A boundary that stands nowhere in the content; those of inner parts are made from it. */
  readonly boundary: string;
}

/** A mail as bytes, ready to be handed over. */
export interface WrittenMail extends Bytes {
  /** Whether its header holds letters beyond ASCII, which needs SMTPUTF8 (RFC 6532). */
  readonly utf8: boolean;
  /** Whether a part of it holds bytes beyond ASCII as they are; ours never do. */
  readonly eightBit?: boolean;
}

/** A part with the header fields that say what it is; the mail's own header takes those of the outermost. */
interface Entity {
  readonly head: string;
  readonly body: Bytes;
}

function textEntity(subtype: string, text: string, more = ''): Entity {
  const clean = text.toWellFormed().replaceAll('\0', '');
  const { encoding, body } = encodeText(clean);
  const charset = encoding === '7bit' ? 'us-ascii' : 'utf-8';
  return {
    head: field('Content-Type', `text/${subtype}; charset=${charset}${more}`) + field('Content-Transfer-Encoding', encoding),
    body: bytesOf(Buffer.from(body, 'latin1')),
  };
}

const TYPE = /^[a-z0-9!#$&^_.+-]{1,60}\/[a-z0-9!#$&^_.+-]{1,80}$/;
/** A text up to this size is looked at for its charset, in bytes. */
const LOOKED_AT = 1024 * 1024;

/** The type of a file with its parameters, as its field has them. */
function typeOf({ type, body }: MailFile): { readonly value: string; readonly parameters: string } {
  const { value, parameters } = parseParameters(type);
  // What holds parts would have to be one.
  if (!TYPE.test(value) || /^(?:multipart|message)\//.test(value)) return { value: 'application/octet-stream', parameters: '' };
  const own = Object.entries(parameters).filter(([name]) => /^[a-z0-9-]{1,40}$/.test(name) && name !== 'name');
  // A text without a charset is ASCII (RFC 2046 4.1.2).
  const isBare = value.startsWith('text/') && parameters['charset'] === undefined && body.size <= LOOKED_AT;
  if (isBare && isUtf8(wholeOf(body))) own.push(['charset', 'utf-8']);
  return { value, parameters: own.map(([name, text]) => parameter(name, text)).join('') };
}

/** An email within an email may not be encoded (RFC 2046 5.2.1): it must be able to travel as it is. */
function attachedMail(file: MailFile): Buffer | undefined {
  if (parseParameters(file.type).value !== 'message/rfc822') return undefined;
  const { bytes, fault } = repairMail(wholeOf(file.body));
  return fault === undefined && bytes.length > 0 ? bytes : undefined;
}

function fileEntity(file: MailFile, disposition: 'attachment' | 'inline', id?: string): Entity {
  const mail = attachedMail(file);
  const { value, parameters } = mail === undefined ? typeOf(file) : { value: 'message/rfc822', parameters: '' };
  return {
    head:
      field('Content-Type', value + parameters) +
      (mail === undefined ? field('Content-Transfer-Encoding', 'base64') : '') +
      field('Content-Disposition', `${disposition}${parameter('filename', file.name)}`) +
      (id === undefined ? '' : field('Content-ID', `<${checkedId(id, 'Content-ID')}>`)),
    body: mail === undefined ? base64Of(file.body) : bytesOf(mail),
  };
}

function multipart(subtype: string, boundary: string, parts: readonly Entity[], more = ''): Entity {
  const pieces = parts.flatMap((part) => [`--${boundary}\r\n${part.head}\r\n`, part.body, '\r\n']);
  return {
    head: field('Content-Type', `multipart/${subtype}; boundary="${boundary}"${more}`),
    body: joinedBytes([...pieces, `--${boundary}--\r\n`]),
  };
}

function bodyOf(mail: MailContent): Entity {
  const { boundary, calendar, pictures = [], attachments = [] } = mail;
  const text = textEntity('plain', mail.text, mail.flowed === true ? '; format=flowed' : '');
  const choices: Entity[] = [text];
  if (mail.html !== undefined && mail.html !== '') {
    const html = textEntity('html', mail.html);
    const carried = pictures.map((picture) => fileEntity(picture, 'inline', picture.id));
    choices.push(carried.length === 0 ? html : multipart('related', `${boundary}r`, [html, ...carried], '; type="text/html"'));
  }
  if (calendar !== undefined) {
    if (!/^[A-Z-]{1,30}$/.test(calendar.method)) throw new Fault('header', `"${calendar.method}" is no method of a calendar.`);
    // Last: the richest of what a client may choose from (RFC 2046 5.1.4).
    choices.push(textEntity('calendar', crlf(calendar.text), `; method=${calendar.method}`));
  }
  const shown = choices.length === 1 ? text : multipart('alternative', `${boundary}a`, choices);
  const files = attachments.map((attachment) => fileEntity(attachment, 'attachment'));
  if (calendar !== undefined)
    files.push(
      fileEntity({ name: 'invite.ics', type: 'application/ics', body: bytesOf(Buffer.from(crlf(calendar.text), 'utf8')) }, 'attachment'),
    );
  return files.length === 0 ? shown : multipart('mixed', `${boundary}m`, [shown, ...files]);
}

/** One click is a POST, which must not go over an open line (RFC 8058 3.1): without https only the email is left. */
export function unsubscribeFields(unsubscribe: MailContent['unsubscribe']): (readonly [name: string, value: string])[] {
  if (unsubscribe === undefined) return [];
  const { url, mailto } = unsubscribe;
  const byMail = mailto === undefined ? [] : [`<${mailto}>`];
  if (!url.startsWith('https:')) return byMail.map((field) => ['List-Unsubscribe', field] as const);
  return [
    ['List-Unsubscribe', [`<${url}>`, ...byMail].join(', ')],
    ['List-Unsubscribe-Post', 'List-Unsubscribe=One-Click'],
  ];
}

function checkedId(id: string, name: string): string {
  if (!/^[\x21-\x3B\x3D\x3F-\x7E]{1,900}$/.test(id)) throw new Fault('header', `"${name}" holds what is no id.`);
  return id;
}

/**
 * Writes RFC 5322 bytes: text, HTML and a calendar to choose from, carried pictures with the HTML, attachments beside them
 * (RFC 2046 5.1.3, 5.1.4; RFC 2387). Attachments are encoded as they are gone through, never as a whole.
 * @throws Fault when a field cannot be written.
 */
export function writeMail(mail: MailContent): WrittenMail {
  const { cc = [], replyTo = [], references = [], unsubscribe } = mail;
  const ids = (list: readonly string[], name: string): string => list.map((id) => `<${checkedId(id, name)}>`).join(' ');
  const body = bodyOf(mail);
  const header =
    field('Date', dateField(mail.date)) +
    field('From', mailboxField([mail.from])) +
    field('To', mail.to.length === 0 ? 'undisclosed-recipients:;' : mailboxField(mail.to)) +
    (cc.length > 0 ? field('Cc', mailboxField(cc)) : '') +
    (replyTo.length > 0 ? field('Reply-To', mailboxField(replyTo)) : '') +
    field('Subject', unstructured(mail.subject, 'Subject'.length)) +
    field('Message-ID', ids([mail.messageId], 'Message-ID')) +
    (mail.inReplyTo === undefined ? '' : field('In-Reply-To', ids([mail.inReplyTo], 'In-Reply-To'))) +
    (references.length > 0 ? field('References', ids(references, 'References')) : '') +
    unsubscribeFields(unsubscribe)
      .map(([name, value]) => field(name, value))
      .join('') +
    (mail.headers ?? []).map(([name, value]) => field(name, unstructured(value, name.length))).join('') +
    field('MIME-Version', '1.0');
  const bytes = joinedBytes([`${header}${body.head}\r\n`, body.body]);
  return { ...bytes, utf8: [mail.from, ...mail.to, ...cc, ...replyTo].some(needsUtf8) };
}

/** A written mail in one piece; for those that are small. */
export function mailBytes(mail: Bytes): Buffer {
  return wholeOf(mail);
}

/** The same mail, in one piece where it has no more than so many bytes: it is gone through several times, and that costs by the piece. */
export function inOnePiece(mail: WrittenMail, most: number): WrittenMail {
  return mail.size > most ? mail : { ...mail, ...bytesOf(mailBytes(mail)) };
}

/** An email with more header fields before its own: signatures, which stand above what they sign. */
export function prefixed(fields: string, mail: WrittenMail): WrittenMail {
  return fields === '' ? mail : { ...joinedBytes([fields, mail]), utf8: mail.utf8 };
}

/** An email that exists already as bytes: line ends become CRLF, as they must be on the wire (RFC 5321 2.3.8). */
export function foreignMail(bytes: Uint8Array): WrittenMail {
  const raw = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const text = raw.toString('latin1');
  const clean = /(?:^|[^\r])\n|\r(?!\n)/.test(text) ? Buffer.from(crlf(text), 'latin1') : raw;
  const head = clean.indexOf('\r\n\r\n');
  const beyond = (text: Buffer): boolean => /[^\x00-\x7F]/.test(text.toString('latin1'));
  return { ...bytesOf(clean), utf8: beyond(clean.subarray(0, head === -1 ? clean.length : head)), eightBit: beyond(clean) };
}
