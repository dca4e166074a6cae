import { FORMATS, type Format } from '../formats/index.js';
import type { Expression } from '../notation/index.js';
import { didYouMean, problem, type Problem } from '../problems/index.js';
import { fits, isNonzero, isWhole } from './kinds.js';
import { recordOf } from './loop-names.js';
import {
  either,
  FAULTY,
  inWords,
  isFaulty,
  mayBeAnything,
  NEVER,
  NUMBER,
  optional,
  present,
  TEXT,
  textOf,
  WHOLE,
  type ListMember,
  type RecordMember,
  type Type,
} from './type.js';
import { anythingHint, shown } from './wording.js';

type FormatUse = Extract<Expression, { kind: 'format' }>;

/** The arguments of a formatter in its order, those that are named among them; undefined where one is left out. */
export function argumentsOf({ name, args, named }: FormatUse): readonly (Expression | undefined)[] {
  const format = FORMATS.get(name);
  if (format === undefined || named.length === 0) return args;
  const out = format.args.map((wanted, i) => args[i] ?? named.find((arg) => arg.name === wanted.name)?.value);
  while (out.length > 0 && out[out.length - 1] === undefined) out.pop();
  return out;
}

/** Arguments that a formatter has not, has twice, or lacks. */
export function argumentFaults(format: Format, expression: FormatUse): Problem | undefined {
  const { args, named, place } = expression;
  for (const [i, { name, value }] of named.entries()) {
    const at = format.args.findIndex((wanted) => wanted.name === name);
    if (at === -1)
      return problem(
        'formatter-arguments',
        value.place,
        `"${format.name}" has no argument "${name}".`,
        didYouMean(
          name,
          format.args.map((arg) => arg.name),
        ),
      );
    if (at < args.length || named.slice(0, i).some((other) => other.name === name))
      return problem('formatter-arguments', value.place, `The argument "${name}" of "${format.name}" is given twice.`);
  }
  const given = argumentsOf(expression);
  const lacks = format.args.some((wanted, i) => wanted.optional !== true && given[i] === undefined);
  if (!lacks && args.length <= format.args.length) return undefined;
  const wanted = format.args.map((arg) => (arg.optional === true ? `[${arg.name}]` : arg.name)).join(' ');
  return problem(
    'formatter-arguments',
    place,
    `"${format.name}" takes ${wanted === '' ? 'no argument' : `the argument ${wanted}`}; ${args.length + named.length} given.`,
  );
}

/** What a formatter's result depends on. */
export interface ResultInput {
  readonly format: Format;
  readonly expression: FormatUse;
  readonly value: Type;
  readonly args: readonly (Type | undefined)[];
  /** The type of a record's field, which counts as used then. */
  readonly field: (of: Type, name: string) => Type | undefined;
}

type Result = Type | { readonly fault: Problem };

/** What a formatter gives. */
export function resultOf(input: ResultInput): Result {
  const { format, value, args } = input;
  const list = RESULTS[format.name];
  const result = list === undefined ? plainResult(format, value) : list(input, present(value), args);
  if ('fault' in result || !value.absent) return result;
  return optional(result);
}

function plainResult({ gives, givesFormat }: Format, value: Type): Type {
  switch (gives) {
    case 'whole':
      return WHOLE;
    case 'number':
      return isWhole(value) ? WHOLE : NUMBER;
    case 'duration':
      return textOf('duration');
    case 'same':
      return value.members.map((member) => textOf(fits(member, 'date') ? 'date' : 'date-time')).reduce(either, NEVER);
    case 'any':
    case 'currency':
    case 'date':
    case 'datetime':
    case 'field':
    case 'list':
    case 'moment':
    case 'phone':
    case 'text':
    case 'time':
    case 'truth':
    case 'unit':
    case 'zone':
    default:
      return givesFormat === undefined ? TEXT : textOf(givesFormat);
  }
}

function listOf(of: Type, least: number): Type {
  return { absent: false, members: [{ kind: 'list', of: () => of, at: () => of, least }] };
}

function listsIn(value: Type): readonly ListMember[] {
  return value.members.filter((member) => member.kind === 'list');
}

function entryOf(value: Type): Type {
  return listsIn(value)
    .map((list) => list.of())
    .reduce(either, NEVER);
}

