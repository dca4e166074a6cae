import type { Expression, Local, Loop } from '../notation/index.js';
import { literal, mayEqual, present, type Member, type Type } from './type.js';

/** The identity of the whole data: its fields are names in reach. */
const ROOT = '$';

/** What gives a name: a loop, or `let`. */
export type Binder = Loop<unknown> | Local<unknown>;

interface Named {
  readonly id: string;
  readonly type: Type;
  /** Undefined for an input of a block, and for `mail`. */
  readonly binder?: Binder | undefined;
}

/** Names in reach, and what is known of paths beyond their declared type ("inside this `if` it is present"). */
export class Scope {
  private constructor(
    /** The data, whose fields are in reach by their names; undefined inside a block of one's own. */
    readonly root: Type | undefined,
    private readonly names: ReadonlyMap<string, Named>,
    private readonly known: ReadonlyMap<string, Type>,
  ) {}

  static of(root: Type | undefined, names: Iterable<readonly [string, Type]>): Scope {
    return new Scope(root, new Map([...names].map(([name, type]) => [name, { id: `!${name}`, type }])), new Map());
  }

  /** Every name that can be written here. */
  get all(): string[] {
    const fields = (this.root?.members ?? []).flatMap((member) => (member.kind === 'record' ? member.names : []));
    return [...new Set([...this.names.keys(), ...fields])];
  }

  /** The type of a loop variable, an input or `mail`; fields of the data are not among them. */
  type(name: string): Type | undefined {
    return this.names.get(name)?.type;
  }

  /** What gives a name that is not a field of the data. */
  binder(name: string): Binder | undefined {
    return this.names.get(name)?.binder;
  }

  /** The data, as far as conditions have narrowed it. */
  get data(): Type | undefined {
    return this.known.get(ROOT) ?? this.root;
  }

  /** A new name; one that hides another gets a fresh identity, so that nothing known of the old one sticks to it. */
  with(name: string, type: Type, binder?: Binder): Scope {
    const id = `!${name}#${this.names.size}${this.names.has(name) ? `'${this.names.get(name)?.id ?? ''}` : ''}`;
    return new Scope(this.root, new Map([...this.names, [name, { id, type, binder }]]), this.known);
  }

  knowing(path: string, type: Type): Scope {
    return new Scope(this.root, this.names, new Map([...this.known, [path, type]]));
  }

  knownType(path: string): Type | undefined {
    return this.known.get(path);
  }

  /** One text for a path that always means the same value; undefined for what is no such path. */
  pathOf(expression: Expression): string | undefined {
    switch (expression.kind) {
      case 'name':
        return this.names.get(expression.name)?.id ?? `${ROOT}[${JSON.stringify(expression.name)}]`;
      case 'member': {
        const of = this.pathOf(expression.of);
        return of === undefined ? undefined : `${of}[${JSON.stringify(expression.name)}]`;
      }
      case 'index': {
        const of = this.pathOf(expression.of);
        return of === undefined || expression.at.kind !== 'literal' ? undefined : `${of}[${JSON.stringify(expression.at.value)}]`;
      }
      case 'binary':
      case 'choice':
      case 'format':
      case 'literal':
      case 'say':
      case 'unary':
      default:
        return undefined;
    }
  }

  /** The record that a path is a field of: by its identity, with its type; undefined for what is no field. */
  ownerOf(
    path: Expression,
    typeOf: (expression: Expression, scope: Scope) => Type,
  ): { readonly id: string; readonly type: Type; readonly name: string } | undefined {
    if (path.kind === 'name') {
      const data = this.names.has(path.name) ? undefined : this.data;
      return data === undefined ? undefined : { id: ROOT, type: data, name: path.name };
    }
    const name =
      path.kind === 'member'
        ? path.name
        : path.kind === 'index' && path.at.kind === 'literal' && typeof path.at.value === 'string'
          ? path.at.value
          : undefined;
    const id = path.kind === 'member' || path.kind === 'index' ? this.pathOf(path.of) : undefined;
    if (name === undefined || id === undefined || (path.kind !== 'member' && path.kind !== 'index')) return undefined;
    return { id, type: typeOf(path.of, this), name };
  }
}

/** What is known after `test` came out as `outcome`. `typeOf` must not report problems. */
export function narrow(
  scope: Scope,
  test: Expression,
  { outcome }: { readonly outcome: boolean },
  typeOf: (expression: Expression, scope: Scope) => Type,
): Scope {
  switch (test.kind) {
    case 'name':
    case 'member':
    case 'index':
      return outcome ? knowTrue(scope, test, typeOf) : scope;
    case 'unary':
      return test.operator === 'not' ? narrow(scope, test.operand, { outcome: !outcome }, typeOf) : scope;
    case 'format':
      // A formatted value is absent where the value itself is; a `count` above zero proves that the list is present.
      return outcome && test.name !== 'default' ? knowPresent(scope, test.value, typeOf) : scope;
    case 'binary':
      return narrowBinary(scope, test, { outcome }, typeOf);
    case 'choice':
    case 'literal':
    case 'say':
    default:
      return scope;
  }
}

type Binary = Extract<Expression, { kind: 'binary' }>;

