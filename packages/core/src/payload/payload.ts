import { FORMATS } from '../formats/index.js';
import { parseExpression, parseParts, type Expression } from '../notation/index.js';
import { Budget, didYouMean, problem, SourceText, type BudgetLimits, type Place, type Problem } from '../problems/index.js';
import { Names, valueOf } from '../program/index.js';
import { ExpressionTyper, insertFaults, type Scope, type Type } from '../typing/index.js';
import { anythingOf, chosenType, entryTypes, listType, recordType, textType, valueType } from './shape-types.js';
import { bareEnvironment, compileValue, put, truthy, type Environment } from '../render/index.js';

/**
 * Makes JSON from data. `undefined` where the whole is left out. Every entry, text and turn of a loop is a step of its budget; every text, key
 * and value that it puts out counts by its length, so that what comes out is not much larger than the budget's bytes.
 * @throws BudgetExceeded
 */
export type PayloadTemplate = (data: Readonly<Record<string, unknown>>, work?: Budget) => unknown;

export interface ReadPayloadTemplate {
  readonly payload: PayloadTemplate;
  /** What it makes, where the types of the data are known; else anything. */
  readonly type: Type;
  readonly problems: readonly Problem[];
}

/** What is known of a value: nothing, the names of its fields, more of each field, or what each entry of a list is. */
export type Known = undefined | readonly string[] | { readonly fields: KnownNames } | { readonly each: Known };

/** Names of data, each with what is known of it. */
export interface KnownNames {
  readonly [name: string]: Known;
}

export interface PayloadOptions {
  /** The result of an absent value: nothing, or null. */
  readonly absent?: 'left-out' | 'null';
  /** The names that the data will have with their types: every expression is typed then, and what may be absent or no text is no part of one. */
  readonly scope?: Scope;
  /** Where a part of the template stands, by its path ("$.to[0].name"); left out: problems name the path. */
  readonly placeOf?: (path: string) => Place;
}

interface PayloadEnvironment extends Environment {
  readonly work: Budget;
  /** How long values of the data are that were put out, so that one that comes often is measured once. */
  readonly lengths: WeakMap<object, number>;
}

type Run = (env: PayloadEnvironment) => unknown;
/** How a part of the template runs, and what it makes. */
interface Shape {
  readonly run: Run;
  readonly type: Type;
}
/** Names in reach of a part of the template. */
interface Reach {
  readonly names: Names;
  readonly scope: Scope | undefined;
}
type Json = Readonly<Record<string, unknown>>;

const isError = ({ severity }: Problem): boolean => severity === 'error';

/** Marks an entry that is left out, also from lists. */
const NOTHING = undefined;
const MAX_DEPTH = 32;
/** The default bounds of a payload. */
const USUAL: BudgetLimits = { steps: 200_000, bytes: 64 * 1024 * 1024 };
/** About how long a number, true, false or null is. */
const BARE_LENGTH = 5;

/**
 * Reads a template for JSON, written as JSON: texts may hold `{{ }}` with the expressions of mail templates. A text that is one expression
 * and nothing else keeps the expression's type; where its value is absent, the entry is left out.
 * `{"$each": "item in list", "$value": …}` makes a list; `{"$if": "test", "$value": …, "$else": …}` chooses.
 * @param where what problems name as their file
 * @param known the names that the data will have, each with those of its fields (or none, where any may come); left out: nothing is looked at
 */
export function readPayloadTemplate(
  template: unknown,
  where: string,
  known?: KnownNames,
  options: PayloadOptions = {},
): ReadPayloadTemplate {
  const problems: Problem[] = [];
  const reader = new ShapeReader(where, problems, known, options);
  const { run, type } = reader.read(template, reader.reach, '$', 0);
  const { slots } = reader;
  return {
    problems,
    type,
    payload: (data, work = new Budget(where, USUAL)) => run({ ...bareEnvironment(data, slots), work, lengths: new WeakMap() }),
  };
}

