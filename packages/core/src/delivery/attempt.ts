import { replyText, type Outcome } from '../smtp/index.js';
import type { Cause } from '../smtp/index.js';
import { causeOf } from './causes.js';

/** What an attempt means for its delivery. */
export interface AttemptMeaning {
  /**
   * - `again`: the recipient is tried again, if any attempts are left.
   * - `elsewhere`: this provider cannot accept the email; another may.
   * - `waiting`: no recipient is at fault; the delivery waits for a provider, and the attempt does not count.
   */
  readonly result: 'accepted' | 'failed' | 'again' | 'elsewhere' | 'waiting';
  readonly cause: Cause | undefined;
  readonly status: string | undefined;
  readonly replyCode: number | undefined;
  readonly diagnostic: string | undefined;
}

/** Reads an outcome of a hand-over. */
export function meaningOf(outcome: Outcome): AttemptMeaning {
  const { reply } = outcome;
  // The status of an HTTP answer is no reply code of SMTP: 422 is not "later", and 450 not a full mailbox.
  const replyCode = outcome.phase === 'answer' ? undefined : reply?.code;
  const evidence = { status: reply?.enhanced, replyCode, diagnostic: reply === undefined ? outcome.reason : replyText(reply) };
  if (outcome.kind === 'accepted') return { result: 'accepted', cause: undefined, ...evidence };
  const cause = outcome.cause ?? (reply === undefined ? undefined : causeOf(evidence));
  switch (outcome.kind) {
    case 'refused':
      return { result: 'failed', cause: cause ?? causeOf(evidence), ...evidence };
    case 'deferred':
      return { result: 'again', cause: cause ?? causeOf(evidence), ...evidence };
    case 'rejected':
      return { result: 'elsewhere', cause: outcome.cause ?? 'system', ...evidence };
    case 'trouble':
      return outcome.scope === 'message'
        ? { result: 'elsewhere', cause: cause ?? 'system', ...evidence }
        : { result: 'waiting', cause: cause ?? 'unreachable', ...evidence };
    case 'uncertain':
      return { result: 'again', cause: cause ?? 'unreachable', ...evidence };
  }
}
