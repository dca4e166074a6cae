import type { WayOut } from '../consent/index.js';
import { createHash } from 'node:crypto';
import { signMail, type SigningKey } from '@verbalis/core/dkim';
import {
  dateField,
  fieldOf,
  foreignMail,
  inOnePiece,
  isFault,
  mailBytes,
  parseAddress,
  prefixed,
  readMail,
  repairMail,
  shownText,
  writeMail,
  type Bytes,
  type Mailbox,
  type MailFile,
  type WrittenMail,
} from '@verbalis/core/mime';
import { escapeHtml } from '@verbalis/core/render';
import type { LoadedEdition } from '../editions/index.js';
import { trackEmail, type EmailTracking } from '../engagement/index.js';
import type { MailParts } from '../providers/index.js';
import type { AttachmentRow } from '../attachments/index.js';
import { isOwnField, type DeliveryRow, type MessageRow, type StoredMailbox } from '../messages/index.js';

/** What is stored beside messages. */
export interface StoredFiles {
  readonly attachments: (message: MessageRow) => readonly AttachmentRow[];
  /** The bytes of a stored content, read piece by piece when they are gone through. */
  readonly bytes: (contentId: string) => Bytes;
}

export interface ComposeSources {
  readonly edition: (space: string, number: number) => LoadedEdition | undefined | Promise<LoadedEdition | undefined>;
  readonly keysFor: (domain: string) => readonly SigningKey[] | Promise<readonly SigningKey[]>;
  readonly files: StoredFiles;
}

/** What the service puts into an email that leads to itself. */
export interface EmailLinks {
  /** How its recipient leaves the topic; undefined for essential email. */
  readonly wayOut: WayOut | undefined;
  /** How its links are followed; undefined where nobody wants to know. */
  readonly tracking: EmailTracking | undefined;
  /** Where answers come to the service; undefined where they do not. */
  readonly answersTo: string | undefined;
}

/** An email ready to be handed over: its bytes, and what they were made of. */
export interface ComposedMail {
  readonly mail: WrittenMail;
  readonly parts: MailParts;
}

function mailbox(stored: StoredMailbox): Mailbox {
  const address = parseAddress(stored.address);
  if (isFault(address)) throw new Error(`A stored address is none: ${address.fault}`);
  return { ...address, name: stored.name };
}

/**
 * The mail of a delivery: the same bytes whenever they are made, since all that flows in is stored with it. Attachments are read while the
 * bytes are gone through; those with an address must have been fetched.
 */
export async function composeMail(
  sources: ComposeSources,
  message: MessageRow,
  delivery: DeliveryRow,
  { wayOut: unsubscribe, tracking, answersTo }: EmailLinks,
): Promise<ComposedMail> {
  const { raw } = message.more;
  if (raw !== undefined) return rawMail(sources, message, delivery, { contentId: raw, unsubscribe, answersTo });
  const { keysFor, files } = sources;
  const edition = await sources.edition(message.space, message.edition);
  const rendering = trackEmail(renderingOf(message, edition, unsubscribe?.url), tracking, aboutOf(message, delivery));
  const { more } = message;
  const from = mailbox(message.sender);
  const attachments = files.attachments(message).map((row): MailFile => {
    if (row.contentId === null) throw new Error(`The attachment "${row.name}" has not been fetched.`);
    return { name: row.name, type: row.type, body: files.bytes(row.contentId) };
  });
  const pictures = rendering.carried.flatMap(({ path, id, type }) => {
    const bytes = edition?.project.assets.get(path);
    const name = path.slice(path.lastIndexOf('/') + 1);
    // What is in a branch that was not taken stays at home.
    return bytes === undefined || rendering.html?.includes(`cid:${id}`) !== true
      ? []
      : [{ id: id, name, type: type, body: { size: bytes.length, chunks: () => [bytes] } }];
  });
  const headers: (readonly [string, string])[] = [...autoSubmitted(more.answer)];
  if (rendering.locale !== 'und') headers.push(['Content-Language', rendering.locale]);
  if (delivery.intended !== null) headers.push([INTENDED, delivery.intended]);
  headers.push(...(more.headers ?? []));
  const shared = {
    from,
    to: message.to.map(mailbox),
    cc: (more.cc ?? []).map(mailbox),
    replyTo: answersTo === undefined ? (more.replyTo ?? []).map(mailbox) : [mailbox({ name: from.name, address: answersTo })],
    // As it was accepted: with the mark of its space.
    subject: message.subject,
    inReplyTo: more.inReplyTo,
    references: more.references ?? [],
    calendar: more.calendar,
    attachments,
    pictures,
    headers,
  };
  const content = writeMail({
    ...shared,
    messageId: message.headerId,
    date: message.createdAt,
    text: noteFor(delivery) + rendering.flowed,
    flowed: true,
    ...(rendering.html === undefined ? {} : { html: withNote(rendering.html, delivery) }),
    unsubscribe,
    boundary: `=_${createHash('sha256').update(message.id).digest('hex').slice(0, 32)}`,
  });
  const written = inOnePiece(content, SMALL_MAIL);
  return {
    mail: prefixed(await signMail(written, await keysFor(from.domain), message.createdAt), written),
    parts: {
      ...shared,
      messageId: message.headerId,
      deliveryId: delivery.id,
      text: rendering.text,
      html: rendering.html,
      unsubscribe,
      ...labelsOf(message),
    },
  };
}