function leastOf(value: Type): number {
  const lists = listsIn(value);
  return lists.length === 0 ? 0 : Math.min(...lists.map((list) => list.least));
}

/** The text that an argument is written as. */
function written(expression: Expression | undefined): string | undefined {
  return expression?.kind === 'literal' && typeof expression.value === 'string' ? expression.value : undefined;
}

function number(expression: Expression | undefined): number | undefined {
  return expression?.kind === 'literal' && typeof expression.value === 'number' ? expression.value : undefined;
}

/** The type of a field of a list's entries, by its path; of the entries themselves where no path is given. */
function fieldOf({ expression, format, field }: ResultInput, entry: Type, given: Expression | undefined): Result {
  if (given === undefined) return entry;
  const path = written(given);
  if (path === undefined)
    return {
      fault: problem(
        'formatter-field',
        given.place,
        `"${format.name}" takes the name of a field, written out.`,
        `For example ${format.name} "name".`,
      ),
    };
  let at = entry;
  for (const name of path.split('.')) {
    if (isFaulty(at)) return FAULTY;
    if (mayBeAnything(at))
      return {
        fault: problem(
          'formatter-field',
          given.place,
          `The entries of "${shown(expression.value)}" may be anything here.`,
          anythingHint(at),
        ),
      };
    const found = field(at, name);
    if (found === undefined) {
      const names = at.members.flatMap((member) => (member.kind === 'record' ? member.names : []));
      const what = names.length === 0 ? `are ${inWords(present(at))}; they have no fields.` : `have no field "${name}".`;
      return {
        fault: problem('unknown-field', given.place, `The entries of "${shown(expression.value)}" ${what}`, didYouMean(name, names)),
      };
    }
    at = found;
  }
  return at;
}

/** Why values cannot be put in an order, or told to be the same. */
function unordered({ expression, format }: ResultInput, type: Type, given: Expression | undefined): Problem | undefined {
  if (isFaulty(type)) return undefined;
  const fine = type.members.every((member) => member.kind === 'text' || member.kind === 'number' || member.kind === 'truth');
  const kinds = new Set(type.members.map((member) => member.kind));
  if (fine && kinds.size <= 1) return undefined;
  const name = given === undefined ? 'the entries' : `"${written(given) ?? ''}"`;
  return problem(
    'formatter-type',
    (given ?? expression).place,
    `"${format.name}" compares texts or numbers; ${name} of "${shown(expression.value)}" ${given === undefined ? 'are' : 'is'} ${inWords(type)}.`,
    anythingHint(type) ?? (given === undefined ? `Name a field: ${format.name} "name".` : undefined),
  );
}

function ordered(input: ResultInput, value: Type, least: (of: number) => number): Result {
  const [given] = argumentsOf(input.expression);
  const entry = entryOf(value);
  const by = fieldOf(input, entry, given);
  if ('fault' in by) return by;
  const fault = unordered(input, by, given);
  return fault === undefined ? listOf(entry, least(leastOf(value))) : { fault };
}

function filtered(input: ResultInput, value: Type): Result {
  const [given, sign, wanted] = argumentsOf(input.expression);
  const entry = entryOf(value);
  const by = fieldOf(input, entry, given);
  if ('fault' in by) return by;
  if (sign === undefined) return listOf(withField(entry, written(given) ?? ''), 0);
  if (wanted === undefined)
    return {
      fault: problem('formatter-arguments', sign.place, 'This test has nothing to compare with.', 'For example where "kind" = "adult".'),
    };
  const with_ = input.args[2] ?? FAULTY;
  const fault = unordered(input, by, given);
  if (fault !== undefined) return { fault };
  if (isFaulty(with_) || isFaulty(by)) return listOf(entry, 0);
  const kinds = new Set([...by.members, ...with_.members].map((member) => member.kind));
  if (kinds.size > 1 || kinds.has('list') || kinds.has('record') || kinds.has('any'))
    return {
      fault: problem(
        'comparison-type',
        wanted.place,
        `"${written(given) ?? ''}" is ${inWords(present(by))}, and this is ${inWords(present(with_))}: they cannot be compared.`,
      ),
    };
  return listOf(entry, 0);
}

