import type { Expression } from '../notation/index.js';
import { isFaulty, mayBeAnything, type Type } from './type.js';

/** What to do about a value that the schema does not mention. */
export function anythingHint(type: Type): string | undefined {
  return mayBeAnything(type)
    ? 'The data schema does not say what it is: give the field a "type". In a variant of the data that has no such field, set "additionalProperties": false, or test first which variant it is.'
    : undefined;
}

/** An expression as its author wrote it, near enough for a sentence. */
export function shown(expression: Expression): string {
  switch (expression.kind) {
    case 'literal':
      return JSON.stringify(expression.value);
    case 'name':
      return expression.name;
    case 'member':
      return `${shown(expression.of)}.${expression.name}`;
    case 'index':
      return `${shown(expression.of)}[${shown(expression.at)}]`;
    case 'unary':
      return expression.operator === 'not' ? `not ${shown(expression.operand)}` : `-${shown(expression.operand)}`;
    case 'binary':
      return `${shown(expression.left)} ${expression.operator} ${shown(expression.right)}`;
    case 'choice':
      return `${shown(expression.test)} ? … : …`;
    case 'format':
      return `${shown(expression.value)} | ${expression.name}`;
    case 'say':
      return `say "${expression.key}"`;
  }
}

/** How to make a value that may be absent fit to stand where it does. */
export function absenceHint(expression: Expression, type: Type): string {
  const base = expression.kind === 'format' ? expression : undefined;
  const otherwise = base !== undefined ? `{{ ${shown(base)} | default "…" }}` : `{{ ${shown(expression)} ?? "…" }}`;
  const textual = type.members.every((member) => member.kind === 'text' || member.kind === 'number') || isFaulty(type);
  const guard = `guard it by "if", or name it in "required" of the data schema.`;
  return textual ? `Give another value, ${otherwise}; or ${guard}` : `${guard.charAt(0).toUpperCase()}${guard.slice(1)}`;
}
