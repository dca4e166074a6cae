import type { Outcome, Phase, TroubleScope } from './outcome.js';
import { replyText, type Reply } from './reply.js';

/** What a reply at a phase means. The first row that fits decides. */
interface VerdictRow {
  /** All phases when left out. */
  readonly phases?: readonly Phase[];
  /** Reply codes (RFC 5321 4.2), "5xx" for a class; all when left out. */
  readonly codes?: readonly string[];
  /** Enhanced status codes (RFC 3463) without their class; "3" for the whole subject; "" for a reply without any. */
  readonly enhanced?: readonly string[];
  /** What the text must hold. */
  readonly words?: RegExp;
  readonly kind: Outcome['kind'];
  readonly scope?: TroubleScope;
  readonly cause?: NonNullable<Outcome['cause']>;
  /** Why, with the clause that says so where there is one. */
  readonly because: string;
}

const SESSION: readonly Phase[] = ['connect', 'greeting', 'hello', 'secure', 'login'];
const LOGIN_WORDS = /\b(?:authenticat\w* (?:is )?(?:required|first|needed)|must (?:first )?(?:authenticate|log ?in)|not logged in)/i;
const RELAY_WORDS =
  /\brelay(?:ing)?\b.{0,40}\b(?:denied|prohibited|not (?:permitted|allowed))|\b(?:unable|not (?:permitted|allowed)) to relay\b/i;
const ACCOUNT_WORDS =
  /\b(?:daily|hourly|monthly|sending|outgoing|outbound|sender) (?:\w+ )?(?:limit|quota)|\baccount (?:is |has been )?(?:suspended|disabled|blocked) (?:from|for) sending/i;
const MAILBOX_WORDS = /\b(?:mailbox|inbox|over ?quota|quota|user is full|storage)\b/i;

/** What the replies of an SMTP server mean, by phase. Total: every reply has a row. */
export const VERDICTS: readonly VerdictRow[] = [
  {
    phases: SESSION,
    kind: 'trouble',
    scope: 'provider',
    because: 'Nothing has been said of an email yet (RFC 5321 3.1, 4.1.1.1; RFC 3207 4.1; RFC 4954 6; RFC 7504 for 521 and 554).',
  },
  {
    codes: ['530', '535', '534', '538', '524', '525', '432', '454'],
    kind: 'trouble',
    scope: 'provider',
    cause: 'authentication',
    because: 'The server wants a login or a secure connection first (RFC 4954 6, RFC 3207 4).',
  },
  {
    codes: ['4xx', '5xx'],
    words: LOGIN_WORDS,
    kind: 'trouble',
    scope: 'provider',
    cause: 'authentication',
    because: 'The same in words, with a code of its own choice.',
  },
  {
    codes: ['4xx', '5xx'],
    words: ACCOUNT_WORDS,
    kind: 'trouble',
    scope: 'provider',
    because: 'Our account with the provider is at its limit or suspended; another provider may accept the email.',
  },
  {
    codes: ['500', '502', '503', '504'],
    kind: 'trouble',
    scope: 'provider',
    because: 'The server does not know the command or its order (RFC 5321 4.2.4): the dialogue is at fault, not the recipient.',
  },
  {
    codes: ['452', '4xx'],
    enhanced: ['3.1', '3.2'],
    kind: 'trouble',
    scope: 'provider',
    because: 'The server itself is full or accepts nothing just now (RFC 3463 3.4).',
  },
  {
    phases: ['sender'],
    codes: ['552'],
    kind: 'trouble',
    scope: 'message',
    cause: 'too-large',
    because: 'The SIZE that was declared is above the limit (RFC 1870 6.1); another provider may have a higher one.',
  },
  {
    phases: ['sender'],
    codes: ['5xx'],
    enhanced: ['3.4', '2.3'],
    kind: 'trouble',
    scope: 'message',
    cause: 'too-large',
    because: 'The same by its enhanced code (RFC 3463 3.4).',
  },
  {
    phases: ['sender'],
    codes: ['555'],
    kind: 'trouble',
    scope: 'message',
    because: 'A parameter that this email needs is not accepted (RFC 5321 4.1.1.11); those it can do without were left out first.',
  },
  {
    phases: ['sender'],
    codes: ['421'],
    kind: 'trouble',
    scope: 'provider',
    because: 'The service is closing (RFC 5321 3.8).',
  },
  {
    phases: ['sender'],
    kind: 'trouble',
    scope: 'sender',
    because: 'No recipient has been named: it concerns our sender at this provider (RFC 5321 4.1.1.2).',
  },
  {
    codes: ['421'],
    kind: 'trouble',
    scope: 'domain',
    because:
      'The service is closing (RFC 5321 3.8), once the recipient was named: often a limit for that domain. A service that is closed is found at the next connection.',
  },
  {
    codes: ['4xx', '5xx'],
    words: RELAY_WORDS,
    kind: 'trouble',
    scope: 'domain',
    because: 'The server does not accept email for this domain from us; another provider may.',
  },
  {
    phases: ['recipient', 'data'],
    codes: ['555'],
    kind: 'trouble',
    scope: 'message',
    because: 'A parameter is not accepted, though we left out those that can be (RFC 5321 4.1.1.11).',
  },
  {
    codes: ['552'],
    enhanced: ['2.3', '3.4'],
    kind: 'refused',
    cause: 'too-large',
    phases: ['recipient'],
    because: 'Too large for this mailbox, by any provider (RFC 3463 3.3).',
  },
  {
    phases: ['recipient'],
    codes: ['5xx'],
    enhanced: ['2.3', '3.4'],
    kind: 'refused',
    cause: 'too-large',
    because: 'The same with another reply code.',
  },
  {
    codes: ['5xx'],
    enhanced: ['2.2'],
    kind: 'deferred',
    cause: 'mailbox-full',
    because: 'A full mailbox may be emptied (RFC 3463 3.3).',
  },
  {
    phases: ['recipient', 'data'],
    codes: ['552'],
    enhanced: ['', '0', '2.0'],
    kind: 'deferred',
    cause: 'mailbox-full',
    because: 'A 552 to RCPT is to be read as a 452 (RFC 5321 4.5.3.1.10).',
  },
  {
    phases: ['content'],
    codes: ['5xx'],
    enhanced: ['2.3'],
    kind: 'refused',
    cause: 'too-large',
    because: 'Too large for this mailbox (RFC 3463 3.3).',
  },
  {
    phases: ['content'],
    codes: ['5xx'],
    enhanced: ['3.4'],
    kind: 'trouble',
    scope: 'message',
    cause: 'too-large',
    because: 'Too large for this server (RFC 3463 3.4); another provider may accept it.',
  },
  {
    phases: ['content'],
    codes: ['552'],
    words: MAILBOX_WORDS,
    kind: 'deferred',
    cause: 'mailbox-full',
    because: 'The text names the mailbox.',
  },
  {
    phases: ['content'],
    codes: ['552'],
    enhanced: ['', '0', '3.0'],
    kind: 'trouble',
    scope: 'message',
    cause: 'too-large',
    because: 'A 552 to the content speaks of its size (RFC 1870 6.1).',
  },
  {
    phases: ['content'],
    codes: ['2xx'],
    kind: 'accepted',
    because: 'The server is responsible for the email now (RFC 5321 6.1).',
  },
  {
    codes: ['4xx'],
    kind: 'deferred',
    because: 'A transient negative completion (RFC 5321 4.2.1): this recipient, later.',
  },
  {
    codes: ['5xx'],
    kind: 'refused',
    because: 'A permanent negative completion (RFC 5321 4.2.1): this recipient, permanently.',
  },
  {
    kind: 'trouble',
    scope: 'provider',
    because: 'A positive reply where it has no meaning: the server does not keep to the dialogue (RFC 5321 4.3.2).',
  },
];

