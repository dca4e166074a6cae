export const CAUSES = [
  'mailbox-unknown',
  'mailbox-disabled',
  'mailbox-full',
  'domain-unknown',
  'unroutable',
  'address-syntax',
  'policy',
  'reputation',
  'content',
  'authentication',
  'too-large',
  'rate-or-greylist',
  'unreachable',
  'expired',
  'loop',
  'system',
  'other',
] as const;
export type Cause = (typeof CAUSES)[number];

export interface CauseRow {
  readonly cause: Cause;
  /** Enhanced status codes (RFC 3463, and RFC 7372 and 7505) without their class, "1.1" for 4.1.1 and 5.1.1. */
  readonly codes: readonly string[];
  /** Words of a diagnostic that say it whatever the code; lower case, looked for as they stand. */
  readonly words: readonly string[];
  /** Whether it suppresses the address: at once, after several over days, or never. */
  readonly suppresses: 'at-once' | 'after-several' | 'never';
  /** For people: completes "… could not be delivered: …". */
  readonly sentence: string;
  readonly advice: string;
}

/** Every cause: how it is recognised and what it means. The first row whose words match wins; then the code decides. */
export const CAUSE_TABLE: readonly CauseRow[] = [
  {
    cause: 'mailbox-full',
    codes: ['2.2'],
    suppresses: 'after-several',
    words: [
      'mailbox full',
      'mailbox is full',
      'over quota',
      'quota exceeded',
      'exceeded quota',
      'exceeds quota',
      'insufficient storage',
      'not enough space',
      'boîte pleine',
      'postfach voll',
      'buzón lleno',
    ],
    sentence: 'the mailbox is full',
    advice: 'It may be emptied; another mail is worth a try in some days.',
  },
  {
    cause: 'rate-or-greylist',
    codes: [],
    suppresses: 'never',
    words: [
      'greylist',
      'graylist',
      'greylisted',
      'try again later',
      'rate limit',
      'too many messages',
      'too many connections',
      'throttl',
      'sending too fast',
      'temporarily deferred',
    ],
    sentence: 'the server asked to try again later',
    advice: 'Nothing: Verbalis tries again by itself.',
  },
  {
    cause: 'mailbox-unknown',
    codes: ['1.1', '1.6', '2.4'],
    suppresses: 'at-once',
    words: [
      'user unknown',
      'unknown user',
      'no such user',
      'no such mailbox',
      'no such recipient',
      'no such address',
      'mailbox not found',
      'mailbox unavailable',
      'recipient unknown',
      'unknown recipient',
      'unknown local part',
      'does not exist',
      "doesn't exist",
      'user not found',
      'recipient not found',
      'address unknown',
      'invalid recipient',
      'invalid mailbox',
      'recipient address rejected: undeliverable',
      'not a valid mailbox',
      'unrouteable mailbox',
      'no mailbox here',
      'utilisateur inconnu',
      'destinataire inconnu',
      'unbekannter empfänger',
      'benutzer unbekannt',
      'usuario desconocido',
    ],
    sentence: 'there is no such mailbox',
    advice: 'Ask for the right address.',
  },
  {
    cause: 'mailbox-disabled',
    codes: ['2.1'],
    suppresses: 'at-once',
    words: [
      'mailbox disabled',
      'account disabled',
      'account is disabled',
      'account has been disabled',
      'mailbox is inactive',
      'account inactive',
      'account suspended',
      'account closed',
      'no longer in use',
      'no longer accepts',
    ],
    sentence: 'the mailbox is closed or disabled',
    advice: 'Ask for another address.',
  },
  {
    cause: 'domain-unknown',
    codes: ['1.2', '1.10'],
    suppresses: 'at-once',
    words: [
      'domain not found',
      'host not found',
      'name or service not known',
      'no such domain',
      'unknown host',
      'unknown domain',
      'domain does not exist',
      'nxdomain',
      'null mx',
      'does not accept mail',
    ],
    sentence: 'the domain of the address does not exist or takes no mail',
    advice: 'Look for a slip of the hand in the domain.',
  },
  {
    cause: 'address-syntax',
    codes: ['1.3', '1.7', '1.8'],
    suppresses: 'at-once',
    words: ['bad address syntax', 'invalid address', 'malformed address', 'address syntax'],
    sentence: 'the address is not well formed',
    advice: 'Correct the address where it comes from.',
  },
  {
    cause: 'too-large',
    codes: ['3.4', '2.3'],
    suppresses: 'never',
    words: [
      'message too large',
      'message too big',
      'message size exceeds',
      'exceeds size limit',
      'size limit exceeded',
      'message is too large',
    ],
    sentence: 'the mail is larger than the server takes',
    advice: 'Link to large files instead of attaching them.',
  },
  {
    cause: 'loop',
    codes: ['4.6'],
    suppresses: 'never',
    words: ['mail loop', 'loops back to myself', 'too many hops', 'hop count exceeded', 'routing loop'],
    sentence: 'the mail was going round in circles between servers',
    advice: 'The recipient’s server is set up wrongly; tell its owner.',
  },
  {
    cause: 'authentication',
    codes: ['7.8', '7.20', '7.21', '7.22', '7.23', '7.24', '7.26', '7.27'],
    suppresses: 'never',
    words: [
      'dmarc',
      'dkim',
      'spf ',
      'spf:',
      'sender policy framework',
      'unauthenticated',
      'authentication required',
      'authentication failed',
    ],
    sentence: 'the server could not verify that the mail is really yours',
    advice: 'Check the DNS records of the sending domain (SPF, DKIM, DMARC).',
  },
  {
    cause: 'reputation',
    codes: ['7.25'],
    suppresses: 'never',
    words: [
      'blocklist',
      'blacklist',
      'block list',
      'black list',
      'listed by',
      'listed at',
      'poor reputation',
      'bad reputation',
      'low reputation',
      'ip address is blocked',
    ],
    sentence: 'the server does not trust the sending server',
    advice: 'Look at the provider’s standing; more mail of the same kind makes it worse.',
  },
  {
    cause: 'content',
    codes: ['6.0', '6.1', '6.2', '6.3', '6.5', '7.17'],
    suppresses: 'never',
    words: ['spam', 'junk', 'virus', 'malware', 'phishing', 'content rejected', 'message content', 'unsolicited'],
    sentence: 'the server minded what the mail says or carries',
    advice: 'Look at the mail as it was sent, its links above all.',
  },
  {
    cause: 'expired',
    codes: ['4.7'],
    suppresses: 'after-several',
    words: ['delivery time expired', 'retry timeout exceeded', 'message expired', 'time in queue exceeded', 'too old'],
    sentence: 'the server gave up after trying for too long',
    advice: 'The recipient’s server was out of reach; try again later.',
  },
  {
    cause: 'unroutable',
    codes: ['4.4', '4.3', '1.0'],
    suppresses: 'never',
    words: [
      'relay access denied',
      'relaying denied',
      'unable to route',
      'unrouteable address',
      'no route to',
      'not permitted to relay',
      'relay not permitted',
      'unable to verify destination',
    ],
    sentence: 'no server could be found that takes mail for this address',
    advice: 'Check the address and the provider’s route.',
  },
  {
    cause: 'unreachable',
    codes: ['4.1', '4.2', '4.0'],
    suppresses: 'after-several',
    words: [
      'connection refused',
      'connection timed out',
      'timed out',
      'network is unreachable',
      'no route to host',
      'could not connect',
      'connection reset',
      'lost connection',
    ],
    sentence: 'the server could not be reached',
    advice: 'Nothing: it is tried again for a while.',
  },
  {
    cause: 'policy',
    codes: ['7.0', '7.1', '7.2', '7.3', '7.7', '7.13'],
    suppresses: 'never',
    words: ['policy', 'access denied', 'not authorized', 'not allowed', 'prohibited', 'administratively'],
    sentence: 'the server’s rules forbid this mail',
    advice: 'Read what the server said; its owner can lift the rule.',
  },
  {
    cause: 'system',
    codes: ['3.0', '3.1', '3.2', '3.3', '3.5', '5.1', '5.2', '5.4', '5.6'],
    suppresses: 'never',
    words: ['internal error', 'system error', 'local error', 'server error', 'configuration error', 'service unavailable', 'shutting down'],
    sentence: 'the server has a fault of its own',
    advice: 'Nothing: it is tried again where that makes sense.',
  },
  {
    cause: 'other',
    codes: ['0.0', '5.0', '2.0'],
    suppresses: 'never',
    words: [],
    sentence: 'the server gave no reason that is known',
    advice: 'Read what the server said.',
  },
];

