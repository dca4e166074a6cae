import type { SignalView } from '@verbalis/client';
import { color } from '../style.js';

type State = SignalView['rules'][number]['state'];

/** What a rule made of a signal: its sign, colour and meaning. */
export const RULE_STATES: Readonly<Record<State, { readonly sign: string; readonly color: string; readonly means: string }>> = {
  waiting: { sign: '…', color: color.mark, means: 'its email is due later' },
  sent: { sign: '●', color: color.good, means: 'there is a message' },
  canceled: { sign: '–', color: color.soft, means: 'canceled before it was due' },
  limited: { sign: '–', color: color.wait, means: 'its recipients had as many as the rule allows' },
  refused: { sign: '✕', color: color.bad, means: 'no email could be made from it' },
  ignored: { sign: '–', color: color.soft, means: 'the test of the rule does not hold' },
};
