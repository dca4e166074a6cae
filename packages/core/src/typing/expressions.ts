import { FORMATS } from '../formats/index.js';
import type { Expression } from '../notation/index.js';
import { didYouMean, problem, type Problem } from '../problems/index.js';
import { equalityFault, orderFault } from './comparison.js';
import { argumentFaults, argumentsOf, resultOf } from './format-types.js';
import { argumentFault, valueFault, type ArgumentUse } from './formatter-use.js';
import { isNonzero, isWhole } from './kinds.js';
import { sayFaults, type SayTypes } from './say-use.js';
import { narrow, type Scope } from './scope.js';
import {
  ABSENT,
  ANY,
  either,
  FAULTY,
  inWords,
  isFaulty,
  literal,
  mayBeAnything,
  NEVER,
  NUMBER,
  optional,
  present,
  TEXT,
  TRUTH,
  WHOLE,
  type RecordMember,
  type Type,
} from './type.js';
import { absenceHint, anythingHint, shown } from './wording.js';

/** Is shown every expression that is typed, with the names in reach where it is. */
export type Watch = (expression: Expression, scope: Scope) => void;

/** Types expressions against a scope, collecting problems, what each expression is, and which schema fields were used. */
export class ExpressionTyper {
  readonly types = new Map<Expression, Type>();
  readonly usedFields = new Set<string>();
  #quiet = 0;
  /** What is put into running text as it is. */
  #inserted: Expression | undefined;

  constructor(
    private readonly problems: Problem[],
    private readonly say: SayTypes | undefined,
    private readonly watch?: Watch,
  ) {}

  type(expression: Expression, scope: Scope): Type {
    const type = this.#type(expression, scope);
    if (this.#quiet === 0) {
      this.types.set(expression, type);
      this.watch?.(expression, scope);
    }
    return type;
  }

  /** The type of what is put into running text as it is, where texts can have emphasis and links. */
  typeInserted(expression: Expression, scope: Scope): Type {
    this.#inserted = expression;
    const type = this.type(expression, scope);
    this.#inserted = undefined;
    return type;
  }

  /** What is known after a test; asking does not report anything twice. */
  narrowed(scope: Scope, test: Expression, { outcome }: { readonly outcome: boolean }): Scope {
    this.#quiet += 1;
    const out = narrow(scope, test, { outcome }, (expression, inner) => this.#type(expression, inner));
    this.#quiet -= 1;
    return out;
  }

  #report(...args: Parameters<typeof problem>): Type {
    if (this.#quiet === 0) this.problems.push(problem(...args));
    return FAULTY;
  }

  #reportAny(fault: Problem | undefined): void {
    if (fault !== undefined && this.#quiet === 0) this.problems.push(fault);
  }

  #type(expression: Expression, scope: Scope): Type {
    const path = scope.pathOf(expression);
    const known = path === undefined ? undefined : scope.knownType(path);
    if (known !== undefined) {
      if (this.#quiet === 0) this.#touch(expression, scope);
      return known;
    }
    switch (expression.kind) {
      case 'literal':
        return literal(expression.value);
      case 'name':
        return this.#name(expression, scope);
      case 'member':
        return this.#member(expression, scope);
      case 'index':
        return this.#index(expression, scope);
      case 'unary':
        return this.#unary(expression, scope);
      case 'binary':
        return this.#binary(expression, scope);
      case 'choice': {
        this.type(expression.test, scope);
        const yes = this.type(expression.yes, this.narrowed(scope, expression.test, { outcome: true }));
        return either(yes, this.type(expression.no, this.narrowed(scope, expression.test, { outcome: false })));
      }
      case 'format':
        return this.#format(expression, scope);
      case 'say':
        return this.#say(expression, scope);
    }
  }

  /** Marks the fields of a path as used although its narrowed type is known already. */
  #touch(expression: Expression, scope: Scope): void {
    if (expression.kind === 'name') {
      if (scope.type(expression.name) === undefined) this.#field(scope.data, expression.name);
      return;
    }
    if (expression.kind !== 'member' && expression.kind !== 'index') return;
    const of = this.type(expression.of, scope);
    if (expression.kind === 'member') this.#field(of, expression.name);
    else if (expression.at.kind === 'literal' && typeof expression.at.value === 'string') this.#field(of, expression.at.value);
  }

