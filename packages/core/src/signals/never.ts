import type { Expression } from '../notation/index.js';
import { isFaulty, type ExpressionTyper, type Scope } from '../typing/index.js';

/** What is left of a number after comparisons: [least, most], each with whether it is itself left out. */
interface Range {
  readonly low: number;
  readonly lowOut: boolean;
  readonly high: number;
  readonly highOut: boolean;
}
const ALL: Range = { low: -Infinity, lowOut: false, high: Infinity, highOut: false };
const FLIPPED: Readonly<Record<string, string>> = { '<': '>', '<=': '>=', '>': '<', '>=': '<=', '==': '==' };

function conjuncts(test: Expression): Expression[] {
  return test.kind === 'binary' && test.operator === 'and' ? [...conjuncts(test.left), ...conjuncts(test.right)] : [test];
}

function within(range: Range, operator: string, value: number): Range {
  const out = { ...range };
  if ((operator === '>' || operator === '>=' || operator === '==') && (value > out.low || (value === out.low && operator === '>'))) {
    out.low = value;
    out.lowOut = operator === '>';
  }
  if ((operator === '<' || operator === '<=' || operator === '==') && (value < out.high || (value === out.high && operator === '<'))) {
    out.high = value;
    out.highOut = operator === '<';
  }
  return out;
}

const isEmpty = ({ low, lowOut, high, highOut }: Range): boolean => low > high || (low === high && (lowOut || highOut));

/** Whether a value of this type can count as true. */
function canBeTrue(test: Expression, scope: Scope, typer: ExpressionTyper): boolean {
  if (test.kind === 'literal') return Boolean(test.value);
  if (test.kind === 'binary' && test.operator === 'or')
    return !isNever(test.left, scope, typer) || !isNever(test.right, typer.narrowed(scope, test.left, { outcome: false }), typer);
  if (test.kind === 'unary' && test.operator === 'not' && test.operand.kind === 'literal') return !test.operand.value;
  const type = typer.type(test, scope);
  if (isFaulty(type)) return true;
  return type.members.some((member) => {
    if (!('values' in member) || member.values === undefined) return true;
    return member.values.some((value) => value !== false && value !== 0 && value !== '');
  });
}

/**
 * Whether a test can never come out true, by the types of the data and by comparisons with numbers that leave nothing. What cannot be decided
 * counts as possible.
 */
export function isNever(test: Expression, scope: Scope, typer: ExpressionTyper): boolean {
  const ranges = new Map<string, Range>();
  let at = scope;
  for (const part of conjuncts(test)) {
    if (!canBeTrue(part, at, typer)) return true;
    if (part.kind === 'binary' && Object.hasOwn(FLIPPED, part.operator)) {
      const isFlipped = part.left.kind === 'literal';
      const [path, literal] = isFlipped ? [part.right, part.left] : [part.left, part.right];
      const id = at.pathOf(path);
      if (id !== undefined && literal.kind === 'literal' && typeof literal.value === 'number') {
        const range = within(ranges.get(id) ?? ALL, isFlipped ? (FLIPPED[part.operator] ?? '') : part.operator, literal.value);
        if (isEmpty(range)) return true;
        ranges.set(id, range);
      }
    }
    at = typer.narrowed(at, part, { outcome: true });
    // What must be true and is known to be nothing else than false: both halves of a contradiction were asked for.
    if (part.kind === 'unary' && part.operator === 'not') {
      const id = scope.pathOf(part.operand);
      if (id !== undefined && conjuncts(test).some((other) => other !== part && scope.pathOf(other) === id)) return true;
    }
  }
  return false;
}
