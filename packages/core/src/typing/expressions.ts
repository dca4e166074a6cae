import { FORMATS, type ValueKind } from '../formats/index.js';
import type { Expression } from '../notation/index.js';
import { didYouMean, problem, type Problem } from '../problems/index.js';
import { narrow, type Scope } from './scope.js';
import {
  ABSENT,
  either,
  inWords,
  literal,
  NEVER,
  NUMBER,
  optional,
  present,
  TEXT,
  TRUTH,
  WHOLE,
  type Member,
  type RecordMember,
  type Type,
} from './type.js';

/** What a wrong path or operator gives: fits everywhere, so that one fault does not cause a second. */
export const FAULTY: Type = { absent: false, members: [{ kind: 'any' }] };

const KIND_WORDS: Readonly<Record<ValueKind, string>> = {
  text: 'a text',
  number: 'a number',
  whole: 'a whole number',
  truth: 'true or false',
  date: 'a date',
  datetime: 'a date with time',
  time: 'a time',
  duration: 'a duration',
  list: 'a list',
  any: 'anything',
};

/** Short texts of the mail folder, as far as types need them. */
export interface SayTypes {
  readonly keys: Iterable<string>;
  /** Names that the text of this key takes; undefined when there is no such key. */
  readonly names: (key: string) => readonly string[] | undefined;
}

/** Types expressions against a scope, collecting problems, what each expression is, and which schema fields were used. */
export class ExpressionTyper {
  readonly types = new Map<Expression, Type>();
  readonly usedFields = new Set<string>();
  #quiet = 0;

  constructor(
    private readonly problems: Problem[],
    private readonly say: SayTypes | undefined,
  ) {}

  type(expression: Expression, scope: Scope): Type {
    const type = this.#type(expression, scope);
    if (this.#quiet === 0) this.types.set(expression, type);
    return type;
  }

  /** What is known after a test; asking does not report anything twice. */
  narrowed(scope: Scope, test: Expression, outcome: boolean): Scope {
    this.#quiet += 1;
    const out = narrow(scope, test, outcome, (one, inner) => this.#type(one, inner));
    this.#quiet -= 1;
    return out;
  }

  #report(...args: Parameters<typeof problem>): Type {
    if (this.#quiet === 0) this.problems.push(problem(...args));
    return FAULTY;
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
        const yes = this.type(expression.yes, this.narrowed(scope, expression.test, true));
        return either(yes, this.type(expression.no, this.narrowed(scope, expression.test, false)));
      }
      case 'format':
        return this.#format(expression, scope);
      case 'say':
        return this.#say(expression, scope);
    }
  }

