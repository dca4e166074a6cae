import { addressOf, groupsOf, type Group } from './groups.js';

/** What a feedback report says (RFC 5965, with the fields of RFC 6591). */
export interface Feedback {
  /** "abuse", "fraud", "virus", "not-spam", "auth-failure", "opt-out" …; small letters. */
  readonly type: string;
  /** Addresses that got the mail, if the report names them. */
  readonly recipients: readonly string[];
  /** The return path of the mail that is meant. */
  readonly mailFrom: string | undefined;
  readonly envelopeId: string | undefined;
}

/**
 * Types of complaints (RFC 5965, 7.3), and what some call them. Others inform of something else: that a program found a
 * virus, that a signature did not hold (RFC 6591), that the recipient unsubscribed, or that it was no spam.
 */
const COMPLAINTS = new Set(['abuse', 'fraud', 'spam', 'complaint', 'phishing', 'junk']);

export function isComplaint(type: string): boolean {
  return COMPLAINTS.has(type);
}

/** Reads the fields of a message/feedback-report; repeated ones (several recipients) are all taken. */
export function readFeedback(bytes: Uint8Array): Feedback | undefined {
  const groups = groupsOf(bytes);
  const first = (name: string): string | undefined => groups.map((group: Group) => group.get(name)).find((value) => value !== undefined);
  const type = first('feedback-type')
    ?.trim()
    .toLowerCase()
    .split(/[\s;(]/)[0];
  if (type === undefined || type === '') return undefined;
  const text = Buffer.from(bytes.buffer, bytes.byteOffset, Math.min(bytes.byteLength, 64 * 1024)).toString('latin1');
  const recipients = [...text.matchAll(/^(?:Original-Rcpt-To|Removal-Recipient)[ \t]{0,20}:([^\r\n]{1,500})/gim)]
    .map((match) => addressOf(match[1]))
    .filter((address) => address?.includes('@') === true)
    .map((address) => address ?? '');
  return {
    type,
    recipients: [...new Set(recipients)],
    mailFrom: addressOf(first('original-mail-from')),
    envelopeId: first('original-envelope-id')?.trim(),
  };
}