/** Who has written it (RFC 3834 5): nothing stands for a person. */
function autoSubmitted(answer: MessageRow['more']['answer']): (readonly [string, string])[] {
  return answer === 'person' ? [] : [['Auto-Submitted', answer === 'program' ? 'auto-replied' : 'auto-generated']];
}

/** In bytes. */
const SMALL_MAIL = 128 * 1024;

/** Names whom an email was meant for, where the space's rules have sent it elsewhere. */
const INTENDED = 'Verbalis-Intended-For';

interface ShownMail {
  readonly locale: string;
  readonly text: string;
  readonly flowed: string;
  readonly html: string | undefined;
  readonly carried: readonly { readonly path: string; readonly id: string; readonly type: string }[];
}

/** What may name the recipient of an email. */
function aboutOf({ data, to, reference, labels }: MessageRow, { address }: DeliveryRow): unknown {
  return [data, to, reference, labels, address];
}

/** What the mail shows: rendered from its template, or as the app has made it. */
function renderingOf(message: MessageRow, edition: LoadedEdition | undefined, unsubscribe: string | undefined): ShownMail {
  const { ready } = message.more;
  if (ready !== undefined) {
    // Lines of the app's own are fixed; only what would be misread is stuffed (RFC 3676 4.4). An answer quotes what it answers (4.5).
    const misread = message.more.answer === undefined ? /^(?= |>|From )/gm : /^(?= |From )/gm;
    const flowed = withoutEnds(ready.text).replace(misread, ' ');
    return { locale: message.locale, text: ready.text, flowed, html: ready.html, carried: [] };
  }
  const template = edition?.templates.get(message.template)?.render(message.locale);
  if (template === undefined)
    throw new Error(`Edition ${message.edition} of "${message.space}" has no template "${message.template}" any more.`);
  const rendering = template.renderer({
    data: message.data,
    now: message.createdAt,
    mail: { space: message.space, ...(unsubscribe === undefined ? {} : { unsubscribe }) },
  });
  return { ...rendering, locale: template.program.locale, carried: template.program.carried };
}

/** Lines without white space at their ends, which would join them to the next; that of a signature's separator is kept (RFC 3676 4.3). */
function withoutEnds(text: string): string {
  return text
    .split(/\r\n|\r|\n/)
    .map((line) => {
      if (line === '-- ') return line;
      let end = line.length;
      while (end > 0 && (line[end - 1] === ' ' || line[end - 1] === '\t')) end -= 1;
      return line.slice(0, end);
    })
    .join('\n');
}

function noteFor(delivery: DeliveryRow): string {
  return delivery.intended === null ? '' : `[This mail was meant for ${delivery.intended}]\n\n`;
}

/** The note stands on top of what the reader sees. */
function withNote(html: string, delivery: DeliveryRow): string {
  if (delivery.intended === null) return html;
  const note = `<p style="margin:0;padding:8px 12px;background:#fff3c4;color:#4a3b00;font:14px sans-serif">This mail was meant for ${escapeHtml(delivery.intended)}</p>`;
  const body = /<body[^>]*>/i.exec(html);
  return body === null ? note + html : html.slice(0, body.index + body[0].length) + note + html.slice(body.index + body[0].length);
}

/** What the app says of a message, beside what is in it. */
function labelsOf({ template, topic, reference, labels, more: { traceparent, tracestate } }: MessageRow) {
  return { template, topic: topic ?? undefined, reference: reference ?? undefined, labels, traceparent, tracestate };
}

