import { readPayloadTemplate } from '../payload/index.js';
import type { ProfileFaults } from './faults.js';

/** A condition over an answer. It never throws. */
export type Condition = (data: Readonly<Record<string, unknown>>) => boolean;

/** Reads a condition: an expression of mail templates. @param names what it may name */
export function readCondition(
  text: string,
  names: readonly string[],
  { path, faults }: { readonly path: string; readonly faults: ProfileFaults },
): Condition {
  const known = Object.fromEntries(names.map((name) => [name, undefined]));
  const { payload, problems } = readPayloadTemplate({ $if: text, $value: true, $else: false }, path, known);
  for (const problem of problems) faults.add(path, `is not a valid condition: ${problem.message.replace(/^\$[^:]*: /, '')}`, problem.hint);
  return (data) => {
    try {
      return payload(data) === true;
    } catch {
      return false;
    }
  };
}
