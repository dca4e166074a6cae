import { causeRow } from './causes.js';
import type { Fact, State } from './fact.js';
import { deciding, stateOf } from './state.js';

export interface StoryInput {
  readonly address: string;
  readonly createdAt: number;
  readonly facts: readonly (Fact & { readonly provider?: string | undefined })[];
  /** When the next attempt is due, for a delivery that waits. */
  readonly nextAttemptAt: number | undefined;
}

export interface Story {
  /** What became of it, in one sentence. */
  readonly sentence: string;
  /** What to do about it; undefined when nothing is. */
  readonly advice: string | undefined;
}

const ENDINGS: Readonly<Record<State, (address: string) => string>> = {
  queued: (address) => `The mail to ${address} waits to be handed over.`,
  delayed: (address) => `The mail to ${address} is put off`,
  accepted: (address) => `The mail to ${address} was taken by the provider; whether the mailbox has it has not been reported.`,
  delivered: (address) => `The mail reached the mailbox of ${address}.`,
  failed: (address) => `The mail to ${address} could not be delivered`,
  complained: (address) => `${address} got the mail and reported it as unwanted.`,
  withheld: (address) => `The mail to ${address} was not sent, since the address must not get it.`,
  expired: (address) => `The mail to ${address} was not sent, since its deadline had passed.`,
  canceled: (address) => `The mail to ${address} was called back before it was sent.`,
};

/** Tells a delivery in words: "did she get it, and if not, why?" */
export function tell(input: StoryInput): Story {
  const fact = deciding(input.facts);
  const state = stateOf(input.facts);
  const start = ENDINGS[state](input.address);
  if (state === 'withheld')
    return {
      sentence: `${start.replace(/, since .*$/, '.')} ${fact?.diagnostic ?? ''}`.trim(),
      advice: 'Lift the suppression if the address is right and wants the mail.',
    };
  if (state !== 'failed' && state !== 'delayed') return { sentence: start, advice: undefined };
  const row = fact?.cause === undefined ? undefined : causeRow(fact.cause);
  const late = state === 'failed' && input.facts.some((one) => one.kind === 'accepted') ? ', after the provider had taken it' : '';
  const again = state === 'delayed' && input.nextAttemptAt !== undefined ? ' It is tried again by itself.' : '';
  return { sentence: `${start}${late}: ${row?.sentence ?? 'no reason was given'}.${again}`, advice: row?.advice };
}