const BY_CAUSE = new Map(CAUSE_TABLE.map((row) => [row.cause, row]));

export function causeRow(cause: Cause): CauseRow {
  const row = BY_CAUSE.get(cause);
  if (row === undefined) throw new Error(`No row for the cause ${cause}.`);
  return row;
}

export interface CauseEvidence {
  readonly status: string | undefined;
  readonly replyCode: number | undefined;
  readonly diagnostic: string | undefined;
}

// Codes that say something of their own; others are what servers write when they do not want to say more.
const GENERIC = new Set(['0.0', '1.0', '2.0', '4.0', '4.4', '5.0', '7.0', '7.1', '5.4', '3.0', '6.0']);

/**
 * Why a mail was not taken. An exact enhanced code decides; a generic one or none gives way to the words of the diagnostic;
 * then the generic code, then the reply code.
 */
export function causeOf(evidence: CauseEvidence): Cause {
  const detail = evidence.status?.slice(2);
  const byCode = CAUSE_TABLE.find((row) => detail !== undefined && row.codes.includes(detail));
  const text = (evidence.diagnostic ?? '').toLowerCase().slice(0, 4096);
  const byWords = CAUSE_TABLE.find((row) => row.words.some((word) => text.includes(word)));
  if (byCode !== undefined && detail !== undefined && !GENERIC.has(detail)) return byCode.cause;
  if (byWords !== undefined) return byWords.cause;
  if (evidence.status?.startsWith('4.7') === true) return 'rate-or-greylist';
  if (byCode !== undefined && byCode.cause !== 'other') return byCode.cause;
  switch (evidence.replyCode) {
    case 421:
    case 450:
    case 451:
      return 'rate-or-greylist';
    case 452:
    case 552:
      return 'mailbox-full';
    case 550:
      return evidence.status === undefined ? 'mailbox-unknown' : 'other';
    case 551:
      return 'unroutable';
    case 553:
      return 'address-syntax';
    default:
      return 'other';
  }
}