/** A test or value that is one expression, typed: for what decides over a payload. */
export function readPayloadExpression(
  text: string,
  where: string,
  options: PayloadOptions & { readonly path: string },
): {
  readonly value: PayloadTemplate;
  readonly type: Type;
  readonly problems: readonly Problem[];
  readonly parsed: Expression | undefined;
} {
  const problems: Problem[] = [];
  const reader = new ShapeReader(where, problems, undefined, options);
  const parsed = reader.parse(text, options.path);
  const { run, type } =
    parsed === undefined ? { run: () => NOTHING, type: reader.anything } : reader.compile(parsed, reader.reach, options.path);
  return {
    problems,
    type,
    parsed,
    value: (data, work = new Budget(where, USUAL)) => run({ ...bareEnvironment(data, reader.slots), work, lengths: new WeakMap() }),
  };
}

/** Puts out a value of the data. */
function take(env: PayloadEnvironment, value: unknown): unknown {
  env.work.step();
  env.work.spend(lengthOf(env, value));
  return value;
}

/** About how long a value is as JSON. */
function lengthOf(env: PayloadEnvironment, value: unknown): number {
  if (typeof value === 'string') return value.length;
  if (typeof value !== 'object' || value === null) return BARE_LENGTH;
  const known = env.lengths.get(value);
  if (known !== undefined) return known;
  let length = 2;
  for (const [name, inner] of Object.entries(value)) {
    env.work.step();
    length += (Array.isArray(value) ? 0 : name.length) + lengthOf(env, inner);
  }
  env.lengths.set(value, length);
  return length;
}

