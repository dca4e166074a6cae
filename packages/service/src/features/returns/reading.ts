import { createHash } from 'node:crypto';
import { fieldOf, readMail } from '@verbalis/core/mime';
import type { PhraseBook } from '@verbalis/core/phrases';
import { fingerprintOf, readReturn, type ReturnReading } from '@verbalis/core/returns';

/** What a return says, as far as its bytes tell. */
export interface ReadReturn {
  readonly reading: ReturnReading;
  readonly fingerprint: string;
  /** Its own date, in milliseconds since the epoch; undefined where it has none that can be read. */
  readonly sentAt: number | undefined;
  readonly subject: string | undefined;
  readonly from: string | undefined;
  /** Servers that it has passed. */
  readonly hops: number;
}

/** What is known of a return before it is read. */
export interface IncomingContext {
  /** Empty where nobody knows. */
  readonly envelopeTo: string;
  /** Address of the delivery whose return path it was sent to. */
  readonly recipient: string | undefined;
  readonly book: PhraseBook;
}

/** Enough for the header of any mail, in bytes. */
const HEADER_BYTES = 64 * 1024;

/** Reads a return. Pure, so that it can be read in another thread. */
export function readIncoming(bytes: Uint8Array, { envelopeTo, recipient, book }: IncomingContext): ReadReturn {
  const mail = readMail(bytes.subarray(0, HEADER_BYTES));
  const sent = Date.parse(fieldOf(mail, 'date') ?? '');
  return {
    reading: readReturn(bytes, { envelopeTo: envelopeTo === '' ? undefined : envelopeTo, recipient, book }),
    fingerprint: fingerprintOf(bytes),
    sentAt: Number.isNaN(sent) ? undefined : sent,
    subject: fieldOf(mail, 'subject')?.slice(0, 1000),
    from: fieldOf(mail, 'from')?.slice(0, 300),
    hops: mail.fields.filter(({ name }) => name === 'received').length,
  };
}

/** What tells a return from every other: its bytes and whom it was sent to. */
export function hashOf(bytes: Uint8Array, envelopeTo: string): string {
  return createHash('sha256').update(`${envelopeTo.toLowerCase()}\0`).update(bytes).digest('hex');
}
