import { fieldOf, type Part } from '../mime/index.js';

/** Local parts behind which nobody reads (RFC 3834 2, RFC 2142). */
const MACHINES =
  /^(?:mailer-daemon|postmaster|no-?reply|do-?not-?reply|bounces?|owner-.*|.*-owner|.*-request|listserv|majordomo|.*-bounces?)$/;

/**
 * Why an automatic answer to this email would be wrong (RFC 3834 2, RFC 5230 4.6): nobody would read it, or it would go in circles. Undefined
 * where one may be given.
 */
export function whyNoAnswer(mail: Part, envelopeFrom: string): string | undefined {
  const value = (name: string): string => fieldOf(mail, name)?.trim().toLowerCase() ?? '';
  if (envelopeFrom === '') return 'It has no return path, so no answer is wanted.';
  const submitted = value('auto-submitted');
  if (submitted !== '' && !/^no\b/.test(submitted)) return `A program has written it (Auto-Submitted: ${submitted.slice(0, 60)}).`;
  if (value('list-id') !== '' || value('list-post') !== '') return 'It came by a mailing list.';
  const precedence = value('precedence');
  if (/^(?:bulk|list|junk)\b/.test(precedence)) return `It was sent in bulk (Precedence: ${precedence.slice(0, 20)}).`;
  if (value('list-unsubscribe') !== '' || value('feedback-id') !== '') return 'It was sent in bulk: it can be unsubscribed from.';
  if (/\b(?:all|oof|autoreply|dr|rn|nrn)\b/.test(value('x-auto-response-suppress'))) return 'Its sender asks for no automatic answer.';
  if (value('x-loop') !== '' || value('x-autoreply') !== '' || value('x-autorespond') !== '') return 'A program has written it.';
  const local = envelopeFrom.slice(0, Math.max(0, envelopeFrom.lastIndexOf('@'))).toLowerCase();
  return MACHINES.test(local) ? `Nobody reads what goes to ${local}@.` : undefined;
}

/** Servers that an email has passed (RFC 5321 6.3). */
export function hopsOf(mail: Pick<Part, 'fields'>): number {
  return mail.fields.filter(({ name }) => name === 'received').length;
}
