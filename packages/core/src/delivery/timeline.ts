import { causeRow } from './causes.js';
import type { Fact, State } from './fact.js';
import { deciding, stateOf } from './state.js';

export interface DeliveryHistory {
  readonly address: string;
  readonly createdAt: number;
  readonly facts: readonly (Fact & { readonly provider?: string | undefined })[];
  /** When the next attempt is due, for a delivery that waits. */
  readonly nextAttemptAt: number | undefined;
}

export interface DeliveryDescription {
  /** How it ended or why it waits, in one sentence. */
  readonly sentence: string;
  /** What to do about it; undefined when nothing is. */
  readonly advice: string | undefined;
}

const ENDINGS: Readonly<Record<State, (address: string) => string>> = {
  queued: (address) => `The email to ${address} waits to be sent.`,
  delayed: (address) => `The email to ${address} is delayed`,
  accepted: (address) => `The provider accepted the email to ${address}; nothing has been reported about the mailbox yet.`,
  delivered: (address) => `The email reached the mailbox of ${address}.`,
  failed: (address) => `The email to ${address} could not be delivered`,
  complained: (address) => `${address} received the email and reported it as unwanted.`,
  withheld: (address) => `The email to ${address} was not sent`,
  expired: (address) => `The email to ${address} was not sent because its deadline had passed.`,
  canceled: (address) => `The email to ${address} was canceled before it was sent.`,
};

/** Describes a delivery in words: "did she get it, and if not, why?" */
export function describeDelivery(input: DeliveryHistory): DeliveryDescription {
  const fact = deciding(input.facts);
  const state = stateOf(input.facts);
  const start = ENDINGS[state](input.address);
  if (state === 'withheld')
    return {
      sentence: `${start}. ${fact?.diagnostic ?? 'The address must not get it.'}`,
      advice: 'Remove the suppression if the address is right and wants the email.',
    };
  if (state !== 'failed' && state !== 'delayed') return { sentence: start, advice: undefined };
  const row = fact?.cause === undefined ? undefined : causeRow(fact.cause);
  const late = state === 'failed' && input.facts.some(({ kind }) => kind === 'accepted') ? ', after the provider had accepted it' : '';
  const again = state === 'delayed' && input.nextAttemptAt !== undefined ? ' It is retried automatically.' : '';
  return { sentence: `${start}${late}: ${row?.sentence ?? 'no reason was given'}.${again}`, advice: row?.advice };
}
