import type { Expression, Parts } from '../notation/index.js';
import type { Place } from '../problems/index.js';
import type { Value } from '../render/index.js';
import { argumentsOf, isNumeral, momentsOf, type Type } from '../typing/index.js';

/** What each expression may be. */
export type TypeOf = Pick<ReadonlyMap<Expression, Type>, 'get'>;

const MAIL: readonly [string, Value] = ['mail', { k: 'path', root: 'mail', steps: [] }];

/** Where each name in reach stands when the program runs. */
export class Names {
  constructor(
    /** Types of the expressions that are resolved. */
    readonly types: TypeOf = new Map(),
    private readonly known: ReadonlyMap<string, Value> = new Map([MAIL]),
    readonly depth = 0,
  ) {}

  /** A loop variable, in the next slot. */
  with(name: string): { names: Names; slot: number } {
    const slot = this.depth;
    return { slot, names: new Names(this.types, new Map([...this.known, [name, { k: 'path', root: slot, steps: [] }]]), slot + 1) };
  }

  /** Names of a block of one's own: its inputs and nothing of its caller's. Its slots lie above those of the caller. */
  inputs(inputs: Iterable<readonly [string, Value]>): Names {
    return new Names(this.types, new Map<string, Value>([MAIL, ...inputs]), this.depth);
  }

  /** The same names, with inputs of a layout. */
  plus(inputs: Iterable<readonly [string, Value]>): Names {
    return new Names(this.types, new Map<string, Value>([...this.known, ...inputs]), this.depth);
  }

  /** The same names, new slots from `depth` on. */
  above(depth: number): Names {
    return depth <= this.depth ? this : new Names(this.types, this.known, depth);
  }

  value(name: string): Value {
    return this.known.get(name) ?? { k: 'path', root: 'data', steps: [name] };
  }
}

export function placed(place: Place): string {
  return `${place.file}:${place.line}:${place.column}`;
}

/** An expression with its names resolved. */
export function valueOf(expression: Expression, names: Names): Value {
  const inner = (operand: Expression): Value => valueOf(operand, names);
  switch (expression.kind) {
    case 'literal':
      return { k: 'const', value: expression.value };
    case 'name':
      return names.value(expression.name);
    case 'member':
      return stepInto(inner(expression.of), expression.name);
    case 'index':
      return stepInto(
        inner(expression.of),
        expression.at.kind === 'literal' && typeof expression.at.value === 'string' ? expression.at.value : inner(expression.at),
      );
    case 'unary':
      return { k: expression.operator === 'not' ? 'not' : 'negate', of: inner(expression.operand) };
    case 'binary': {
      const { operator, left, right } = expression;
      const [a, b] = [names.types.get(left), names.types.get(right)];
      const compares = ['==', '!=', '<', '<=', '>', '>='].includes(operator) && a !== undefined && b !== undefined;
      const moment = compares ? momentsOf(a, b) : 'text';
      return { k: 'two', operator, a: inner(left), b: inner(right), ...(moment === 'text' || moment === 'mixed' ? {} : { moment }) };
    }
    case 'choice':
      return { k: 'choose', test: inner(expression.test), yes: inner(expression.yes), no: inner(expression.no) };
    case 'format':
      return {
        k: 'format',
        name: expression.name,
        of: inner(expression.value),
        args: argumentsOf(expression).map((arg) => (arg === undefined ? ({ k: 'const', value: null } satisfies Value) : inner(arg))),
        at: placed(expression.place),
      };
    case 'say':
      return {
        k: 'say',
        key: expression.key,
        values: expression.values.map((value) => ({ name: value.name, value: inner(value.value) })),
        at: placed(expression.place),
      };
  }
}

function stepInto(of: Value, step: string | Value): Value {
  return of.k === 'path' ? { ...of, steps: [...of.steps, step] } : { k: 'step', of, step };
}

/** The value of an argument: what the one expression gives, or its parts joined to a text. */
export function argumentValue(parts: Parts, names: Names, type?: Type): Value {
  const [only] = parts;
  if (parts.length === 1 && typeof only === 'string') {
    if (isNumeral(only) && type !== undefined && !type.members.some((member) => member.kind === 'text'))
      return { k: 'const', value: Number(only) };
    if (/^(?:true|false)$/.test(only) && type?.members.every((member) => member.kind === 'truth') === true)
      return { k: 'const', value: only === 'true' };
  }
  if (parts.length === 1 && only !== undefined && typeof only !== 'string') return valueOf(only, names);
  return parts
    .map((part): Value => (typeof part === 'string' ? { k: 'const', value: part } : valueOf(part, names)))
    .reduce<Value>((sum, part) => ({ k: 'two', operator: '+', a: sum, b: part }), { k: 'const', value: '' });
}