function isRecord(value: unknown): value is Json {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

function isList(known: Known): known is readonly string[] {
  return Array.isArray(known);
}

class ShapeReader {
  slots = 0;
  /** What is not typed may be anything. */
  readonly anything: Type;
  readonly reach: Reach;
  readonly #typer: ExpressionTyper | undefined;
  /** What stands for a value that is absent. */
  readonly #absent: null | undefined;
  readonly #typingProblems: Problem[] = [];

  constructor(
    private readonly where: string,
    private readonly problems: Problem[],
    private readonly known: KnownNames | undefined,
    private readonly options: PayloadOptions,
  ) {
    const { scope, absent = 'left-out' } = options;
    this.#typer = scope === undefined ? undefined : new ExpressionTyper(this.#typingProblems, undefined);
    this.#absent = absent === 'null' ? null : NOTHING;
    this.anything = anythingOf(scope !== undefined);
    this.reach = { names: new Names(this.#typer?.types), scope };
  }

  /** What is known of the variables of the loops around, by slot. */
  readonly #ofSlots: { readonly name: string; readonly known: Known }[] = [];

  read(template: unknown, reach: Reach, path: string, depth: number): Shape {
    if (depth > MAX_DEPTH) {
      this.#fault(path, '', 'nesting', `This nests deeper than ${MAX_DEPTH} levels.`);
      return this.#nothing();
    }
    if (typeof template === 'string') return this.#text(template, reach, path);
    if (Array.isArray(template)) return this.#list(template, reach, path, depth);
    if (!isRecord(template)) return { run: (env) => take(env, template), type: valueType(template) };
    if ('$each' in template) return this.#each(template, reach, path, depth);
    if ('$if' in template) return this.#if(template, reach, path, depth);
    const entries = Object.entries(template).map(([key, inner]) => [key, this.read(inner, reach, `${path}.${key}`, depth + 1)] as const);
    return {
      type: recordType(new Map(entries.map(([key, { type }]) => [key, type]))),
      run: (env) => {
        const out: Record<string, unknown> = {};
        for (const [key, { run }] of entries) {
          env.work.step();
          env.work.spend(key.length);
          const value = run(env);
          if (value !== NOTHING) Object.defineProperty(out, key, { value, enumerable: true, configurable: true, writable: true });
        }
        return out;
      },
    };
  }

  #nothing(): Shape {
    return { run: () => NOTHING, type: this.anything };
  }

  #list(template: readonly unknown[], reach: Reach, path: string, depth: number): Shape {
    const entries = template.map((inner, i) => ({
      // A loop within a list gives its entries to the list.
      spread: isRecord(inner) && '$each' in inner,
      ...this.read(inner, reach, `${path}[${i}]`, depth + 1),
    }));
    return {
      type: listType(entries),
      run: (env) =>
        entries.flatMap(({ spread, run }): unknown[] => {
          const value = run(env);
          if (value === NOTHING) return [];
          return spread && Array.isArray(value) ? (value as unknown[]) : [value];
        }),
    };
  }

  #each(template: Json, { names, scope }: Reach, path: string, depth: number): Shape {
    const header = /^\s*([\p{L}_][\p{L}\p{N}_]*)\s+in\s+(\S.*)$/su.exec(String(template['$each']));
    if (header === null) {
      this.#fault(path, String(template['$each']), 'each-form', '"$each" is written "item in list".');
      return this.#nothing();
    }
    const [, name = '', text = ''] = header;
    const list = this.#expression(text, { names, scope }, path);
    const entry = names.with(name);
    this.#ofSlots[entry.slot] = { name, known: this.#eachOf(text, names) };
    this.slots = Math.max(this.slots, entry.slot + 1);
    const { of, least, isList: isFine } = entryTypes(list.type);
    if (scope !== undefined && !isFine) this.#fault(path, text, 'each-type', `"$each" goes through a list; "${text.trim()}" is none.`);
    const inner = { names: entry.names, scope: scope?.with(name, of) };
    const value = this.read(template['$value'], inner, `${path}.$value`, depth + 1);
    return {
      type: listType([{ spread: true, type: listType([{ spread: false, type: value.type }]), least: value.type.absent ? 0 : least }]),
      run: (env) => {
        const found = list.run(env);
        if (!Array.isArray(found)) return [];
        return found.flatMap((item: unknown): unknown[] => {
          env.work.step();
          env.slots[entry.slot] = item;
          const made = value.run(env);
          return made === NOTHING ? [] : [made];
        });
      },
    };
  }

  #if(template: Json, reach: Reach, path: string, depth: number): Shape {
    const text = String(template['$if']);
    const parsed = this.parse(text, path);
    const test = parsed === undefined ? this.#nothing() : this.compile(parsed, reach, path);
    const after = (outcome: boolean): Reach => {
      const { scope, names } = reach;
      return scope === undefined || parsed === undefined
        ? reach
        : { names, scope: this.#typer?.narrowed(scope, parsed, { outcome }) ?? scope };
    };
    const yes = this.read(template['$value'], after(true), `${path}.$value`, depth + 1);
    const no = '$else' in template ? this.read(template['$else'], after(false), `${path}.$else`, depth + 1) : undefined;
    return {
      type: chosenType(yes.type, no?.type),
      run: (env) => {
        env.work.step();
        return truthy(test.run(env)) ? yes.run(env) : no?.run(env);
      },
    };
  }

  #text(template: string, reach: Reach, path: string): Shape {
    if (!template.includes('{{')) return { run: (env) => take(env, template), type: valueType(template) };
    const found: Problem[] = [];
    const parts = parseParts(this.#source(template), 0, template.length, found);
    this.#report(path, found);
    const [only] = parts;
    if (parts.length === 1 && only !== undefined && typeof only !== 'string') {
      const { run, type } = this.compile(only, reach, path);
      return { type, run: (env) => take(env, run(env)) ?? this.#absent };
    }
    const runs = parts.map((part): Run => {
      if (typeof part === 'string') return () => part;
      const { run, type } = this.compile(part, reach, path);
      if (reach.scope !== undefined) this.#report(path, insertFaults(part, type, { prose: false }).filter(isError));
      return run;
    });
    return {
      type: textType(parts[0]),
      run: (env) => {
        let text = '';
        for (const run of runs) {
          const part = put(run(env));
          take(env, part);
          text += part;
        }
        return text;
      },
    };
  }

  parse(text: string, path: string): Expression | undefined {
    const found: Problem[] = [];
    const parsed = parseExpression(this.#source(text), 0, text.length, found);
    this.#report(path, found);
    return parsed;
  }

  #expression(text: string, reach: Reach, path: string): Shape {
    const parsed = this.parse(text, path);
    return parsed === undefined ? this.#nothing() : this.compile(parsed, reach, path);
  }

  compile(parsed: Expression, { names, scope }: Reach, path: string): Shape {
    const type = scope === undefined || this.#typer === undefined ? this.anything : this.#typer.type(parsed, scope);
    this.#report(path, this.#typingProblems.splice(0));
    const value = valueOf(parsed, names);
    if (!this.#formatsOf(value, path)) return this.#nothing();
    if (this.known !== undefined) this.#look(value, this.known, path);
    return { run: compileValue(value), type };
  }

  /** @returns whether all its formatters exist */
  #formatsOf(node: unknown, path: string): boolean {
    if (typeof node !== 'object' || node === null) return true;
    let known = true;
    if (isRecord(node) && node['k'] === 'format' && !FORMATS.has(String(node['name']))) {
      const name = String(node['name']);
      this.#fault(path, name, 'unknown-formatter', `There is no formatter "${name}". ${didYouMean(name, FORMATS.keys()) ?? ''}`.trim());
      known = false;
    }
    return Object.values(node).every((inner) => this.#formatsOf(inner, path)) && known;
  }

  /** A name that nothing will ever have is a slip of the hand. */
  #look(node: unknown, known: KnownNames, path: string): void {
    if (typeof node !== 'object' || node === null) return;
    if (isRecord(node) && node['k'] === 'path') this.#walk(node, known, path);
    for (const inner of Object.values(node)) this.#look(inner, known, path);
  }

  /** Follows a path through what is known. @returns what is known of the value that it leads to */
  #walk(node: Json, known: KnownNames, path: string | undefined): Known {
    const { root, steps } = node as { readonly root: 'data' | 'mail' | number; readonly steps: readonly unknown[] };
    if (root === 'mail') return undefined;
    const slot = root === 'data' ? { name: '', known: { fields: known } } : this.#ofSlots[root];
    let at: Known = slot?.known;
    let parent = slot?.name ?? '';
    for (const step of steps) {
      if (at === undefined || typeof step !== 'string') return undefined;
      const names: readonly string[] = isList(at) ? at : 'fields' in at ? Object.keys(at.fields) : [];
      if (!names.includes(step)) {
        if (path !== undefined) this.#unknown({ name: step, parent, names }, path);
        return undefined;
      }
      at = isList(at) || !('fields' in at) ? undefined : at.fields[step];
      parent = parent === '' ? step : `${parent}.${step}`;
    }
    return at;
  }

  #unknown(
    { name, parent, names }: { readonly name: string; readonly parent: string; readonly names: readonly string[] },
    path: string,
  ): void {
    const hint = didYouMean(name, names) ?? '';
    const message = parent === '' ? `There is no "${name}" here. ${hint}` : `"${parent}" has no "${name}". ${hint}`;
    this.#fault(path, name, 'unknown-name', message.trim());
  }

  /** What is known of the entries of a list. */
  #eachOf(text: string, names: Names): Known {
    const parsed = parseExpression(this.#source(text), 0, text.length, []);
    if (parsed === undefined || this.known === undefined) return undefined;
    const value = valueOf(parsed, names) as unknown as Json;
    const list = value['k'] === 'path' ? this.#walk(value, this.known, undefined) : undefined;
    return list === undefined || isList(list) || !('each' in list) ? undefined : list.each;
  }

  #source(text: string): SourceText {
    return new SourceText(this.where, text);
  }

  /** Problems of a text within, with where it is. */
  #report(path: string, found: readonly Problem[]): void {
    this.problems.push(...found.map((fault) => this.#placed(path, fault)));
  }

  #fault(path: string, text: string, code: string, message: string): void {
    // The typer has found it already.
    if (this.problems.some((other) => other.code === code && this.options.placeOf !== undefined && other.message === message)) return;
    this.problems.push(this.#placed(path, problem(code, this.#source(text).place(0, text.length), message)));
  }

  #placed(path: string, fault: Problem): Problem {
    const { placeOf } = this.options;
    return placeOf === undefined ? { ...fault, message: `${path}: ${fault.message}` } : { ...fault, place: placeOf(path) };
  }
}
