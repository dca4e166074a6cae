import type { Expression } from '../notation/index.js';
import { didYouMean, problem, type Problem } from '../problems/index.js';
import type { SayUse } from '../strings/index.js';
import { fits, isFormatted } from './kinds.js';
import { FAULTY, inWords, isFaulty, type Type } from './type.js';
import { anythingHint, shown } from './wording.js';

/** What makes a value fit where a text of strings/ uses it. */
const SAY_HINTS: Readonly<Partial<Record<SayUse, string>>> = {
  date: 'Give the field "format": "date-time" (or "date") in the data schema.',
  link: 'Give the field "format": "uri" in the data schema, or write the address.',
};

/** Short texts of the mail folder, as far as types need them. */
export interface SayTypes {
  readonly keys: Iterable<string>;
  /** The values that the text of this key takes, each with its uses in any locale; undefined when there is no such key. */
  readonly names: (key: string) => ReadonlyMap<string, ReadonlySet<SayUse>> | undefined;
  /** Whether the text of this key has emphasis or links. */
  readonly isRich: (key: string) => boolean;
}

type Say = Extract<Expression, { kind: 'say' }>;

/** What is wrong with a use of a text of strings/. @param types those of its values, in their order */
export function sayFaults(
  expression: Say,
  types: readonly Type[],
  say: SayTypes | undefined,
  { isInserted }: { readonly isInserted: boolean },
): Problem[] {
  const { key, values, place } = expression;
  const uses = say?.names(key);
  if (uses === undefined)
    return [problem('unknown-string', place, `There is no string "${key}" in strings/.`, didYouMean(key, say?.keys ?? []))];
  const out: Problem[] = [];
  if (say?.isRich(key) === true && !isInserted)
    out.push(
      problem(
        'say-here',
        place,
        `The text of "${key}" has emphasis or links, which only running text can have.`,
        'Insert it on its own: {{ say "…" }}, in a paragraph, a list or a cell.',
      ),
    );
  for (const [i, { name, value }] of values.entries()) {
    const type = types[i] ?? FAULTY;
    if (!type.absent && !isFaulty(type)) for (const use of uses.get(name) ?? []) out.push(...valueFaults(key, { name, use, value, type }));
  }
  const given = values.map(({ name }) => name);
  for (const name of uses.keys())
    if (!given.includes(name))
      out.push(problem('string-value', place, `The string "${key}" needs a value for "${name}".`, `Write {{ say "${key}" ${name}=… }}.`));
  for (const name of given)
    if (!uses.has(name)) out.push(problem('string-value', place, `The string "${key}" takes no "${name}".`, didYouMean(name, uses.keys())));
  return out;
}

interface ValueUse {
  readonly name: string;
  readonly use: SayUse;
  readonly value: Expression;
  readonly type: Type;
}

const WANTED: Readonly<Record<SayUse, string>> = {
  link: 'an address',
  number: 'a number',
  date: 'a date',
  text: 'a text or a number',
  choice: 'a text, a number, or true or false',
};

function valueFaults(key: string, { name, use, value, type }: ValueUse): Problem[] {
  const fine = type.members.every((member) => {
    if (use === 'number') return member.kind === 'number';
    if (use === 'link')
      return member.kind === 'text' && (member.values !== undefined || isFormatted(member, 'uri') || isFormatted(member, 'uri-reference'));
    if (use === 'date') return fits(member, 'date') || fits(member, 'datetime');
    return member.kind === 'text' || member.kind === 'number' || (use === 'choice' && member.kind === 'truth');
  });
  if (fine) return [];
  return [
    problem(
      'string-value-type',
      value.place,
      `The string "${key}" takes ${WANTED[use]} for "${name}"; "${shown(value)}" is ${inWords(type)}.`,
      anythingHint(type) ?? SAY_HINTS[use],
    ),
  ];
}
