import { FORMATS } from '../formats/index.js';
import { parseExpression, parseParts, type Expression } from '../notation/index.js';
import { Budget, didYouMean, problem, SourceText, type BudgetLimits, type Problem } from '../problems/index.js';
import { Names, valueOf } from '../program/index.js';
import { bareEnvironment, compileValue, put, truthy, type Environment } from '../render/index.js';

/**
 * Makes JSON from data. `undefined` where the whole is left out. Every entry, text and turn of a loop is a step of its budget; every text, key
 * and value that it puts out counts by its length, so that what comes out is not much larger than the budget's bytes.
 * @throws BudgetExceeded
 */
export type PayloadTemplate = (data: Readonly<Record<string, unknown>>, work?: Budget) => unknown;

export interface ReadPayloadTemplate {
  readonly payload: PayloadTemplate;
  readonly problems: readonly Problem[];
}

/** What is known of a value: nothing, the names of its fields, more of each field, or what each entry of a list is. */
export type Known = undefined | readonly string[] | { readonly fields: KnownNames } | { readonly each: Known };

/** Names of data, each with what is known of it. */
export interface KnownNames {
  readonly [name: string]: Known;
}

export interface PayloadOptions {
  /** What comes of a value that is absent: nothing, or null. */
  readonly absent?: 'left-out' | 'null';
}

interface PayloadEnvironment extends Environment {
  readonly work: Budget;
  /** How long values of the data are that were put out, so that one that comes often is measured once. */
  readonly lengths: WeakMap<object, number>;
}

type Run = (env: PayloadEnvironment) => unknown;
type Json = Readonly<Record<string, unknown>>;

/** Marks an entry that is left out, also from lists. */
const NOTHING = undefined;
const MAX_DEPTH = 32;
/** Where whoever makes a payload names no other bounds. */
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
  { absent = 'left-out' }: PayloadOptions = {},
): ReadPayloadTemplate {
  const problems: Problem[] = [];
  const reader = new ShapeReader(where, problems, known, absent === 'null' ? null : NOTHING);
  const run = reader.read(template, new Names(), '$', 0);
  const { slots } = reader;
  return {
    problems,
    payload: (data, work = new Budget(where, USUAL)) => run({ ...bareEnvironment(data, slots), work, lengths: new WeakMap() }),
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

  constructor(
    private readonly where: string,
    private readonly problems: Problem[],
    private readonly known: KnownNames | undefined,
    /** What stands for a value that is absent. */
    private readonly absent: null | undefined,
  ) {}

  /** What is known of the variables of the loops around, by slot. */
  readonly #ofSlots: { readonly name: string; readonly known: Known }[] = [];

  read(template: unknown, names: Names, path: string, depth: number): Run {
    if (depth > MAX_DEPTH) {
      this.#fault(path, '', 'nesting', `This nests deeper than ${MAX_DEPTH} levels.`);
      return () => NOTHING;
    }
    if (typeof template === 'string') return this.#text(template, names, path);
    if (Array.isArray(template)) return this.#list(template, names, path, depth);
    if (!isRecord(template)) return (env) => take(env, template);
    if ('$each' in template) return this.#each(template, names, path, depth);
    if ('$if' in template) return this.#if(template, names, path, depth);
    const entries = Object.entries(template).map(([key, inner]) => [key, this.read(inner, names, `${path}.${key}`, depth + 1)] as const);
    return (env) => {
      const out: Record<string, unknown> = {};
      for (const [key, run] of entries) {
        env.work.step();
        env.work.spend(key.length);
        const value = run(env);
        if (value !== NOTHING) Object.defineProperty(out, key, { value, enumerable: true, configurable: true, writable: true });
      }
      return out;
    };
  }

  #list(template: readonly unknown[], names: Names, path: string, depth: number): Run {
    const entries = template.map((inner, i) => ({
      // A loop within a list gives its entries to the list.
      spread: isRecord(inner) && '$each' in inner,
      run: this.read(inner, names, `${path}[${i}]`, depth + 1),
    }));
    return (env) =>
      entries.flatMap(({ spread, run }): unknown[] => {
        const value = run(env);
        if (value === NOTHING) return [];
        return spread && Array.isArray(value) ? (value as unknown[]) : [value];
      });
  }

  #each(template: Json, names: Names, path: string, depth: number): Run {
    const header = /^\s*([\p{L}_][\p{L}\p{N}_]*)\s+in\s+(\S.*)$/su.exec(String(template['$each']));
    if (header === null) {
      this.#fault(path, String(template['$each']), 'each-form', '"$each" is written "item in list".');
      return () => NOTHING;
    }
    const list = this.#expression(header[2] ?? '', names, path);
    const entry = names.with(header[1] ?? '');
    this.#ofSlots[entry.slot] = { name: header[1] ?? '', known: this.#eachOf(header[2] ?? '', names) };
    this.slots = Math.max(this.slots, entry.slot + 1);
    const value = this.read(template['$value'], entry.names, `${path}.$value`, depth + 1);
    return (env) => {
      const found = list(env);
      if (!Array.isArray(found)) return [];
      return found.flatMap((item: unknown): unknown[] => {
        env.work.step();
        env.slots[entry.slot] = item;
        const made = value(env);
        return made === NOTHING ? [] : [made];
      });
    };
  }

  #if(template: Json, names: Names, path: string, depth: number): Run {
    const test = this.#expression(String(template['$if']), names, path);
    const yes = this.read(template['$value'], names, `${path}.$value`, depth + 1);
    const no = '$else' in template ? this.read(template['$else'], names, `${path}.$else`, depth + 1) : () => NOTHING;
    return (env) => {
      env.work.step();
      return truthy(test(env)) ? yes(env) : no(env);
    };
  }

  #text(template: string, names: Names, path: string): Run {
    if (!template.includes('{{')) return (env) => take(env, template);
    const found: Problem[] = [];
    const parts = parseParts(this.#source(template), 0, template.length, found);
    this.#report(path, found);
    const runs = parts.map((part): Run => (typeof part === 'string' ? () => part : this.#compile(part, names, path)));
    const [only] = runs;
    if (runs.length === 1 && only !== undefined) return (env) => take(env, only(env)) ?? this.absent;
    return (env) => {
      let text = '';
      for (const run of runs) {
        const part = put(run(env));
        take(env, part);
        text += part;
      }
      return text;
    };
  }

  #expression(text: string, names: Names, path: string): Run {
    const found: Problem[] = [];
    const parsed = parseExpression(this.#source(text), 0, text.length, found);
    this.#report(path, found);
    return parsed === undefined ? () => NOTHING : this.#compile(parsed, names, path);
  }

  #compile(parsed: Expression, names: Names, path: string): Run {
    const value = valueOf(parsed, names);
    if (!this.#formatsOf(value, path)) return () => NOTHING;
    if (this.known !== undefined) this.#look(value, this.known, path);
    return compileValue(value);
  }

  /** @returns whether all its formatters are there */
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

  /** Problems of a text within, told with the path at which it stands. */
  #report(path: string, found: readonly Problem[]): void {
    this.problems.push(...found.map((fault) => ({ ...fault, message: `${path}: ${fault.message}` })));
  }

  #fault(path: string, text: string, code: string, message: string): void {
    this.problems.push(problem(code, this.#source(text).place(0, text.length), `${path}: ${message}`));
  }
}