function narrowBinary(
  scope: Scope,
  test: Binary,
  { outcome }: { readonly outcome: boolean },
  typeOf: (expression: Expression, scope: Scope) => Type,
): Scope {
  const { operator, left, right } = test;
  if (operator === 'and' || operator === 'or') {
    if ((operator === 'and') !== outcome) return scope;
    return narrow(narrow(scope, left, { outcome }, typeOf), right, { outcome }, typeOf);
  }
  if (operator === '==' || operator === '!=') {
    const equal = (operator === '==') === outcome;
    if (right.kind === 'literal') return narrowEqual(scope, left, { value: right.value, equal }, typeOf);
    if (left.kind === 'literal') return narrowEqual(scope, right, { value: left.value, equal }, typeOf);
  }
  if (outcome && (operator === '<' || operator === '<=' || operator === '>' || operator === '>=')) {
    const both = knowPresent(knowPresent(scope, left, typeOf), right, typeOf);
    // Past 0, a number can be divided by.
    if ((operator === '>' || operator === '<') && right.kind === 'literal' && right.value === 0) return knowNonzero(both, left, typeOf);
    return both;
  }
  return scope;
}

/** The path exists and its value does not count as false. */
function knowTrue(scope: Scope, path: Expression, typeOf: (expression: Expression, scope: Scope) => Type): Scope {
  const key = scope.pathOf(path);
  const out = knowPresent(scope, path, typeOf);
  if (key === undefined) return out;
  const type = typeOf(path, out);
  const members = type.members.map((member): Member => {
    if (member.kind === 'number') return { ...member, nonzero: true };
    return member.kind === 'list' ? { ...member, least: Math.max(1, member.least) } : member;
  });
  // Records that have no such field, or only a false one, are out.
  return sieve(out.knowing(key, { absent: false, members }), path, { fits: () => true, mayBeAbsent: false }, typeOf);
}

/** The path is present, and so are all of its parents. */
function knowPresent(scope: Scope, path: Expression, typeOf: (expression: Expression, scope: Scope) => Type): Scope {
  const key = scope.pathOf(path);
  if (key === undefined) return scope;
  const outer = path.kind === 'member' || path.kind === 'index' ? knowPresent(scope, path.of, typeOf) : scope;
  return outer.knowing(key, present(typeOf(path, outer)));
}

function narrowEqual(
  scope: Scope,
  path: Expression,
  { value, equal }: { readonly value: string | number | boolean | null; readonly equal: boolean },
  typeOf: (expression: Expression, scope: Scope) => Type,
): Scope {
  const key = scope.pathOf(path);
  if (key === undefined) return scope;
  if (value === null) {
    if (!equal) return knowPresent(scope, path, typeOf);
    return sieve(scope.knowing(key, { absent: true, members: [] }), path, { fits: () => false, mayBeAbsent: true }, typeOf);
  }
  let out = equal ? knowPresent(scope, path, typeOf) : scope;
  const type = typeOf(path, out);
  out = out.knowing(
    key,
    equal ? narrowedTo(type, value) : { absent: type.absent, members: type.members.flatMap((member) => without(member, value)) },
  );
  return sieve(
    out,
    path,
    { fits: (member) => (equal ? mayEqual(member, value) : without(member, value).length > 0), mayBeAbsent: !equal },
    typeOf,
  );
}

/** Of a union of records, those whose field can be what a condition has found it to be. */
function sieve(
  scope: Scope,
  path: Expression,
  { fits, mayBeAbsent }: { readonly fits: (member: Member) => boolean; readonly mayBeAbsent: boolean },
  typeOf: (expression: Expression, scope: Scope) => Type,
): Scope {
  const owner = scope.ownerOf(path, typeOf);
  if (owner === undefined || owner.type.members.length < 2) return scope;
  const members = owner.type.members.filter((member) => {
    if (member.kind !== 'record') return mayBeAbsent || member.kind === 'any';
    const field = member.field(owner.name);
    if (field === undefined) return mayBeAbsent || member.open || member.others() !== undefined;
    return (mayBeAbsent && field.type.absent) || field.type.members.some(fits);
  });
  return scope.knowing(owner.id, { absent: owner.type.absent && mayBeAbsent, members });
}

/** What is left of a type of which a value is known. */
function narrowedTo(type: Type, value: string | number | boolean): Type {
  const members = type.members
    .filter((member) => mayEqual(member, value))
    .flatMap((member): readonly Member[] => {
      if (member.kind === 'any') return member.faulty === true ? [member] : literal(value).members;
      if (member.kind === 'text' && typeof value === 'string') return [{ ...member, values: [value] }];
      if (member.kind === 'number' && typeof value === 'number') return [{ ...member, values: [value], nonzero: value !== 0 }];
      return [member];
    });
  return { absent: false, members };
}

/** A member of which one value is excluded; nothing, where that was its only one. */
function without(member: Member, value: string | number | boolean): Member[] {
  if (member.kind === 'text' && typeof value === 'string') {
    const values = member.values?.filter((text) => text !== value);
    if (values?.length === 0) return [];
    return [values === undefined ? { ...member, except: [...(member.except ?? []), value] } : { ...member, values }];
  }
  if (member.kind === 'number' && typeof value === 'number') {
    const values = member.values?.filter((number) => number !== value);
    if (values?.length === 0) return [];
    return [{ ...member, ...(values === undefined ? {} : { values }), ...(value === 0 ? { nonzero: true } : {}) }];
  }
  if (member.kind === 'truth' && typeof value === 'boolean')
    return member.values?.every((known) => known === value) === true ? [] : [member];
  return [member];
}

function knowNonzero(scope: Scope, path: Expression, typeOf: (expression: Expression, scope: Scope) => Type): Scope {
  const key = scope.pathOf(path);
  if (key === undefined) return scope;
  const type = typeOf(path, scope);
  const members = type.members.map((member): Member => (member.kind === 'number' ? { ...member, nonzero: true } : member));
  return scope.knowing(key, { absent: type.absent, members });
}
