import type { Cause } from '../smtp/index.js';

/** Waits in milliseconds. `first` doubles (times `growth`) up to `most`; after `attempts` tries a delivery has failed. */
export interface RetryRule {
  readonly first: number;
  readonly growth: number;
  readonly most: number;
}

export interface RetryPlan {
  readonly usual: RetryRule;
  readonly byCause: Partial<Readonly<Record<Cause, RetryRule>>>;
  readonly attempts: number;
}

const SECOND = 1000;
const MINUTE = 60 * SECOND;
const HOUR = 60 * MINUTE;

/** The last of 24 attempts is about 2.1 days after the first; 1.5 days for greylisting, 10.6 days for a full mailbox. */
export const USUAL_RETRIES: RetryPlan = {
  usual: { first: 5 * SECOND, growth: 2, most: 4 * HOUR },
  byCause: {
    'rate-or-greylist': { first: 5 * MINUTE, growth: 1.5, most: 2 * HOUR },
    'mailbox-full': { first: 2 * HOUR, growth: 2, most: 12 * HOUR },
  },
  attempts: 24,
};

/**
 * How long to wait after the `made`-th attempt (from 1), in milliseconds; undefined when no other follows.
 * @param random from 0 to 1: spreads the waits by a quarter, so that emails deferred together do not come back together
 */
export function waitAfter(plan: RetryPlan, made: number, cause: Cause | undefined, random: number): number | undefined {
  if (made >= plan.attempts) return undefined;
  const rule = (cause === undefined ? undefined : plan.byCause[cause]) ?? plan.usual;
  const wait = Math.min(rule.most, rule.first * rule.growth ** (made - 1));
  return Math.round(wait * (1 + (random - 0.5) / 2));
}