  /** Marks all fields of a value as used, at any depth: it is given away as a whole. */
  useWhole(type: Type, steps = 16): void {
    if (steps === 0) return;
    for (const member of type.members) {
      if (member.kind === 'list') this.useWhole(member.of(), steps - 1);
      if (member.kind !== 'record') continue;
      for (const name of member.names) {
        const field = member.field(name);
        if (field === undefined) continue;
        const isNew = field.pointers.some((pointer) => !this.usedFields.has(pointer));
        for (const pointer of field.pointers) this.usedFields.add(pointer);
        if (isNew) this.useWhole(field.type, steps - 1);
      }
    }
  }

  /** The type of a field of records, whichever of them it is; undefined where none of them has it. */
  #field(of: Type | undefined, name: string): Type | undefined {
    const records = (of?.members ?? []).filter((member): member is RecordMember => member.kind === 'record');
    const fields = records.map((record) => record.field(name));
    if (of === undefined || fields.every((field) => field === undefined)) return undefined;
    const types = records.map((record, i): Type => {
      const field = fields[i];
      if (field === undefined) return record.open ? ANY : ABSENT;
      for (const pointer of field.pointers) this.usedFields.add(pointer);
      return field.type;
    });
    const type = types.reduce(either, NEVER);
    return of.absent || records.length < of.members.length ? optional(type) : type;
  }

  #name(expression: Extract<Expression, { kind: 'name' }>, scope: Scope): Type {
    const type = scope.type(expression.name) ?? this.#field(scope.data, expression.name);
    if (type !== undefined) return type;
    // The name may be known under a condition only: there it is of another variant of the data.
    const elsewhere = scope.root === undefined ? undefined : this.#field(scope.root, expression.name);
    return this.#report(
      'unknown-field',
      expression.place,
      elsewhere === undefined ? `The data has no field "${expression.name}".` : `The data has no field "${expression.name}" here.`,
      elsewhere === undefined ? this.#nameHint(expression.name, scope) : 'The conditions around this leave only variants without it.',
    );
  }

  /** What an unknown name may have meant: one like it, or a field that lies deeper. */
  #nameHint(name: string, scope: Scope): string | undefined {
    const near = didYouMean(name, scope.all);
    if (near?.startsWith('Did you mean') === true) return near;
    for (const outer of scope.all) {
      const type = scope.type(outer) ?? this.#field(scope.data, outer);
      if (type?.members.some((member) => member.kind === 'record' && member.names.includes(name)) === true)
        return `Did you mean "${outer}.${name}"?`;
    }
    return near;
  }

  #member(expression: Extract<Expression, { kind: 'member' }>, scope: Scope): Type {
    const of = this.type(expression.of, scope);
    if (isFaulty(of)) return FAULTY;
    if (mayBeAnything(of)) return ANY;
    const at = {
      ...expression.place,
      offset: expression.place.offset + expression.place.length - expression.name.length,
      column: expression.place.column + expression.place.length - expression.name.length,
      length: expression.name.length,
    };
    if (!of.members.some((member) => member.kind === 'record')) {
      const hint = of.members.some((member) => member.kind === 'list')
        ? `To count a list: {{ ${shown(expression.of)} | count }}; to go through it: ":::each".`
        : undefined;
      return this.#report('no-fields', at, `"${shown(expression.of)}" is ${inWords(present(of))}; it has no fields.`, hint);
    }
    const type = this.#field(of, expression.name);
    if (type !== undefined) return type;
    const names = new Set(of.members.flatMap((member) => (member.kind === 'record' ? member.names : [])));
    return this.#report(
      'unknown-field',
      at,
      `"${shown(expression.of)}" has no field "${expression.name}".`,
      didYouMean(expression.name, names),
    );
  }

  #index(expression: Extract<Expression, { kind: 'index' }>, scope: Scope): Type {
    const of = this.type(expression.of, scope);
    const at = this.type(expression.at, scope);
    if (isFaulty(of) || isFaulty(at)) return FAULTY;
    if (mayBeAnything(of)) return ANY;
    const { at: index } = expression;
    if (index.kind === 'literal' && typeof index.value === 'string') {
      return this.#member(
        { kind: 'member', of: expression.of, name: index.value, place: { ...index.place, length: index.value.length } },
        scope,
      );
    }
    if (at.absent) this.#absent(index, at);
    if (of.members.some((member) => member.kind === 'record') && at.members.every((member) => member.kind === 'text'))
      return this.#lookUp(of, at);
    const lists = of.members.filter((member) => member.kind === 'list');
    if (lists.length === 0)
      return this.#report('no-list', expression.place, `"${shown(expression.of)}" is ${inWords(present(of))}, not a list.`);
    if (!at.members.every((member) => member.kind === 'number'))
      return this.#report('index-type', index.place, `An index is a whole number from 0; this is ${inWords(at)}.`);
    const fixed = index.kind === 'literal' && typeof index.value === 'number' ? index.value : undefined;
    const sure = !of.absent && lists.length === of.members.length;
    const types = lists.map((list): Type => {
      if (fixed === undefined) return optional(list.of());
      return fixed < list.least ? list.at(fixed) : optional(list.at(fixed));
    });
    const type = types.reduce(either, NEVER);
    return sure ? type : optional(type);
  }

  /** A field whose name is a value: any of those that it can be. */
  #lookUp(of: Type, at: Type): Type {
    const names = at.members.flatMap((member) => (member.kind === 'text' ? [member.values] : []));
    const known = names.every((name) => name !== undefined) ? names.flat() : undefined;
    if (known !== undefined) {
      const types = known.map((name) => this.#field(of, name));
      if (types.every((type) => type !== undefined)) return types.reduce(either, NEVER);
      return optional(types.filter((type) => type !== undefined).reduce(either, NEVER));
    }
    const types = of.members.flatMap((member): Type[] => {
      if (member.kind !== 'record') return [];
      const declared = member.names.map((name) => this.#field({ absent: false, members: [member] }, name) ?? ABSENT);
      return [...declared, member.others() ?? ABSENT];
    });
    return optional(types.reduce(either, NEVER));
  }

  #unary(expression: Extract<Expression, { kind: 'unary' }>, scope: Scope): Type {
    const operand = this.type(expression.operand, scope);
    if (expression.operator === 'not') return TRUTH;
    return this.#numbers(expression.operand, operand, '-') ? NUMBER : FAULTY;
  }

  #numbers(expression: Expression, type: Type, operator: string): boolean {
    if (isFaulty(type)) return false;
    if (type.absent && type.members.length > 0 && !mayBeAnything(type)) {
      this.#absent(expression, type);
      return false;
    }
    if (type.members.every((member) => member.kind === 'number') && !type.absent) return true;
    this.#report(
      'operator-type',
      expression.place,
      `"${operator}" works on numbers; "${shown(expression)}" is ${inWords(type)}.`,
      anythingHint(type),
    );
    return false;
  }

  /** Reports a value that may be absent where it has to be there. */
  #absent(expression: Expression, type: Type): void {
    this.#report('maybe-absent', expression.place, `"${shown(expression)}" may be absent here.`, absenceHint(expression, type));
  }

  #binary(expression: Extract<Expression, { kind: 'binary' }>, scope: Scope): Type {
    const { operator, left, right } = expression;
    if (operator === 'and' || operator === 'or') {
      this.type(left, scope);
      this.type(right, this.narrowed(scope, left, { outcome: operator === 'and' }));
      return TRUTH;
    }
    const a = this.type(left, scope);
    const b = this.type(right, scope);
    switch (operator) {
      case '??':
        return either(present(a), b);
      case '==':
      case '!=':
        this.#reportAny(equalityFault(expression, a, b));
        return TRUTH;
      case '<':
      case '<=':
      case '>':
      case '>=':
        return this.#ordered(expression, a, b);
      case '+':
        return this.#sum(expression, a, b);
      case '-':
      case '*':
      case '/':
      case '%':
      default: {
        const fine = [this.#numbers(left, a, operator), this.#numbers(right, b, operator)];
        if (!fine.every(Boolean)) return FAULTY;
        const type = operator !== '/' && isWhole(a) && isWhole(b) ? WHOLE : NUMBER;
        // What is divided by 0 is no number: it is absent.
        return (operator === '/' || operator === '%') && !isNonzero(b) ? optional(type) : type;
      }
    }
  }

  #ordered(expression: Extract<Expression, { kind: 'binary' }>, a: Type, b: Type): Type {
    if (a.absent) this.#absent(expression.left, a);
    if (b.absent) this.#absent(expression.right, b);
    if (!isFaulty(a) && !isFaulty(b)) this.#reportAny(orderFault(expression, a, b));
    return TRUTH;
  }

  #sum(expression: Extract<Expression, { kind: 'binary' }>, a: Type, b: Type): Type {
    const { left, right } = expression;
    if (a.absent) this.#absent(left, a);
    if (b.absent) this.#absent(right, b);
    const members = [...a.members, ...b.members];
    if (isFaulty(a) || isFaulty(b)) return FAULTY;
    if (members.every((member) => member.kind === 'number')) return isWhole(a) && isWhole(b) ? WHOLE : NUMBER;
    if (members.every((member) => member.kind === 'number' || member.kind === 'text')) {
      // Two numbers are added, whatever else the two may be.
      const numbers = [a, b].every((type) => type.members.some((member) => member.kind === 'number'));
      return numbers ? either(TEXT, NUMBER) : TEXT;
    }
    return this.#report(
      'operator-type',
      expression.place,
      `"+" adds numbers or joins texts; here ${inWords(present(a))} meets ${inWords(present(b))}.`,
      anythingHint(a) ?? anythingHint(b),
    );
  }

  #format(expression: Extract<Expression, { kind: 'format' }>, scope: Scope): Type {
    const value = this.type(expression.value, scope);
    const format = FORMATS.get(expression.name);
    for (const extra of [...expression.args, ...expression.named.map((arg) => arg.value)]) this.type(extra, scope);
    if (format === undefined) {
      return this.#report(
        'unknown-formatter',
        expression.namePlace,
        `There is no formatter "${expression.name}".`,
        didYouMean(expression.name, FORMATS.keys()),
      );
    }
    const unfit = argumentFaults(format, expression);
    this.#reportAny(unfit);
    if (unfit !== undefined) return FAULTY;
    const given = argumentsOf(expression);
    const args = given.map((arg) => (arg === undefined ? undefined : this.#quietly(arg, scope)));
    format.args.forEach((wanted, i) => {
      const arg = given[i];
      if (arg !== undefined) this.#argument({ formatter: format.name, wanted, given: arg, type: args[i] ?? FAULTY });
    });
    if (isFaulty(value)) return FAULTY;
    const fault = valueFault(format, expression, value);
    this.#reportAny(fault);
    if (fault !== undefined) return FAULTY;
    if (format.name === 'default') return either(present(value), args[0] ?? FAULTY);
    const result = resultOf({ format, expression, value, args, field: (of, name) => this.#field(of, name) });
    if (!('fault' in result)) return result;
    this.#reportAny(result.fault);
    return FAULTY;
  }

  /** The type of an expression that has been typed here already. */
  #quietly(expression: Expression, scope: Scope): Type {
    return this.types.get(expression) ?? this.type(expression, scope);
  }

  #argument(use: ArgumentUse): void {
    const { wanted, given, type } = use;
    if (type.absent && wanted.kind !== 'any') this.#absent(given, type);
    if (isFaulty(type) || (wanted.kind === 'any' && !mayBeAnything(type))) return;
    this.#reportAny(argumentFault(use));
  }

  #say(expression: Extract<Expression, { kind: 'say' }>, scope: Scope): Type {
    const types = expression.values.map(({ value }) => this.type(value, scope));
    for (const [i, { value }] of expression.values.entries()) {
      const type = types[i] ?? FAULTY;
      if (type.absent) this.#absent(value, type);
    }
    for (const fault of sayFaults(expression, types, this.say, { isInserted: this.#inserted === expression })) this.#reportAny(fault);
    return this.say?.names(expression.key) === undefined ? FAULTY : TEXT;
  }
}