  /** Marks the fields of a path as used although its narrowed type is known already. */
  #touch(expression: Expression, scope: Scope): void {
    if (expression.kind !== 'member' && expression.kind !== 'index') {
      if (expression.kind === 'name') this.usedFields.add(`/properties/${expression.name}`);
      return;
    }
    const of = this.type(expression.of, scope);
    if (expression.kind !== 'member') return;
    for (const one of of.members) if (one.kind === 'record') this.usedFields.add(one.field(expression.name)?.pointer ?? '');
  }

  #name(expression: Extract<Expression, { kind: 'name' }>, scope: Scope): Type {
    const type = scope.type(expression.name);
    if (type === undefined) {
      return this.#report(
        'unknown-field',
        expression.place,
        `The data has no field "${expression.name}".`,
        didYouMean(expression.name, scope.all),
      );
    }
    this.usedFields.add(`/properties/${expression.name}`);
    return type;
  }

  #member(expression: Extract<Expression, { kind: 'member' }>, scope: Scope): Type {
    const of = this.type(expression.of, scope);
    if (of.members.some((one) => one.kind === 'any')) return { absent: of.absent, members: [{ kind: 'any' }] };
    const records = of.members.filter((one): one is RecordMember => one.kind === 'record');
    const place = { ...expression.place, offset: expression.place.offset + expression.place.length - expression.name.length };
    const at = {
      ...place,
      column: expression.place.column + expression.place.length - expression.name.length,
      length: expression.name.length,
    };
    if (records.length === 0) {
      const hint = of.members.some((one) => one.kind === 'list')
        ? `To count a list: {{ ${shown(expression.of)} | count }}; to go through it: ":::each".`
        : undefined;
      return this.#report('no-fields', at, `"${shown(expression.of)}" is ${inWords(present(of))}; it has no fields.`, hint);
    }
    const fields = records.map((one) => one.field(expression.name));
    if (fields.every((one) => one === undefined)) {
      const names = new Set(records.flatMap((one) => one.names));
      return this.#report(
        'unknown-field',
        at,
        `"${shown(expression.of)}" has no field "${expression.name}".`,
        didYouMean(expression.name, names),
      );
    }
    for (const field of fields) if (field !== undefined) this.usedFields.add(field.pointer);
    const type = fields.map((one) => one?.type ?? ABSENT).reduce(either, NEVER);
    return of.absent || records.length < of.members.length ? optional(type) : type;
  }

  #index(expression: Extract<Expression, { kind: 'index' }>, scope: Scope): Type {
    const of = this.type(expression.of, scope);
    const at = this.type(expression.at, scope);
    if (of.members.some((one) => one.kind === 'any') || at.members.some((one) => one.kind === 'any'))
      return { absent: true, members: [{ kind: 'any' }] };
    const { at: index } = expression;
    if (index.kind === 'literal' && typeof index.value === 'string') {
      return this.#member(
        { kind: 'member', of: expression.of, name: index.value, place: { ...index.place, length: index.value.length } },
        scope,
      );
    }
    const list = of.members.find((one) => one.kind === 'list');
    if (list === undefined)
      return this.#report('no-list', expression.place, `"${shown(expression.of)}" is ${inWords(present(of))}, not a list.`);
    if (!at.members.every((one) => one.kind === 'number'))
      return this.#report('index-type', index.place, `An index is a whole number from 0; this is ${inWords(at)}.`);
    return optional(list.of());
  }

  #unary(expression: Extract<Expression, { kind: 'unary' }>, scope: Scope): Type {
    const operand = this.type(expression.operand, scope);
    if (expression.operator === 'not') return TRUTH;
    return this.#numbers(expression.operand, operand, '-') ? NUMBER : FAULTY;
  }

  #numbers(expression: Expression, type: Type, operator: string): boolean {
    if (type.absent) {
      this.#absent(expression, type);
      return false;
    }
    if (type.members.every((one) => one.kind === 'number' || one.kind === 'any')) return true;
    this.#report('operator-type', expression.place, `"${operator}" works on numbers; "${shown(expression)}" is ${inWords(type)}.`);
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
      this.type(right, this.narrowed(scope, left, operator === 'and'));
      return TRUTH;
    }
    const a = this.type(left, scope);
    const b = this.type(right, scope);
    switch (operator) {
      case '??':
        return either(present(a), b);
      case '==':
      case '!=':
        this.#comparable(expression, a, b);
        return TRUTH;
      case '<':
      case '<=':
      case '>':
      case '>=':
        return this.#ordered(expression, a, b);
      case '+':
        return this.#sum(expression, a, b);
      default: {
        const fine = [this.#numbers(left, a, operator), this.#numbers(right, b, operator)];
        if (!fine.every(Boolean)) return FAULTY;
        return operator !== '/' && isWhole(a) && isWhole(b) ? WHOLE : NUMBER;
      }
    }
  }

  #comparable(expression: Extract<Expression, { kind: 'binary' }>, a: Type, b: Type): void {
    if (a.members.length === 0 || b.members.length === 0) return;
    const { left, right } = expression;
    const value = right.kind === 'literal' ? right.value : left.kind === 'literal' ? left.value : undefined;
    const other = right.kind === 'literal' ? a : b;
    if (value !== undefined && value !== null) {
      if (other.members.some((one) => mayBe(one, value))) return;
      const values = other.members.flatMap((one): readonly unknown[] => ('values' in one ? (one.values ?? []) : []));
      const hint = values.length > 0 ? didYouMean(String(value), values.map(String)) : undefined;
      this.#report(
        'never-equal',
        expression.place,
        `"${shown(right.kind === 'literal' ? left : right)}" can never equal ${JSON.stringify(value)}.`,
        hint,
      );
      return;
    }
    const kinds = (type: Type): string[] => type.members.map((one) => one.kind);
    if (kinds(a).includes('any') || kinds(b).includes('any')) return;
    if (!kinds(a).some((one) => kinds(b).includes(one))) {
      this.#report('never-equal', expression.place, `${inWords(present(a))} never equals ${inWords(present(b))}.`);
    }
  }

  #ordered(expression: Extract<Expression, { kind: 'binary' }>, a: Type, b: Type): Type {
    const { left, right, operator } = expression;
    if (a.absent) this.#absent(left, a);
    if (b.absent) this.#absent(right, b);
    const kinds = [...a.members, ...b.members].map((one) => one.kind);
    if (kinds.includes('any')) return TRUTH;
    if (!kinds.every((one) => one === 'number') && !kinds.every((one) => one === 'text')) {
      this.#report(
        'operator-type',
        expression.place,
        `"${operator}" compares two numbers or two texts; here ${inWords(present(a))} meets ${inWords(present(b))}.`,
      );
    }
    return TRUTH;
  }

  #sum(expression: Extract<Expression, { kind: 'binary' }>, a: Type, b: Type): Type {
    const { left, right } = expression;
    if (a.absent) this.#absent(left, a);
    if (b.absent) this.#absent(right, b);
    const members = [...a.members, ...b.members];
    if (members.some((one) => one.kind === 'any')) return FAULTY;
    if (members.every((one) => one.kind === 'number')) return isWhole(a) && isWhole(b) ? WHOLE : NUMBER;
    if (members.every((one) => one.kind === 'number' || one.kind === 'text')) return TEXT;
    return this.#report(
      'operator-type',
      expression.place,
      `"+" adds numbers or joins texts; here ${inWords(present(a))} meets ${inWords(present(b))}.`,
    );
  }

  #format(expression: Extract<Expression, { kind: 'format' }>, scope: Scope): Type {
    const value = this.type(expression.value, scope);
    const args = expression.args.map((one) => this.type(one, scope));
    const format = FORMATS.get(expression.name);
    if (format === undefined) {
      return this.#report(
        'unknown-formatter',
        expression.namePlace,
        `There is no formatter "${expression.name}".`,
        didYouMean(expression.name, FORMATS.keys()),
      );
    }
    const least = format.args.filter((one) => one.optional !== true).length;
    if (args.length < least || args.length > format.args.length) {
      const wanted = format.args.map((one) => (one.optional === true ? `[${one.name}]` : one.name)).join(' ');
      return this.#report(
        'formatter-arguments',
        expression.place,
        `"${format.name}" takes ${wanted === '' ? 'no argument' : `the argument ${wanted}`}; ${args.length} given.`,
      );
    }
    format.args.forEach((wanted, i) => {
      const given = expression.args[i];
      if (given !== undefined) this.#argument(format.name, wanted, given, args[i] ?? FAULTY);
    });
    if (!value.members.every((one) => format.takes.some((kind) => fits(one, kind)))) {
      const wanted = format.takes.map((one) => KIND_WORDS[one]).join(' or ');
      const dated = format.takes.some((one) => one === 'date' || one === 'datetime') && value.members.some((one) => one.kind === 'text');
      return this.#report(
        'formatter-type',
        expression.place,
        `"${format.name}" formats ${wanted}; "${shown(expression.value)}" is ${inWords(present(value))}.`,
        dated ? 'Give the field "format": "date-time" (or "date") in the data schema.' : undefined,
      );
    }
    if (format.name === 'default') return either(present(value), args[0] ?? FAULTY);
    const gives: Type = format.gives === 'whole' ? WHOLE : TEXT;
    return value.absent ? optional(gives) : gives;
  }

  #argument(name: string, wanted: { name: string; kind: ValueKind; choices?: readonly string[] }, given: Expression, type: Type): void {
    if (type.absent && wanted.kind !== 'any') this.#absent(given, type);
    if (!type.members.every((one) => fits(one, wanted.kind))) {
      this.#report(
        'formatter-type',
        given.place,
        `The argument "${wanted.name}" of "${name}" must be ${KIND_WORDS[wanted.kind]}; this is ${inWords(present(type))}.`,
      );
    } else if (wanted.choices !== undefined && given.kind === 'literal' && !wanted.choices.includes(String(given.value))) {
      this.#report(
        'formatter-choice',
        given.place,
        `"${name}" has no ${wanted.name} "${String(given.value)}".`,
        didYouMean(String(given.value), wanted.choices),
      );
    }
  }

  #say(expression: Extract<Expression, { kind: 'say' }>, scope: Scope): Type {
    for (const { value } of expression.values) {
      const type = this.type(value, scope);
      if (type.absent) this.#absent(value, type);
    }
    const names = this.say?.names(expression.key);
    if (names === undefined) {
      return this.#report(
        'unknown-string',
        expression.place,
        `There is no string "${expression.key}" in strings/.`,
        didYouMean(expression.key, this.say?.keys ?? []),
      );
    }
    const given = expression.values.map((one) => one.name);
    for (const name of names) {
      if (!given.includes(name))
        this.#report(
          'string-value',
          expression.place,
          `The string "${expression.key}" needs a value for "${name}".`,
          `Write {{ say "${expression.key}" ${name}=… }}.`,
        );
    }
    for (const name of given) {
      if (!names.includes(name))
        this.#report('string-value', expression.place, `The string "${expression.key}" takes no "${name}".`, didYouMean(name, names));
    }
    return TEXT;
  }
}

