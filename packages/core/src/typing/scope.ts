import type { Expression } from '../notation/index.js';
import { mayEqual, present, type Type } from './type.js';

let nothing: ReadonlyMap<string, Type> | undefined;

/** Names in reach, and what is known of paths beyond their declared type ("inside this `if` it is there"). */
export class Scope {
  private constructor(
    private readonly names: ReadonlyMap<string, { readonly id: string; readonly type: Type }>,
    private readonly known: ReadonlyMap<string, Type>,
  ) {}

  static of(names: Iterable<readonly [string, Type]>): Scope {
    nothing ??= new Map();
    return new Scope(new Map([...names].map(([name, type]) => [name, { id: name, type }])), nothing);
  }

  has(name: string): boolean {
    return this.names.has(name);
  }

  get all(): string[] {
    return [...this.names.keys()];
  }

  type(name: string): Type | undefined {
    return this.names.get(name)?.type;
  }

  /** A new name; one that hides another gets a fresh identity, so that nothing known of the old one sticks to it. */
  with(name: string, type: Type): Scope {
    const id = `${name}#${this.names.size}${this.names.has(name) ? `'${this.names.get(name)?.id ?? ''}` : ''}`;
    return new Scope(new Map([...this.names, [name, { id, type }]]), this.known);
  }

  knowing(path: string, type: Type): Scope {
    return new Scope(this.names, new Map([...this.known, [path, type]]));
  }

  knownType(path: string): Type | undefined {
    return this.known.get(path);
  }

  /** One text for a path that always means the same value; undefined for what is no such path. */
  pathOf(expression: Expression): string | undefined {
    switch (expression.kind) {
      case 'name':
        return this.names.get(expression.name)?.id ?? `?${expression.name}`;
      case 'member': {
        const of = this.pathOf(expression.of);
        return of === undefined ? undefined : `${of}.${expression.name}`;
      }
      case 'index': {
        const of = this.pathOf(expression.of);
        return of === undefined || expression.at.kind !== 'literal' ? undefined : `${of}[${String(expression.at.value)}]`;
      }
      default:
        return undefined;
    }
  }
}

/** What is known after `test` came out as `outcome`. `typeOf` must not report problems. */
export function narrow(scope: Scope, test: Expression, outcome: boolean, typeOf: (expression: Expression, scope: Scope) => Type): Scope {
  switch (test.kind) {
    case 'name':
    case 'member':
    case 'index':
      return outcome ? knowPresent(scope, test, typeOf) : scope;
    case 'unary':
      return test.operator === 'not' ? narrow(scope, test.operand, !outcome, typeOf) : scope;
    case 'format':
      // A formatted value is absent where the value itself is; `count` of a list that is not empty says that it is there.
      return outcome && test.name !== 'default' ? knowPresent(scope, test.value, typeOf) : scope;
    case 'binary':
      return narrowBinary(scope, test, outcome, typeOf);
    default:
      return scope;
  }
}

type Binary = Extract<Expression, { kind: 'binary' }>;

function narrowBinary(scope: Scope, test: Binary, outcome: boolean, typeOf: (expression: Expression, scope: Scope) => Type): Scope {
  const { operator, left, right } = test;
  if (operator === 'and' || operator === 'or') {
    if ((operator === 'and') !== outcome) return scope;
    return narrow(narrow(scope, left, outcome, typeOf), right, outcome, typeOf);
  }
  if (operator === '==' || operator === '!=') {
    const equal = (operator === '==') === outcome;
    if (right.kind === 'literal') return narrowEqual(scope, left, right.value, equal, typeOf);
    if (left.kind === 'literal') return narrowEqual(scope, right, left.value, equal, typeOf);
  }
  if (outcome && (operator === '<' || operator === '<=' || operator === '>' || operator === '>=')) {
    return knowPresent(knowPresent(scope, left, typeOf), right, typeOf);
  }
  return scope;
}

/** The path is there, and so is everything it leads through. */
function knowPresent(scope: Scope, path: Expression, typeOf: (expression: Expression, scope: Scope) => Type): Scope {
  const key = scope.pathOf(path);
  if (key === undefined) return scope;
  const outer = path.kind === 'member' || path.kind === 'index' ? knowPresent(scope, path.of, typeOf) : scope;
  return outer.knowing(key, present(typeOf(path, outer)));
}

function narrowEqual(
  scope: Scope,
  path: Expression,
  value: string | number | boolean | null,
  equal: boolean,
  typeOf: (expression: Expression, scope: Scope) => Type,
): Scope {
  const key = scope.pathOf(path);
  if (key === undefined) return scope;
  if (value === null) return equal ? scope : knowPresent(scope, path, typeOf);
  let out = equal ? knowPresent(scope, path, typeOf) : scope;
  const type = typeOf(path, out);
  if (equal) out = out.knowing(key, { absent: false, members: type.members.filter((one) => mayEqual(one, value)) });
  // A field with a constant tells the records of a union apart.
  if (path.kind === 'member') {
    const owner = scope.pathOf(path.of);
    const ownerType = typeOf(path.of, out);
    if (owner !== undefined && ownerType.members.length > 1) {
      const members = ownerType.members.filter((one) => {
        const field = one.kind === 'record' ? one.field(path.name)?.type : undefined;
        if (field === undefined) return !equal;
        if (equal) return field.members.some((member) => mayEqual(member, value));
        const [only] = field.members;
        const constant = field.members.length === 1 && !field.absent && only !== undefined && 'values' in only && only.values?.length === 1;
        return !(constant && mayEqual(only, value));
      });
      out = out.knowing(owner, { absent: ownerType.absent && !equal, members });
    }
  }
  return out;
}