/** Records of which one field is known to be there. */
function withField(entry: Type, name: string): Type {
  const members = entry.members.map((member) => {
    if (member.kind !== 'record') return member;
    const narrowed: RecordMember = {
      ...member,
      field: (wanted) => {
        const found = member.field(wanted);
        return found !== undefined && wanted === name ? { ...found, type: present(found.type), nullable: false, optional: false } : found;
      },
    };
    return narrowed;
  });
  return { absent: false, members };
}

function summed(input: ResultInput, value: Type): Result {
  const [given, same] = argumentsOf(input.expression);
  const entry = entryOf(value);
  const of = fieldOf(input, entry, given);
  if ('fault' in of) return of;
  const alike = same === undefined ? undefined : fieldOf(input, entry, same);
  if (alike !== undefined && 'fault' in alike) return alike;
  if (isFaulty(of)) return FAULTY;
  const name = given === undefined ? `The entries of "${shown(input.expression.value)}"` : `"${written(given) ?? ''}"`;
  if (of.absent || !of.members.every((member) => member.kind === 'number'))
    return {
      fault: problem(
        'formatter-type',
        (given ?? input.expression).place,
        `"sum" adds numbers; ${name} ${given === undefined ? 'are' : 'is'} ${inWords(of)}.`,
        of.absent && given !== undefined
          ? `Leave out the entries without it: ${shown(input.expression.value)} | where "${written(given) ?? ''}" | sum "${written(given) ?? ''}".`
          : anythingHint(of),
      ),
    };
  const type = isWhole(of) ? WHOLE : NUMBER;
  return alike === undefined ? type : optional(type);
}

function divided(input: ResultInput, args: readonly (Type | undefined)[]): Result {
  const [by] = args;
  if (by === undefined || isFaulty(by)) return listOf(WHOLE, 0);
  if (!by.absent && isWhole(by)) return listOf(WHOLE, 1);
  const weights = entryOf(by);
  if (
    !by.absent &&
    listsIn(by).length === by.members.length &&
    !weights.absent &&
    weights.members.every((member) => member.kind === 'number')
  )
    return listOf(WHOLE, leastOf(by));
  const given = argumentsOf(input.expression)[0] ?? input.expression;
  return {
    fault: problem(
      'formatter-type',
      given.place,
      `"split" divides by a whole number or by a list of numbers; this is ${inWords(by)}.`,
      anythingHint(by),
    ),
  };
}

type Rule = (input: ResultInput, value: Type, args: readonly (Type | undefined)[]) => Result;

const both: Rule = (_input, value, [other]) => (isWhole(value) && other !== undefined && isWhole(other) ? WHOLE : NUMBER);

/** Formatters whose result follows from what they are given. */
const RESULTS: Readonly<Record<string, Rule>> = {
  sort: (input, value) => ordered(input, value, (least) => least),
  unique: (input, value) => ordered(input, value, (least) => Math.min(1, least)),
  where: filtered,
  pick: (input, value) => {
    const of = fieldOf(input, entryOf(value), argumentsOf(input.expression)[0]);
    return 'fault' in of ? of : listOf(of, leastOf(value));
  },
  first: (input, value) => listOf(entryOf(value), Math.min(leastOf(value), number(argumentsOf(input.expression)[0]) ?? 0)),
  last: (input, value) => listOf(entryOf(value), Math.min(leastOf(value), number(argumentsOf(input.expression)[0]) ?? 0)),
  slice: (_input, value) => listOf(entryOf(value), 0),
  reverse: (_input, value) => listOf(entryOf(value), leastOf(value)),
  group: (input, value) => {
    const [given] = argumentsOf(input.expression);
    const entry = entryOf(value);
    const key = fieldOf(input, entry, given);
    if ('fault' in key) return key;
    const fault = unordered(input, key, given);
    if (fault !== undefined) return { fault };
    const group: Type = { absent: false, members: [recordOf({ key, entries: listOf(entry, 1) })] };
    return listOf(group, Math.min(1, leastOf(value)));
  },
  sum: summed,
  split: (input, _value, args) => divided(input, args),
  round: (input, value) => {
    const [digits] = argumentsOf(input.expression);
    return isWhole(value) || digits === undefined || number(digits) === 0 ? WHOLE : NUMBER;
  },
  min: both,
  max: both,
  difference: both,
  over: (_input, _value, [by]) => (by !== undefined && isNonzero(by) ? WHOLE : optional(WHOLE)),
};
