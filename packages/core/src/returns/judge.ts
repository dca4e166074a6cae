import { readCause, type Cause } from '../delivery/index.js';
import type { PhraseBook } from '../phrases/index.js';
import { wordsOf, type ProseOutcome } from './outcome.js';
import type { Mention, Prose } from './prose.js';
import { isGenericStatus, readQuoted, type Quoted } from './quoted.js';

export type Action = 'failed' | 'delayed' | 'delivered' | 'relayed' | 'expanded';

/** What a report says of one recipient (RFC 3464 2.3). */
export interface RecipientReport {
  readonly address: string;
  readonly action: Action;
  /** RFC 3463: the report's own, or the quoted one where that says more. */
  readonly status: string | undefined;
  /** RFC 5321: that of the server that refused. */
  readonly replyCode: number | undefined;
  readonly cause: Cause;
  /** How the cause was found out. */
  readonly evidence: string;
  readonly confidence: 'sure' | 'likely' | 'guess';
  /** Whether the last word of the other side was a permanent failure; an email may have failed without it. */
  readonly permanent: boolean;
  /** What the other side said, on one line. */
  readonly diagnostic: string | undefined;
}

const WORDS: readonly (readonly [RegExp, Action])[] = [
  [/^(?:fail|bounce|reject|undeliver|error|permanent)/, 'failed'],
  [/^(?:delay|defer|warn|transient|temporar|retry)/, 'delayed'],
  [/^(?:deliver|success|ok)/, 'delivered'],
  [/^(?:relay|forward)/, 'relayed'],
  [/^expand/, 'expanded'],
];

export function readAction(value: string | undefined): Action | undefined {
  const word = value?.trim().toLowerCase() ?? '';
  return WORDS.find(([pattern]) => pattern.test(word))?.[1];
}

/** What is known of a recipient before it is judged. */
export interface Evidence {
  readonly address: string;
  readonly action: Action | undefined;
  readonly fieldStatus: string | undefined;
  /** The report's field, where it has one. */
  readonly diagnostic: string | undefined;
  readonly mention: Mention | undefined;
}

/** What the mail says as a whole, for recipients without details. */
export interface Setting {
  readonly book: PhraseBook;
  readonly prose: Prose;
  readonly subject: string;
  /** Whether only one recipient is reported on, so that everything in the report is about it. */
  readonly single: boolean;
}

/** How much a status says: only its class, its subject too, or all. */
function detailOf(status: string): number {
  return /\.0\.0$/.test(status) ? 0 : isGenericStatus(status) ? 1 : 2;
}

function pickStatus(field: string | undefined, quoted: string | undefined): string | undefined {
  if (field === undefined || quoted === undefined) return field ?? quoted;
  // The quoted reply says what a shortened or generic status does not.
  if (isGenericStatus(field) && (detailOf(quoted) > detailOf(field) || quoted.charAt(0) !== field.charAt(0))) return quoted;
  return field;
}

export function says(quoted: Quoted | undefined): boolean {
  return quoted !== undefined && (quoted.replyCode !== undefined || (quoted.status !== undefined && !isGenericStatus(quoted.status)));
}

/** A name server that did not answer may do so another time. */
const NO_NAMES = /try again|temporary failure|server failure|servfail|timed out/i;
/** Given up after days of temporary answers: that is why it failed, and not the last of them. */
const EXPIRED = { cause: 'expired', evidence: 'given up after a while', confidence: 'likely' } as const;
/** What says more of a mailbox than that it took too long. */
const OWN_TROUBLE: ReadonlySet<Cause> = new Set<Cause>(['mailbox-full', 'mailbox-disabled', 'mailbox-unknown', 'domain-unknown']);
const TEMPORARY: ReadonlySet<Cause> = new Set<Cause>(['expired', 'unreachable']);

export function judge(evidence: Evidence, { prose, subject, single, book }: Setting): RecipientReport {
  const { mention } = evidence;
  const own = evidence.diagnostic === undefined || evidence.diagnostic.trim() === '' ? undefined : readQuoted(evidence.diagnostic);
  const told = mention === undefined || mention.reason.trim() === '' ? undefined : readQuoted(mention.reason);
  const heard = single || mention !== undefined ? prose.transcript : undefined;
  // The first that quotes a code; without any, the first that says something.
  const quoted = [own, told, single ? heard : undefined].find(says) ?? own ?? told ?? (single ? heard : undefined);
  const status = pickStatus(evidence.fieldStatus, quoted?.status);
  const diagnostic = own?.text ?? quoted?.text;
  const words = [...new Set([own?.text, quoted?.text, own === undefined || !says(own) ? told?.text : undefined])]
    .filter(Boolean)
    .join('\n');
  const action = actionOf(evidence, status, { prose, subject, single, book });
  const reply = readCause({ status, replyCode: quoted?.replyCode, diagnostic: words }, book);
  const { ranOut } = wordsOf(words, book);
  const isUp = action === 'failed' && quoted?.replyCode !== undefined && quoted.replyCode < 500 && (ranOut || (single && prose.ranOut));
  const { cause, evidence: found, confidence } = isUp && !OWN_TROUBLE.has(reply.cause) ? EXPIRED : reply;
  const good = action === 'delivered' || action === 'relayed' || action === 'expanded';
  const replyClass = quoted?.replyCode === undefined ? quoted?.status?.charAt(0) : String(quoted.replyCode).charAt(0);
  // A generic code in the report does not contradict a more specific cause.
  const timedOut = replyClass === undefined && (ranOut || (cause === 'unroutable' && NO_NAMES.test(words)));
  const lasting =
    replyClass === '5' ? cause !== 'expired' : replyClass !== '4' && status?.startsWith('4') !== true && !TEMPORARY.has(cause) && !timedOut;
  return {
    address: evidence.address,
    action,
    status,
    replyCode: quoted?.replyCode,
    cause: good ? 'other' : cause,
    evidence: good ? '' : found,
    confidence,
    permanent: action === 'failed' && lasting,
    diagnostic,
  };
}

function actionOf({ action, mention }: Evidence, status: string | undefined, { prose, subject, single, book }: Setting): Action {
  const outcome: ProseOutcome | undefined = mention?.outcome ?? (single ? prose.outcome : undefined);
  if (action === 'delayed') {
    const nearby = `${subject}\n${mention?.reason ?? ''}`;
    const over =
      outcome === 'delayed'
        ? wordsOf(mention?.reason ?? '', book).isGivenUp
        : wordsOf(nearby, book).isGivenUp || (prose.givenUp && outcome !== undefined) || status?.startsWith('5') === true;
    return over ? 'failed' : 'delayed';
  }
  if (action !== undefined) return action;
  if (status?.startsWith('2') === true) return outcome === 'relayed' ? 'relayed' : 'delivered';
  if (status?.startsWith('4') === true) return outcome ?? 'delayed';
  return status?.startsWith('5') === true ? 'failed' : (outcome ?? 'failed');
}