function fitsCode(code: number, codes: readonly string[]): boolean {
  return codes.includes(String(code)) || codes.includes(`${Math.floor(code / 100)}xx`);
}

function fitsEnhanced(enhanced: string | undefined, wanted: readonly string[]): boolean {
  if (enhanced === undefined) return wanted.includes('');
  const detail = enhanced.slice(2);
  return wanted.includes(detail) || wanted.includes(detail.split('.')[0] ?? '');
}

/** The row of the table for a reply at a phase. */
export function verdictRow(phase: Phase, reply: Reply): VerdictRow {
  const row = VERDICTS.find(
    ({ phases, codes, enhanced, words }) =>
      (phases === undefined || phases.includes(phase)) &&
      (codes === undefined || fitsCode(reply.code, codes)) &&
      (enhanced === undefined || fitsEnhanced(reply.enhanced, enhanced)) &&
      (words === undefined || words.test(replyText(reply))),
  );
  if (row === undefined) throw new Error('The table of verdicts has no last row.');
  return row;
}

/** What a reply to a command of an email means. */
export function verdictOf(phase: Phase, reply: Reply): Outcome {
  const { kind, scope, cause } = verdictRow(phase, reply);
  return { kind, phase, reply, ...(scope === undefined ? {} : { scope }), ...(cause === undefined ? {} : { cause }) };
}

/**
 * A connection that was lost, or a wait that took too long. Once the recipient was named, the recipient's domain may be what is slow, so only
 * what goes there is in trouble.
 */
export function lossOf(phase: Phase, reason: string): Outcome {
  const scope = phase === 'recipient' || phase === 'data' || phase === 'content' ? 'domain' : 'provider';
  return { kind: 'trouble', phase, scope, reply: undefined, reason };
}

/** Whether a refusal may be about a parameter that we added and that the email can do without (RFC 5321 4.1.1.11, RFC 3463 5.5.4). */
export function isAboutParameters({ code, enhanced }: Reply): boolean {
  if (enhanced?.slice(2) === '5.4' && code >= 500) return true;
  return code === 555 || ((code === 501 || code === 504) && enhanced?.startsWith('5.1') !== true);
}

/** Whether a refusal may be about BDAT itself, so that DATA is worth a try (RFC 3030 2). */
export function isAboutChunks({ code }: Reply): boolean {
  return code >= 500 && code <= 504;
}