/** The parts of an email that is taken as a whole. */
export function bareParts(message: MessageRow, delivery: DeliveryRow): MailParts {
  return {
    messageId: message.headerId,
    deliveryId: delivery.id,
    from: mailbox(message.sender),
    to: message.to.map(mailbox),
    cc: [],
    replyTo: [],
    subject: message.subject,
    text: '',
    html: undefined,
    headers: [],
    attachments: [],
    pictures: [],
    inReplyTo: message.more.inReplyTo,
    references: message.more.references ?? [],
    calendar: undefined,
    unsubscribe: undefined,
    ...labelsOf(message),
  };
}

/** Fields that stay here: copies in secret, what other servers wrote, signatures that no longer fit. */
const NEVER_SENT = new Set(['bcc', 'resent-bcc', 'return-path', 'dkim-signature']);

/** The name of a field that stands folded. */
const nameOf = (line: string): string => line.slice(0, line.indexOf(':')).trim().toLowerCase();

/**
 * An email that came in as a whole: its own fields, but for those that must not travel; what it needs and does not have; and all of it so that no
 * server on the way has to change it, since that would break its signature.
 */
async function rawMail(
  sources: ComposeSources,
  message: MessageRow,
  delivery: DeliveryRow,
  {
    contentId,
    unsubscribe,
    answersTo,
  }: { readonly contentId: string; readonly unsubscribe: WayOut | undefined; readonly answersTo: string | undefined },
): Promise<ComposedMail> {
  const { bytes, fault } = repairMail(mailBytes(sources.files.bytes(contentId)));
  if (fault !== undefined) throw new Error(`It ${fault}.`);
  const end = bytes.indexOf('\r\n\r\n');
  const fields = bytes.toString('latin1', 0, end === -1 ? bytes.length : end).split(/\r\n(?![ \t])/);
  const has = new Set(fields.map(nameOf));
  const from = mailbox(message.sender);
  // The subject is replaced only where the space marks it: a fold or an encoding of the app's own stays as it is.
  const changed = message.subject !== (fieldOf(readMail(bytes), 'subject') ?? '');
  const kept = fields.filter((line) => {
    const name = nameOf(line);
    return line !== '' && !NEVER_SENT.has(name) && !isOwnField(name) && !(changed && name === 'subject');
  });
  const written = writeMail({
    from,
    to: [],
    replyTo: answersTo === undefined ? [] : [mailbox({ name: from.name, address: answersTo })],
    subject: message.subject,
    messageId: message.headerId,
    date: message.createdAt,
    text: '',
    unsubscribe,
    boundary: 'x',
  });
  const own = mailBytes(written)
    .toString('latin1')
    .split(/\r\n(?![ \t])/);
  const wanted = new Set(['date', 'message-id'].filter((name) => !has.has(name)));
  if (changed) wanted.add('subject');
  if (answersTo !== undefined && !has.has('reply-to')) wanted.add('reply-to');
  // The app's own way to unsubscribe goes before ours.
  if (!has.has('list-unsubscribe')) for (const name of ['list-unsubscribe', 'list-unsubscribe-post']) wanted.add(name);
  const added = own.filter((line) => wanted.has(nameOf(line)));
  const note = delivery.intended === null ? [] : [`${INTENDED}: ${delivery.intended}`];
  const whole = Buffer.concat([
    Buffer.from([...traceOf(message), ...added, ...note, ...kept].join('\r\n'), 'latin1'),
    bytes.subarray(end === -1 ? bytes.length : end),
  ]);
  const mail = foreignMail(whole);
  const read = readMail(whole);
  return {
    mail: prefixed(await signMail(mail, await sources.keysFor(from.domain), message.createdAt), mail),
    parts: { ...bareParts(message, delivery), text: shownText(read, 'plain') ?? '', html: shownText(read, 'html') },
  };
}

/**
 * Who brought it (RFC 5321 4.4, RFC 3848). Where from is left out: the address of an app within its network is nothing that its recipients need to
 * know (RFC 5321 7.6).
 */
function traceOf({ id, createdAt, more: { trace } }: MessageRow): string[] {
  if (trace === undefined) return [];
  const from = trace.from.replace(/[^A-Za-z0-9.:[\]_-]/g, '-');
  return [`Received: from ${from} by ${trace.by}\r\n with ${trace.protocol} id ${id};\r\n ${dateField(createdAt)}`];
}
