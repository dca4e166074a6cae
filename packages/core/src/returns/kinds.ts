import { fieldOf, type Part } from '../mime/index.js';
import { plainWords, type PhraseBook } from '../phrases/index.js';

/** What an email that came back is, where it is no report of a standard. */

const DAEMON =
  /^(?:mailer-?daemon|mail-?daemon|postmaster|mail-?delivery|mdaemon|double-bounce|mail(?:er)?system|bounce[a-z-]*|maildelivery|delivery-?(?:status|system|failure)|mailerdaemon|autobounce|ndr)\b/i;
const DAEMON_NAME =
  /mail delivery|delivery (?:sub)?system|mailer[ -]?daemon|postmaster|mail administrator|mail system|mail router|delivery status|returned mail|undeliver/i;
/** Local parts of desks: what they send of themselves is a receipt. */
const DESK =
  /^(?:support|help|helpdesk|service|services|servicedesk|info|kontakt|contact|contacto|ticket|tickets|kundenservice|hilfe|aide|ayuda|desk|office|notification|notifications)\b/i;
const MACHINE =
  /^(?:no-?reply|do-?not-?reply|noreply|auto|vacation|listserv|majordomo|mailman|.{1,40}-request|.{1,40}-bounces|.{1,40}-owner)\b/i;
/** What a program numbers. */
const NUMBERED = /[#№[(]\s?[A-Z]{0,6}[-#: ]?\d{3,}|\b[A-Z]{2,6}-\d{3,}\b/;

const localOf = (mail: Part): string => /([^\s<>"@,;:]{1,64})@/.exec(raw(mail, 'from'))?.[1] ?? '';

function raw(mail: Part, name: string): string {
  return fieldOf(mail, name)?.trim() ?? '';
}

/** Signs that an email was written by a delivery system about a delivery, from 0 up; 4 and more are enough. */
export function bounceScore(
  mail: Part,
  { tellsFate, quotesReply, book }: { readonly tellsFate: boolean; readonly quotesReply: boolean; readonly book: PhraseBook },
): number {
  const from = raw(mail, 'from');
  const local = /([^\s<>"@,;:]{1,64})@/.exec(from)?.[1] ?? from;
  let score = 0;
  if (DAEMON.test(local.replace(/^"/, ''))) score += 2;
  else if (DAEMON_NAME.test(from)) score += 2;
  if (/^<\s*>$/.test(raw(mail, 'return-path')) || raw(mail, 'x-failed-recipients') !== '') score += 2;
  if (book.says(plainWords(raw(mail, 'subject'))).has('bounceSubject')) score += 2;
  if (/^multipart\/report/i.test(mail.type)) score += 1;
  if (tellsFate) score += 1;
  if (quotesReply) score += 2;
  if (isAutoReply(mail, '', book)) score -= 3;
  if (/^\s*(?:re|aw|sv|antw|vs|fwd?|wg|tr|rv|i|r)\s*:/i.test(raw(mail, 'subject'))) score -= 3;
  if (raw(mail, 'list-id') !== '' || raw(mail, 'list-unsubscribe') !== '') score -= 2;
  return score;
}

/**
 * An answer that no person wrote (RFC 3834, and the marks that came before it): an absence, a ticket that was opened, the answer of a mailing list;
 * a request to prove that the sender is a person is one too.
 */
export function isAutoReply(mail: Part, text: string, { says }: PhraseBook): boolean {
  const submitted = raw(mail, 'auto-submitted').toLowerCase();
  const subject = says(plainWords(raw(mail, 'subject')));
  const marked =
    raw(mail, 'x-autoreply') !== '' ||
    raw(mail, 'x-autorespond') !== '' ||
    raw(mail, 'x-auto-reply') !== '' ||
    raw(mail, 'x-autoreply-from') !== '' ||
    /auto_reply|auto-reply/i.test(raw(mail, 'precedence')) ||
    /auto_?reply|out of office|vacation/i.test(raw(mail, 'x-mailer'));
  if (marked || subject.has('autoSubject')) return true;
  if (text === '') return false;
  const start = says(plainWords(text.slice(0, 4000)));
  const isAway = start.has('away');
  const isNoted = start.has('noted') || subject.has('noted');
  const isChallenge = start.has('challenge');
  if (isAway && subject.has('awaySubject')) return true;
  if (submitted !== '' && !submitted.startsWith('no')) return submitted.startsWith('auto-replied') || isAway || isNoted || isChallenge;
  const local = localOf(mail);
  const isOfMachine = MACHINE.test(local) || /bulk|junk|list/i.test(raw(mail, 'precedence')) || /^<\s*>$/.test(raw(mail, 'return-path'));
  if (isOfMachine) return isAway || isNoted || isChallenge || subject.has('challenge');
  // A desk's receipt has a number; a person behind that address has not.
  return DESK.test(local) && isNoted && NUMBERED.test(`${raw(mail, 'subject')} ${text.slice(0, 4000)}`);
}
