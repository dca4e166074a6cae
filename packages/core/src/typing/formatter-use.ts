import { CURRENCIES, skeletonOptions, TEXT_KINDS, UNITS, type Format, type FormatArgument, type ValueKind } from '../formats/index.js';
import type { Expression } from '../notation/index.js';
import { didYouMean, problem, type Problem } from '../problems/index.js';
import { fits, FORMAT_OF } from './kinds.js';
import { inWords, present, type Type } from './type.js';
import { anythingHint, shown } from './wording.js';

const KIND_WORDS: Readonly<Record<ValueKind, string>> = {
  text: 'a text',
  number: 'a number',
  whole: 'a whole number',
  truth: 'true or false',
  date: 'a date',
  datetime: 'a date with time',
  time: 'a time',
  duration: 'a duration',
  currency: 'a currency code (ISO 4217)',
  phone: 'an international phone number (E.164)',
  unit: 'a unit (ECMA-402)',
  zone: 'a time zone (IANA)',
  moment: 'a date or a date with time',
  field: 'the name of a field',
  same: 'the same',
  list: 'a list',
  any: 'anything',
};

const CODES: Readonly<Record<string, readonly string[]>> = { currency: CURRENCIES, unit: UNITS };

/** Why a formatter cannot take a value. */
export function valueFault(format: Format, expression: Extract<Expression, { kind: 'format' }>, value: Type): Problem | undefined {
  if (!value.members.every((member) => format.takes.some((kind) => fits(member, kind)))) return unfit(format, expression, value);
  for (const member of value.members) {
    if (member.kind !== 'list' || format.entries === undefined) continue;
    const entries = member.of();
    if (entries.absent || !entries.members.every((entry) => format.entries?.some((kind) => fits(entry, kind)) ?? true))
      return problem(
        'formatter-type',
        expression.place,
        `"${format.name}" takes a list of ${format.entries.map((kind) => KIND_WORDS[kind].replace(/^a /, '') + 's').join(' or ')}; the entries of "${shown(expression.value)}" are ${inWords(entries)}.`,
        'Go through the list with ":::each".',
      );
  }
  return undefined;
}

function unfit(format: Format, expression: Extract<Expression, { kind: 'format' }>, value: Type): Problem {
  const wanted = format.takes.map((kind) => KIND_WORDS[kind]).join(' or ');
  const asserted = format.takes.map((kind) => FORMAT_OF[kind]).filter((name) => name !== undefined);
  const float = format.takes.includes('whole') && value.members.some((member) => member.kind === 'number' && !member.whole);
  const hint =
    anythingHint(value) ??
    (format.name === 'money' && float
      ? 'Give amounts in minor units (cents) as "type": "integer": 12.50 is 1250. Fractions of a cent cannot be shown.'
      : asserted.length > 0 && value.members.some((member) => member.kind === 'text')
        ? `Give the field "format": ${asserted.map((text) => `"${text}"`).join(' or ')} in the data schema.`
        : undefined);
  return problem(
    'formatter-type',
    expression.place,
    `"${format.name}" formats ${wanted}; "${shown(expression.value)}" is ${inWords(present(value))}.`,
    hint,
  );
}

/** An argument that a formatter is given. */
export interface ArgumentUse {
  readonly formatter: string;
  readonly wanted: FormatArgument;
  readonly given: Expression;
  readonly type: Type;
}

/** Why an argument cannot be taken. */
export function argumentFault(use: ArgumentUse): Problem | undefined {
  const { formatter, wanted, given, type } = use;
  if (!type.members.every((member) => fits(member, wanted.kind))) return kindFault(use);
  const values = valuesOf(type);
  if (wanted.choices !== undefined) {
    const isKnown = type.members.every((member) => 'values' in member && member.values !== undefined);
    const wrong = isKnown ? values.find((value) => !wanted.choices?.includes(String(value))) : undefined;
    const isSkeleton = wanted.skeleton !== undefined && typeof wrong === 'string' && skeletonOptions(wrong, wanted.skeleton) !== undefined;
    if (isKnown && (wrong === undefined || isSkeleton)) return undefined;
    return problem(
      'formatter-choice',
      given.place,
      isKnown
        ? `"${formatter}" has no ${wanted.name} ${JSON.stringify(wrong)}.`
        : `The argument "${wanted.name}" of "${formatter}" is one of its words.`,
      isKnown ? didYouMean(String(wrong), wanted.choices) : `One of: ${wanted.choices.join(', ')}.`,
    );
  }
  if (wanted.range !== undefined) {
    const [least, most] = wanted.range;
    const wrong = values.find((value) => typeof value === 'number' && (value < least || value > most));
    if (wrong !== undefined)
      return problem('formatter-range', given.place, `The argument "${wanted.name}" of "${formatter}" goes from ${least} to ${most}.`);
  }
  return undefined;
}

/** An argument of another kind; where its values are known, the wrong one is named. */
function kindFault({ formatter, wanted, given, type }: ArgumentUse): Problem {
  const format = FORMAT_OF[wanted.kind];
  const is = format === undefined ? undefined : TEXT_KINDS[format]?.is;
  const isKnown = type.members.every((member) => 'values' in member && member.values !== undefined);
  const wrong = isKnown && is !== undefined ? valuesOf(type).find((value) => typeof value !== 'string' || !is(value)) : undefined;
  return problem(
    'formatter-type',
    given.place,
    wrong === undefined
      ? `The argument "${wanted.name}" of "${formatter}" must be ${KIND_WORDS[wanted.kind]}; this is ${inWords(present(type))}.`
      : `The argument "${wanted.name}" of "${formatter}" must be ${KIND_WORDS[wanted.kind]}; ${JSON.stringify(wrong)} is none.`,
    wrong !== undefined && typeof wrong === 'string' && format !== undefined
      ? didYouMean(wrong, CODES[format] ?? [])
      : format === undefined
        ? anythingHint(type)
        : `Give the field "format": "${format}" in the data schema, or list its values in "enum".`,
  );
}

function valuesOf(type: Type): unknown[] {
  return type.members.flatMap((member): readonly unknown[] => ('values' in member ? (member.values ?? []) : []));
}
