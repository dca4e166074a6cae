import { createHash } from 'node:crypto';
import { parseAddress, isFault, writeMail, type Mailbox } from '@verbalis/core/mime';
import type { Editions } from '../editions/index.js';
import type { MessageRow } from '../store/index.js';

function mailbox(stored: { name: string; address: string }): Mailbox {
  const address = parseAddress(stored.address);
  if (isFault(address)) throw new Error(`A stored address is none: ${address.fault}`);
  return { ...address, name: stored.name };
}

/** The bytes of a message: the same whenever they are made, since all that flows in is stored with it. */
export function mailOf(message: MessageRow, editions: Editions): Uint8Array {
  const ready = editions.get(message.space, message.edition)?.templates.get(message.template)?.render(message.locale);
  if (ready === undefined)
    throw new Error(`Edition ${message.edition} of "${message.space}" has no template "${message.template}" any more.`);
  const rendering = ready.renderer({ data: message.data, now: message.createdAt, mail: { space: message.space } });
  return writeMail({
    from: mailbox(message.sender),
    to: message.to.map(mailbox),
    subject: rendering.subject,
    messageId: message.headerId,
    date: message.createdAt,
    text: rendering.text,
    html: rendering.html,
    headers: [
      ['Auto-Submitted', 'auto-generated'],
      ['Content-Language', ready.program.locale],
    ],
    boundary: `=_${createHash('sha256').update(message.id).digest('hex').slice(0, 32)}`,
  });
}
