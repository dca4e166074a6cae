import { readFairnessKey } from '@verbalis/core/delivery';
import { foreignMail, inOnePiece, mailBytes } from '@verbalis/core/mime';
import type { Outcome } from '@verbalis/core/smtp';
import type { SigningKey } from '@verbalis/core/dkim';
import type { LoadedEdition } from '../editions/index.js';
import type { Gate, Provider } from '../providers/index.js';
import type { DeliveryRow, MessageRow } from '../messages/index.js';
import { turns } from './turns.js';
import { bareParts, composeMail, type EmailLinks, type StoredFiles } from '../composing/index.js';

/** One delivery to be handed over: all that is needed but for what {@link HandOverSources} give. It can be sent to another thread. */
export interface HandOverJob {
  readonly provider: string;
  readonly message: MessageRow;
  readonly delivery: DeliveryRow;
  /** The envelope's sender: the return path of the delivery. */
  readonly returnPath: string;
  readonly links: EmailLinks;
}

/** How it went, with the bytes where they are kept. */
export interface Handed {
  readonly outcome: Outcome;
  readonly bytes: Uint8Array | undefined;
}

export interface HandOverSources {
  readonly provider: (name: string) => Provider | undefined;
  readonly edition: (space: string, number: number) => LoadedEdition | undefined | Promise<LoadedEdition | undefined>;
  readonly keysFor: (domain: string) => readonly SigningKey[] | Promise<readonly SigningKey[]>;
  /** What is stored beside messages: attachments, and mail that came in as a whole. */
  readonly files: StoredFiles;
}

/** An email is made in a turn of its own: connections that wait for the end of theirs go before. */
const nextTurn = turns();

/** Emails up to this size are kept as they were handed over; larger ones are rendered again for each look. In bytes. */
const KEPT_MAIL = 1024 * 1024;

/** Makes the bytes of a delivery's mail and hands them to its provider. Writes nothing. @throws when the mail cannot be made */
export async function handOver(job: HandOverJob, sources: HandOverSources, gate: Gate): Promise<Handed> {
  const { message, delivery, returnPath, links } = job;
  await nextTurn();
  const provider = sources.provider(job.provider);
  if (provider === undefined) {
    const reason = 'The provider is not configured any more.';
    return { outcome: { kind: 'trouble', phase: 'connect', reply: undefined, reason }, bytes: undefined };
  }
  // What an app handed in as a whole is captured as it came, byte for byte, however broken it is.
  const { mail, parts } =
    provider.kind === 'capture' && message.more.raw !== undefined
      ? { mail: foreignMail(mailBytes(sources.files.bytes(message.more.raw))), parts: bareParts(message, delivery) }
      : await composeMail(sources, message, delivery, links);
  const isKept = mail.size <= KEPT_MAIL && provider.kind !== 'capture';
  const handed = isKept ? inOnePiece(mail, KEPT_MAIL) : mail;
  const { urgent } = readFairnessKey(delivery.fairnessKey);
  const request = { space: delivery.space, urgent, domain: delivery.domain };
  const envelope = { from: returnPath, to: delivery.address, id: delivery.id };
  const outcome = await provider.hand({ envelope, mail: handed, parts, request }, gate);
  // It contains sensitive data: those who may see them get it rendered again, while the data are kept.
  return { outcome, bytes: isKept && !delivery.sensitive ? mailBytes(handed) : undefined };
}
