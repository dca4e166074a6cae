import { isUtf8 } from 'node:buffer';
import { addressText, unsubscribeFields, wholeOf, type Mailbox, type MailFile } from '@verbalis/core/mime';
import type { MessageView } from '@verbalis/core/profile';
import type { Job, MailParts } from './provider.js';

function mailboxView(mailbox: Mailbox): Record<string, unknown> {
  return { name: mailbox.name === '' ? undefined : mailbox.name, address: addressText(mailbox) };
}

function fileView(file: MailFile & { readonly id?: string }): Record<string, unknown> {
  const view: Record<string, unknown> = { name: file.name, type: file.type, size: file.body.size, id: file.id };
  // Made when a template asks for it: large, and many profiles do not.
  for (const encoding of ['base64', 'base64url', 'hex'] as const)
    Object.defineProperty(view, encoding, { enumerable: true, get: () => wholeOf(file.body).toString(encoding) });
  Object.defineProperty(view, 'dataUrl', {
    enumerable: true,
    get: () => `data:${file.type};base64,${wholeOf(file.body).toString('base64')}`,
  });
  return view;
}

/** The fields that a provider that makes emails itself has to set: the app's own, and those of the thread and of unsubscribing. */
function headersOf({ headers, inReplyTo, references, unsubscribe }: MailParts): { readonly name: string; readonly value: string }[] {
  const ids = (list: readonly string[]): string => list.map((id) => `<${id}>`).join(' ');
  return [
    ...headers,
    ...(inReplyTo === undefined ? [] : [['In-Reply-To', ids([inReplyTo])] as const]),
    ...(references.length === 0 ? [] : [['References', ids(references)] as const]),
    ...unsubscribeFields(unsubscribe),
  ].map(([name, value]) => ({ name, value }));
}

/** The whole email as text. @throws where it has bytes that are not UTF-8: they would arrive as other ones */
function rawText(mail: Job['mail']): string {
  const bytes = wholeOf(mail);
  if (!isUtf8(bytes)) throw new Error('message.raw is not UTF-8 in this email; a profile that uses message.rawBase64 can send it');
  return bytes.toString('utf8');
}

/** What the templates of a profile see of an email: a value for each name of `MESSAGE_NAMES`. */
export function messageView({ envelope, mail, parts }: Job): MessageView {
  const message: Record<string, unknown> = {
    id: parts.messageId,
    deliveryId: parts.deliveryId,
    from: mailboxView(parts.from),
    recipient: { address: envelope.to, name: [...parts.to, ...parts.cc].find((mailbox) => addressText(mailbox) === envelope.to)?.name },
    to: parts.to.map(mailboxView),
    cc: parts.cc.map(mailboxView),
    replyTo: parts.replyTo.map(mailboxView),
    returnPath: envelope.from,
    subject: parts.subject,
    text: parts.text,
    html: parts.html,
    headers: headersOf(parts),
    attachments: parts.attachments.map(fileView),
    pictures: parts.pictures.map(fileView),
    inReplyTo: parts.inReplyTo,
    references: parts.references,
    calendar:
      parts.calendar === undefined ? undefined : { ...parts.calendar, base64: Buffer.from(parts.calendar.text, 'utf8').toString('base64') },
    unsubscribeUrl: parts.unsubscribe?.url,
    template: parts.template,
    topic: parts.topic,
    reference: parts.reference,
    labels: Object.entries(parts.labels).map(([name, value]) => ({ name, value })),
    size: mail.size,
  };
  Object.defineProperty(message, 'raw', { enumerable: true, get: () => rawText(mail) });
  Object.defineProperty(message, 'rawBase64', { enumerable: true, get: () => wholeOf(mail).toString('base64') });
  return message;
}
