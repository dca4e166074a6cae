import { isFault, parseMailbox, readAuthor, undecodedText, type Mailbox, type Part } from '@verbalis/core/mime';
import { Refusal } from '../../kernel/index.js';

function refuse(detail: string, hint?: string): never {
  throw new Refusal(422, 'wrong-sender', 'This space may not send as that author', { detail, hint });
}

/** Whom a space may send as. */
interface AllowedAuthors {
  readonly domains: readonly string[];
  /** Whether it is among the senders of the space. */
  readonly isAdded: (mailbox: Mailbox) => boolean;
}

/**
 * The author of an email that an app handed in as a whole and that we sign: one From field with one mailbox that the space may send as, a Sender
 * of the kind where there is one, and nothing that was resent (RFC 5322 3.6.2, 3.6.6).
 * @throws Refusal
 */
export function ownAuthor(mail: Pick<Part, 'fields'>, { domains, isAdded }: AllowedAuthors): Mailbox {
  const named = (name: string): readonly string[] =>
    mail.fields.flatMap((field) => (field.name === name ? [undecodedText(field.raw)] : []));
  const read = (name: string, value: string): Mailbox => {
    const mailbox = readAuthor(value);
    if (isFault(mailbox)) return refuse(`Its ${name} field ${mailbox.fault}.`, mailbox.hint);
    if (!domains.includes(mailbox.domain) && !isAdded(mailbox))
      refuse(`${mailbox.domain} in its ${name} field is not one of ${domains.join(', ') || 'those allowed'}.`);
    return mailbox;
  };
  const resent = mail.fields.find(({ name }) => name.startsWith('resent-'));
  if (resent !== undefined) refuse(`It has the field ${resent.name}.`, 'An email that is sent on is no message of the app’s.');
  const [from, ...others] = named('from');
  if (from === undefined || others.length > 0) return refuse(`It has ${from === undefined ? 'no' : others.length + 1} From fields.`);
  const senders = named('sender');
  if (senders.length > 1) refuse(`It has ${senders.length} Sender fields.`);
  for (const value of senders) read('Sender', value);
  return read('From', from);
}

/** The author of an email that stays here, however broken it is. */
export function capturedAuthor(mail: Pick<Part, 'fields'>): Mailbox {
  const value = undecodedText(mail.fields.find(({ name }) => name === 'from')?.raw ?? '');
  const found = readAuthor(value);
  // Of several the last that can be read is shown.
  const author = isFault(found) ? parseMailbox(value) : found;
  return isFault(author) ? { name: '', local: 'unknown', domain: 'sender.invalid' } : author;
}
