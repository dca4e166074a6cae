import { fieldOf, partsOf, partText, type Part } from '../mime/index.js';
import type { PhraseBook } from '../phrases/index.js';
import { textOfHtml } from '../program/text-of-html.js';
import { bounceScore } from './kinds.js';
import { addressesIn, originalIn, type Original } from './original.js';

/** Bytes of text that are looked at. */
export const MOST_TEXT = 256 * 1024;

function isLeaf(part: Part): boolean {
  return part.parts.length === 0 && !part.type.startsWith('multipart/');
}

export function bounded(part: Part): string {
  return partText(part.body.byteLength > MOST_TEXT ? { ...part, body: part.body.subarray(0, MOST_TEXT) } : part);
}

const STATUS_TYPES = new Set(['message/delivery-status', 'message/global-delivery-status']);

/** Whether a part holds the fields of a report, whatever it is called. */
function holdsStatus(part: Part): boolean {
  if (!isLeaf(part) || part.type === 'text/html' || part.body.byteLength > MOST_TEXT) return false;
  const text = bounded(part);
  return /^(?:Final|Original)-Recipient[ \t]{0,8}:/im.test(text) && /^(?:Action|Status)[ \t]{0,8}:/im.test(text);
}

export function proseOf(parts: readonly Part[]): string {
  const plain = parts.filter((part) => part.type === 'text/plain' || (part.type.startsWith('text/') && part.type !== 'text/html'));
  const text = plain.map(bounded).join('\n\n');
  if (text.trim() !== '') return text;
  return parts
    .filter((part) => part.type === 'text/html')
    .map((part) => textOfHtml(bounded(part)))
    .join('\n\n');
}

/** The parts of a returned mail by what they are for. */
interface ReturnParts {
  readonly status: readonly Part[];
  /** A read receipt (RFC 8098). */
  readonly receipt: Part | undefined;
  /** A complaint (RFC 5965). */
  readonly feedback: Part | undefined;
  /** The mail that came back, or its header. */
  readonly original: Original | undefined;
  /** What is written for people. */
  readonly prose: readonly Part[];
}

export function sortParts(mail: Part, book: PhraseBook): ReturnParts {
  const parts = [...partsOf(mail)];
  const leaves = parts.filter(isLeaf);
  const reports = parts.filter((part) => STATUS_TYPES.has(part.type));
  const isReport = mail.type === 'multipart/report' || parts.some((part) => part.type === 'multipart/report');
  const disguised =
    reports.length > 0
      ? []
      : leaves.filter(
          (part) =>
            holdsStatus(part) &&
            (isReport || part.type !== 'text/plain' || bounceScore(mail, { tellsFate: true, quotesReply: false, book }) >= 3),
        );
  const status = reports.length > 0 ? reports : disguised.slice(0, 1);
  const receipt = parts.find((part) => part.type === 'message/disposition-notification');
  const feedback =
    parts.find((part) => part.type === 'message/feedback-report') ??
    (reportType(mail) === 'feedback-report' ? leaves.find((part) => /^Feedback-Type[ \t]{0,8}:/im.test(bounded(part))) : undefined);
  const special = [...status, receipt, feedback].filter((part) => part !== undefined);
  const texts = leaves.filter(
    (part) => part.type.startsWith('text/') && !/^text\/(?:rfc822-headers|calendar)$/.test(part.type) && !special.includes(part),
  );
  const original: Original | undefined = originalIn(parts, [...special, ...texts.slice(0, 1), mail]);
  return { status, receipt, feedback, original, prose: texts.filter((part, i) => i === 0 || !looksReturned(part, original)) };
}

export function reportType(mail: Part): string | undefined {
  return mail.parameters['report-type']?.toLowerCase();
}

/** Addresses that a report does not complain about: ours, and those that send reports. */
export function innocent(mail: Part, envelopeTo: string | undefined, original: Original | undefined): (address: string) => boolean {
  const fields = ['to', 'from', 'sender', 'reply-to', 'delivered-to', 'x-original-to'];
  const ours = new Set(
    [envelopeTo, ...fields.flatMap((name) => addressesIn(fieldOf(mail, name))), ...senderOf(original)]
      .filter((address) => address !== undefined)
      .map((address) => address.toLowerCase()),
  );
  return (address) => ours.has(address.toLowerCase()) || /^(?:postmaster|mailer-daemon|abuse|hostmaster)@/i.test(address);
}

/** Whether a text is the returned mail (or its header), and not what the report says. */
function looksReturned(part: Part, original: Original | undefined): boolean {
  if (original === undefined) return false;
  return /^\s{0,40}(?:>?From [^\n]{0,200}\n)?(?:Return-Path|Received|Message-ID|From|Date|Subject|To|DKIM-Signature|MIME-Version|X-[\w-]{1,60})[ \t]{0,8}:/i.test(
    bounded(part),
  );
}

/** Who had sent the mail that came back: nobody that a report names as failed. */
function senderOf(original: Original | undefined): string[] {
  if (original === undefined) return [];
  const to = addressesIn(fieldOf(original, 'to')).map((text) => text.toLowerCase());
  return ['from', 'sender', 'return-path', 'reply-to']
    .flatMap((name) => addressesIn(fieldOf(original, name)))
    .filter((text) => !to.includes(text.toLowerCase()));
}
