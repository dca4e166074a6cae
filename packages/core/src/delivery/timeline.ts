import { causeRow } from './causes.js';
import type { Fact } from './fact.js';
import { deciding, stateOf } from './state.js';
import { STATE_TABLE } from './states.js';

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

/** Describes a delivery in words: "did she get it, and if not, why?" */
export function describeDelivery(input: DeliveryHistory): DeliveryDescription {
  const fact = deciding(input.facts);
  const state = stateOf(input.facts);
  const start = STATE_TABLE[state].sentence(input.address);
  if (state === 'withheld')
    return {
      sentence: `${start}. ${fact?.diagnostic ?? 'The address must not get it.'}`,
      advice: fact?.cause === 'rate' ? causeRow('rate').advice : 'Remove the suppression if the address is right and wants the email.',
    };
  if (state !== 'failed' && state !== 'delayed') return { sentence: start, advice: undefined };
  const row = fact?.cause === undefined ? undefined : causeRow(fact.cause);
  const late = state === 'failed' && input.facts.some(({ kind }) => kind === 'accepted') ? ', after the provider had accepted it' : '';
  const again = state === 'delayed' && input.nextAttemptAt !== undefined ? ' It is retried automatically.' : '';
  return { sentence: `${start}${late}: ${row?.sentence ?? 'no reason was given'}.${again}`, advice: row?.advice };
}