function isWhole(type: Type): boolean {
  return type.members.every((one) => one.kind === 'number' && one.whole);
}

function mayBe(member: Member, value: string | number | boolean): boolean {
  if (member.kind === 'any') return true;
  if (typeof value === 'string') return member.kind === 'text' && (member.values?.includes(value) ?? true);
  if (typeof value === 'number') return member.kind === 'number' && (member.values?.includes(value) ?? true);
  return member.kind === 'truth';
}

/** Whether a value of this member can be given to what takes `kind`. */
function fits(member: Member, kind: ValueKind): boolean {
  if (member.kind === 'any' || kind === 'any') return true;
  switch (kind) {
    case 'text':
      return member.kind === 'text';
    case 'number':
      return member.kind === 'number';
    case 'whole':
      return member.kind === 'number' && member.whole;
    case 'truth':
      return member.kind === 'truth';
    case 'list':
      return member.kind === 'list';
    case 'date':
      return member.kind === 'text' && member.format === 'date';
    case 'datetime':
      return member.kind === 'text' && member.format === 'date-time';
    case 'time':
      return member.kind === 'text' && member.format === 'time';
    case 'duration':
      return member.kind === 'text' && member.format === 'duration';
  }
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
  const textual = type.members.every((one) => one.kind === 'text' || one.kind === 'number' || one.kind === 'any');
  const guard = `guard it by "if", or name it in "required" of the data schema.`;
  return textual ? `Give another value, ${otherwise}; or ${guard}` : `${guard.charAt(0).toUpperCase()}${guard.slice(1)}`;
}
