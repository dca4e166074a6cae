import type { Outcome, TroubleScope } from '../smtp/index.js';
import { causeRow, readCause } from './causes.js';

interface HttpVerdictRow {
  /** "4xx" for a class; all when left out. */
  readonly statuses?: readonly string[];
  readonly kind: Outcome['kind'];
  readonly scope?: TroubleScope;
  readonly cause?: NonNullable<Outcome['cause']>;
  /** Why, with the clause that says so where there is one. */
  readonly because: string;
}

/** What the status of an HTTP mail API means, unless its profile says otherwise. Total: the first row that fits decides. */
export const HTTP_VERDICTS: readonly HttpVerdictRow[] = [
  { statuses: ['2xx'], kind: 'accepted', because: 'The request was received and accepted (RFC 9110 15.3).' },
  {
    statuses: ['401', '407'],
    kind: 'trouble',
    scope: 'provider',
    cause: 'authentication',
    because: 'The key is not valid (RFC 9110 15.5.2).',
  },
  {
    statuses: ['403'],
    kind: 'trouble',
    scope: 'sender',
    because: 'The key may not send this, most often for its sender (RFC 9110 15.5.4).',
  },
  { statuses: ['402', '429'], kind: 'trouble', scope: 'provider', because: 'Our account is at its limit (RFC 6585 4).' },
  {
    statuses: ['408', '425', '503', '507'],
    kind: 'trouble',
    scope: 'provider',
    because: 'The server did not handle the request and says so (RFC 9110 15.5.9, 15.6.4; RFC 8470 5.2).',
  },
  {
    statuses: ['1xx', '3xx', '404', '405', '421', '501', '505'],
    kind: 'trouble',
    scope: 'provider',
    because: 'The address or the method is wrong, or the server is not the one for it (RFC 9110 15.4, 15.5.5, 15.5.6).',
  },
  { statuses: ['409'], kind: 'deferred', because: 'Another request for the same email is under way (RFC 9110 15.5.10).' },
  {
    statuses: ['413'],
    kind: 'rejected',
    cause: 'too-large',
    because: 'The request is too large for this provider (RFC 9110 15.5.14).',
  },
  { statuses: ['4xx'], kind: 'rejected', because: 'The request is at fault, not the recipient (RFC 9110 15.5).' },
  {
    kind: 'uncertain',
    because: 'The server failed while it handled the request (RFC 9110 15.6): it may have accepted the email before.',
  },
];

/** What a status means by the table. */
export function httpVerdictRow(status: number): HttpVerdictRow {
  const keys = [String(status), `${Math.floor(status / 100)}xx`];
  const row = HTTP_VERDICTS.find(({ statuses }) => statuses === undefined || keys.some((key) => statuses.includes(key)));
  if (row === undefined) throw new Error('The table of HTTP verdicts has no last row.');
  return row;
}

/** Whether the text of a rejection speaks of the recipient's mailbox, so that it is a refusal of the recipient. */
export function namesRecipient(text: string, status: string | undefined): boolean {
  const { cause, confidence } = readCause({ status, replyCode: undefined, diagnostic: text });
  return confidence === 'sure' && causeRow(cause).suppresses !== 'never';
}
