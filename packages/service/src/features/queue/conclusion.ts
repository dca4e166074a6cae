import { meaningOf, waitAfter, type RetryPlan } from '@verbalis/core/delivery';
import type { Outcome } from '@verbalis/core/smtp';
import { unfitOf } from './choice.js';
import { ownFact, type DeliveryRow, type HeldAttempt, type NewFact, type NextAttempt } from '../messages/index.js';

/** What is known of an attempt that has ended. */
export interface EndedHandOver {
  readonly outcome: Outcome;
  readonly delivery: DeliveryRow;
  readonly attempt: HeldAttempt;
  /** How many attempts before this one counted towards the limit. */
  readonly counted: number;
  /** Whether a provider of the route is left that is not known to be unfit, given those that are. */
  readonly hasFit: (unfit: readonly string[]) => boolean;
  /** Whether it must stay with the provider that may have it. */
  readonly isBound: boolean;
  /** Whether another provider can be asked now. */
  readonly hasOther: boolean;
  readonly retries: RetryPlan;
  /** After so long without a provider that accepts it a delivery is given up, in milliseconds. */
  readonly giveUpMs: number;
  /** From 0 to 1. */
  readonly random: number;
  /** In milliseconds since the epoch. */
  readonly now: number;
}

/** What follows for the delivery. */
export interface Conclusion {
  /** Undefined where no recipient is at fault: the state stays as it is. */
  readonly fact: NewFact | undefined;
  readonly next: NextAttempt;
  /** Why the email waits in quarantine: no provider accepts it, by our fault. */
  readonly held: string | undefined;
  /** How long until the next attempt, in milliseconds; for the log. */
  readonly waitMs: number | undefined;
}

/** How soon a delivery is offered again when a provider is in trouble; how long it then waits is up to the provider's breaker. */
const TROUBLE_MS = 1000;
const LEAST_REPEAT_MS = 1000;

/** While a provider knows the request again, repeating it is safe: it is repeated several times in that time. In milliseconds. */
function repeatWait({ outcome: { kind, repeatableMs }, delivery: { unsettledAt }, now }: EndedHandOver): number {
  if (kind !== 'uncertain' || repeatableMs === undefined) return Number.POSITIVE_INFINITY;
  const left = (unsettledAt ?? now) + repeatableMs - now;
  return left > 0 ? Math.max(LEAST_REPEAT_MS, left / 4) : Number.POSITIVE_INFINITY;
}

function givenUp({ delivery, outcome, now }: EndedHandOver, waitedMs: number): NewFact {
  const hours = Math.floor(waitedMs / 3_600_000);
  const diagnostic = `No provider has accepted it for ${hours} hours: ${meaningOf(outcome).diagnostic ?? 'no answer'}`;
  return ownFact({ id: `expired:${delivery.id}`, deliveryId: delivery.id, kind: 'expired', cause: 'expired', at: now, diagnostic });
}

/** What an outcome means for its delivery (see "Whose fault was it?" in docs/send.md). */
export function conclusionOf(ended: EndedHandOver): Conclusion {
  const { outcome, delivery, attempt, counted, hasFit, isBound, hasOther, retries, giveUpMs, random, now } = ended;
  const meaning = meaningOf(outcome);
  const { cause, status, replyCode, diagnostic } = meaning;
  const { provider } = attempt;
  const known = unfitOf(delivery);
  const factOf = (kind: 'accepted' | 'failed' | 'delayed'): NewFact => ({
    id: `${attempt.id}:${kind}`,
    deliveryId: delivery.id,
    kind,
    source: 'attempt',
    at: now,
    cause,
    status,
    replyCode,
    diagnostic,
  });
  const done = (kind: 'accepted' | 'failed', unsettled?: string): Conclusion => ({
    fact: factOf(kind),
    next: { at: undefined, unfit: known, unsettled },
    held: undefined,
    waitMs: undefined,
  });
  /** A deadline that comes before the next attempt is looked at when it comes. */
  const after = (waitMs: number, next: Omit<NextAttempt, 'at'>, fact: NewFact | undefined): Conclusion => ({
    fact,
    next: { unfit: known, ...next, at: Math.min(now + waitMs, delivery.expiresAt ?? Number.POSITIVE_INFINITY) },
    held: undefined,
    waitMs,
  });
  switch (meaning.result) {
    case 'accepted':
    case 'failed':
      return done(meaning.result);
    case 'again': {
      const unsettled = outcome.kind === 'uncertain' ? provider : undefined;
      const usual = waitAfter(retries, counted + 1, cause, random);
      const wait = usual === undefined ? undefined : Math.min(usual, repeatWait(ended));
      // A server that says when to come again is believed, if it is later than we would.
      return wait === undefined
        ? done('failed', unsettled)
        : after(Math.max(wait, outcome.retryAfterMs ?? 0), { unsettled }, factOf('delayed'));
    }
    case 'waiting': {
      const waited = now - (delivery.notBefore ?? delivery.createdAt);
      if (waited >= giveUpMs)
        return { fact: givenUp(ended, waited), next: { at: undefined, unfit: known }, held: undefined, waitMs: undefined };
      return after(hasOther ? 0 : TROUBLE_MS * (0.5 + random), { avoid: provider }, undefined);
    }
    case 'elsewhere': {
      const unfit = [...new Set([...known, provider])];
      if (!isBound && hasFit(unfit)) return after(0, { unfit }, undefined);
      if (outcome.kind === 'trouble') return done('failed');
      return {
        fact: factOf('delayed'),
        next: { at: undefined, unfit: [] },
        held: diagnostic ?? 'The request was rejected.',
        waitMs: undefined,
      };
    }
  }
}
