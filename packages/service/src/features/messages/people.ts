import { addressText, isFault, parseMailbox, type Mailbox } from '@verbalis/core/mime';
import type { LoadedEdition } from '../editions/index.js';
import { invalid, Refusal, type RequestProblem } from '../../kernel/index.js';
import type { SpaceRules } from '../spaces/index.js';
import type { MailboxRequest } from './model.js';

/** As it is in the records. */
export function stored(mailbox: Mailbox): { name: string; address: string } {
  return { name: mailbox.name, address: addressText(mailbox) };
}

/** Addresses as an app names them, each once. */
export function recipients(wanted: readonly MailboxRequest[], field: string, most: number, problems: RequestProblem[]): Mailbox[] {
  const out: Mailbox[] = [];
  if (wanted.length > most) problems.push({ path: field, message: `has ${wanted.length} recipients, more than ${most}` });
  wanted.slice(0, most).forEach((person, i) => {
    const path = `${field}[${i}]`;
    const parsed = parseMailbox(typeof person === 'string' ? person : person.address);
    if (isFault(parsed)) {
      problems.push({ path: typeof person === 'string' ? path : `${path}.address`, message: parsed.fault, hint: parsed.hint });
      return;
    }
    const name = typeof person === 'string' ? parsed.name : (person.name ?? parsed.name);
    if (/[\u0000-\u001F\u007F]/.test(name)) {
      problems.push({
        path: typeof person === 'string' ? path : `${path}.name`,
        message: 'holds a line break or control character',
        hint: 'A name stands on one line.',
      });
      return;
    }
    if (out.some((other) => addressText(other) === addressText(parsed))) {
      problems.push({ path, message: `names ${addressText(parsed)} a second time` });
      return;
    }
    out.push({ ...parsed, name });
  });
  return out;
}

/** One address of the configuration, or none. */
export function mailboxOf(written: string | undefined): Mailbox[] {
  const parsed = written === undefined ? undefined : parseMailbox(written);
  return parsed === undefined || isFault(parsed) ? [] : [parsed];
}

interface SenderSources {
  readonly edition: LoadedEdition;
  /** The template's. */
  readonly own: string | undefined;
  readonly rules: SpaceRules;
  /** The message's. */
  readonly asked: MailboxRequest | undefined;
  /** Among the senders that were added to the space. */
  readonly added: (address: string) => { readonly name: string } | undefined;
}

/** Who writes: the message's own word within the space's domains and senders, then the template's, the space's, the mail folder's. */
export function senderOf({ edition, own, rules, asked, added }: SenderSources): Mailbox {
  const written = own ?? rules.sender ?? edition.project.settings.sender;
  const named = (mailbox: Mailbox): Mailbox =>
    mailbox.name === '' ? { ...mailbox, name: added(addressText(mailbox))?.name ?? '' } : mailbox;
  const parsed = written === undefined ? undefined : parseMailbox(written);
  if (asked !== undefined) {
    const problems: RequestProblem[] = [];
    const [wanted] = recipients([asked], 'from', 1, problems);
    if (wanted === undefined) throw invalid(problems.map((problem) => ({ ...problem, path: problem.path.replace('from[0]', 'from') })));
    const usual = parsed === undefined || isFault(parsed) ? [] : [parsed.domain];
    const allowed = [...new Set([...usual, ...rules.senderDomains])];
    if (!allowed.includes(wanted.domain) && added(addressText(wanted)) === undefined) {
      const hint = `Allowed: ${allowed.join(', ') || 'none'}. More are set as senderDomains of the space in verbalis.yaml, or one by one: verbalis senders add ADDRESS.`;
      throw invalid([{ path: 'from', message: `names the domain ${wanted.domain}, which this space may not send as`, hint }]);
    }
    return named(wanted);
  }
  if (parsed === undefined || isFault(parsed)) {
    throw new Refusal(409, 'no-sender', 'No sender is set', {
      detail:
        parsed === undefined ? 'Neither the space nor the mail folder names a sender.' : `The sender "${written ?? ''}" ${parsed.fault}.`,
      hint: 'Set sender: Name <address> in mail.yaml or for the space in verbalis.yaml.',
    });
  }
  return named(parsed);
}
