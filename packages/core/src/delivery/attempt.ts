import { replyText, type Outcome } from '../smtp/index.js';
import type { Cause } from './cause-table.js';
import { causeOf } from './causes.js';

/** What an attempt means for its delivery. */
export interface AttemptMeaning {
  /** `again`: another attempt follows, if any are left. */
  readonly result: 'accepted' | 'failed' | 'again';
  readonly cause: Cause | undefined;
  readonly status: string | undefined;
  readonly replyCode: number | undefined;
  readonly diagnostic: string | undefined;
}

/** Reads an outcome of a hand-over. */
export function meaningOf(outcome: Outcome): AttemptMeaning {
  const { reply } = outcome;
  const evidence = { status: reply?.enhanced, replyCode: reply?.code, diagnostic: reply === undefined ? outcome.reason : replyText(reply) };
  switch (outcome.kind) {
    case 'accepted':
      return { result: 'accepted', cause: undefined, ...evidence };
    case 'refused':
      return { result: 'failed', cause: causeOf(evidence), ...evidence };
    case 'deferred':
      return { result: 'again', cause: causeOf(evidence), ...evidence };
    case 'trouble':
    case 'uncertain':
      return { result: 'again', cause: reply === undefined ? 'unreachable' : causeOf(evidence), ...evidence };
  }
}
