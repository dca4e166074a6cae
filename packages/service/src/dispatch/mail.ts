import { createHash } from 'node:crypto';
import { signMail, type SigningKey } from '@verbalis/core/dkim';
import { isFault, parseAddress, prefixed, writeMail, type Mailbox, type MailFile, type WrittenMail } from '@verbalis/core/mime';
import type { Editions } from '../editions/index.js';
import type { MailParts } from '../providers/index.js';
import type { DeliveryRow, MessageRow, Store, StoredMailbox } from '../store/index.js';

export interface ComposeOptions {
  readonly store: Store;
  readonly editions: Editions;
  readonly keysFor: (domain: string) => readonly SigningKey[];
}

/** A mail ready to be handed over: its bytes, and what they were made of. */
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
export function composeMail({ store, editions, keysFor }: ComposeOptions, message: MessageRow, delivery: DeliveryRow): ComposedMail {
  const edition = editions.get(message.space, message.edition);
  const ready = edition?.templates.get(message.template)?.render(message.locale);
  if (edition === undefined || ready === undefined)
    throw new Error(`Edition ${message.edition} of "${message.space}" has no template "${message.template}" any more.`);
  const rendering = ready.renderer({ data: message.data, now: message.createdAt, mail: { space: message.space } });
  const { more } = message;
  const from = mailbox(message.sender);
  const attachments = store.contents.attachments(message.id).map((row): MailFile => {
    if (row.contentId === null) throw new Error(`The attachment "${row.name}" has not been fetched.`);
    return { name: row.name, type: row.type, body: store.contents.bytes(row.contentId) };
  });
  const pictures = ready.program.carried.flatMap((one) => {
    const bytes = edition.project.assets.get(one.path);
    const name = one.path.slice(one.path.lastIndexOf('/') + 1);
    // What stands in a branch that was not taken stays at home.
    return bytes === undefined || !rendering.html.includes(`cid:${one.id}`)
      ? []
      : [{ id: one.id, name, type: one.type, body: { size: bytes.length, chunks: () => [bytes] } }];
  });
  const headers = [['Auto-Submitted', 'auto-generated'], ['Content-Language', ready.program.locale], ...(more.headers ?? [])] as const;
  const shared = {
    from,
    to: message.to.map(mailbox),
    cc: (more.cc ?? []).map(mailbox),
    replyTo: (more.replyTo ?? []).map(mailbox),
    subject: rendering.subject,
    attachments,
    pictures,
    headers,
  };
  const written = writeMail({
    ...shared,
    messageId: message.headerId,
    inReplyTo: more.inReplyTo,
    references: more.references ?? [],
    date: message.createdAt,
    text: rendering.flowed,
    flowed: true,
    html: rendering.html,
    calendar: more.calendar,
    boundary: `=_${createHash('sha256').update(message.id).digest('hex').slice(0, 32)}`,
  });
  return {
    mail: prefixed(signMail(written, keysFor(from.domain), message.createdAt), written),
    parts: {
      ...shared,
      messageId: message.headerId,
      deliveryId: delivery.id,
      text: rendering.text,
      html: rendering.html,
      template: message.template,
      topic: message.topic ?? undefined,
      reference: message.reference ?? undefined,
      labels: message.labels,
    },
  };
}
