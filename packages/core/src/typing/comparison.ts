import type { Expression } from '../notation/index.js';
import { didYouMean, problem, type Problem } from '../problems/index.js';
import { hasFormat, momentsOf } from './kinds.js';
import { inWords, mayEqual, present, type Type } from './type.js';
import { anythingHint, shown } from './wording.js';

type Comparison = Extract<Expression, { kind: 'binary' }>;

/** Why "==" and "!=" make no sense between two types. */
export function equalityFault(expression: Comparison, a: Type, b: Type): Problem | undefined {
  if (a.members.length === 0 || b.members.length === 0) return undefined;
  const { left, right } = expression;
  const value = right.kind === 'literal' ? right.value : left.kind === 'literal' ? left.value : undefined;
  if (value !== undefined && value !== null) {
    const [other, type] = right.kind === 'literal' ? [left, a] : [right, b];
    if (type.members.some((member) => mayEqual(member, value))) return undefined;
    const values = type.members.flatMap((member): readonly unknown[] => ('values' in member ? (member.values ?? []) : []));
    const hint = values.length > 0 ? didYouMean(String(value), values.map(String)) : undefined;
    return problem('never-equal', expression.place, `"${shown(other)}" can never equal ${JSON.stringify(value)}.`, hint);
  }
  const [kindsA, kindsB] = [kindsOf(a), kindsOf(b)];
  if (kindsA.includes('any') || kindsB.includes('any')) return undefined;
  if (!kindsA.some((kind) => kindsB.includes(kind)))
    return problem('never-equal', expression.place, `${inWords(present(a))} never equals ${inWords(present(b))}.`);
  if (kindsA.every((kind) => kind === 'list' || kind === 'record'))
    return problem('operator-type', expression.place, `"${expression.operator}" compares single values, not ${inWords(present(a))}.`);
  return momentsOf(a, b) === 'mixed' ? mixedFault(expression, a, b) : undefined;
}

/** Why "<" and the like make no sense between two types. */
export function orderFault(expression: Comparison, a: Type, b: Type): Problem | undefined {
  const kinds = [...kindsOf(a), ...kindsOf(b)];
  if (!kinds.every((kind) => kind === 'number') && !kinds.every((kind) => kind === 'text'))
    return problem(
      'operator-type',
      expression.place,
      `"${expression.operator}" compares two numbers or two texts; here ${inWords(present(a))} meets ${inWords(present(b))}.`,
      anythingHint(a) ?? anythingHint(b),
    );
  if (momentsOf(a, b) === 'mixed') return mixedFault(expression, a, b);
  if ([...a.members, ...b.members].some((member) => hasFormat(member, 'duration')))
    return problem(
      'operator-type',
      expression.place,
      `"${expression.operator}" cannot compare durations: a month has no fixed length.`,
      'Give the data as a number of seconds.',
    );
  return undefined;
}

function mixedFault(expression: Comparison, a: Type, b: Type): Problem {
  return problem(
    'operator-type',
    expression.place,
    `"${expression.operator}" cannot compare ${inWords(present(a))} with ${inWords(present(b))}.`,
    'Both must be of one format: dates, date-times or times.',
  );
}

function kindsOf(type: Type): string[] {
  return type.members.map((member) => member.kind);
}
