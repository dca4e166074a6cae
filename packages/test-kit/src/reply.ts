import { randomUUID } from 'node:crypto';
import type { CapturedMail, Client, InboundView } from '@verbalis/client';
import { isFault, mailBytes, parseMailbox, writeMail, type Mailbox } from '@verbalis/core/mime';

/** What a recipient answers to a captured email. */
export interface Reply {
  readonly text: string;
  readonly html?: string;
  /** Who answers; the recipient of the email when left out. */
  readonly from?: string;
  readonly attachments?: readonly { readonly name: string; readonly type: string; readonly content: Uint8Array }[];
}

const ASK_MS = 20;

function mailbox(text: string, what: string): Mailbox {
  const found = parseMailbox(text);
  if (isFault(found)) throw new Error(`${what} "${text}" ${found.fault}.`);
  return found;
}

/**
 * Answers a captured email as its recipient would, and waits until the answer is read.
 * @throws Error where the email takes no answers, or the answer was not read in time
 */
export async function replyTo(
  client: Client,
  mail: CapturedMail,
  { text, html, from, attachments = [] }: Reply,
  within: number,
): Promise<InboundView> {
  const replyTo = mail.header('reply-to');
  if (replyTo === undefined)
    throw new Error(`The email "${mail.subject}" names no address for answers. Give its topic "replies: true" in mail.yaml.`);
  const to = mailbox(replyTo, 'The address for answers');
  const author = mailbox(from ?? mail.to, 'The author');
  const inReplyTo = /<([^<>]+)>/.exec(mail.header('message-id') ?? '')?.[1];
  const quoted = mail.text
    .trimEnd()
    .split('\n')
    .map((line) => `> ${line}`);
  const id = randomUUID();
  const bytes = mailBytes(
    writeMail({
      from: author,
      to: [to],
      subject: `Re: ${mail.subject}`,
      messageId: `${id}@${author.domain}`,
      date: Date.now(),
      text: `${text}\n\nOn ${mail.receivedAt.toUTCString()}, ${mail.from} wrote:\n${quoted.join('\n')}\n`,
      ...(html === undefined ? {} : { html }),
      ...(inReplyTo === undefined ? {} : { inReplyTo, references: [inReplyTo] }),
      attachments: attachments.map(({ name, type, content }) => ({ name, type, body: { size: content.length, chunks: () => [content] } })),
      boundary: `=_${id}`,
    }),
  );
  const { id: inboundId } = await client.inbound.add(bytes, { to: `${to.local}@${to.domain}`, from: `${author.local}@${author.domain}` });
  const end = Date.now() + within;
  for (;;) {
    const email = await client.inbound.get(inboundId);
    if (email.state === 'read') return email;
    if (Date.now() > end) throw new Error(`After ${within} ms the answer ${inboundId} was not read.`);
    await new Promise((done) => setTimeout(done, ASK_MS));
  }
}
