import type { DomainRecord, DomainView } from '@verbalis/client';
import { StateText } from '../parts/basics.js';
import { color } from '../style.js';
import { inNumber, type Words } from '../words.js';

/** The state of a domain or a record: its sign, colour and words; never colour alone. */
const STATES: Readonly<Record<DomainView['state'] | DomainRecord['state'], Words>> = {
  right: ['✓', color.good, 'Right'],
  open: ['✕', color.bad, 'Needs attention'],
  wrong: ['✕', color.bad, 'Wrong'],
  missing: ['✕', color.bad, 'Missing'],
  unknown: ['?', color.wait, 'No answer'],
  unchecked: ['…', color.soft, 'Not checked yet'],
};

export function DomainState({ state }: { readonly state: DomainView['state'] | DomainRecord['state'] }) {
  const [sign, hue, words] = STATES[state];
  return (
    <StateText $color={hue} data-sign={sign}>
      {words}
    </StateText>
  );
}

/** What needs work by a person comes first. */
export function attentionFirst(records: readonly DomainRecord[]): DomainRecord[] {
  const isOpen = ({ state }: DomainRecord): boolean => state === 'wrong' || state === 'missing';
  return [...records.filter(isOpen), ...records.filter((record) => !isOpen(record))];
}

/** How many of its required records need work by a person. */
export function summaryOf({ records, state }: DomainView): string {
  const required = records.filter((record) => record.required);
  const open = required.filter((record) => record.state === 'wrong' || record.state === 'missing').length;
  if (state === 'right') return 'All records are right.';
  if (state === 'unchecked') return `${inNumber(required.length, 'record')} to publish; the name servers have not been asked yet.`;
  if (open === 0) return 'The name servers did not answer for all records; they are asked again.';
  return `${open} of ${inNumber(required.length, 'record')} ${open === 1 ? 'needs' : 'need'} attention.`;
}
