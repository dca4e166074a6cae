import { CAUSES } from '../delivery/index.js';
import { didYouMean } from '../problems/index.js';
import { EVENT_KINDS, type EventFields } from './event.js';

/** What is wrong with a filter, and where: offset and length in signs. */
export interface FilterFault {
  readonly message: string;
  readonly at: number;
  readonly length: number;
  readonly hint?: string | undefined;
}

export type Comparison = '=' | '!=' | '<' | '<=' | '>' | '>=' | 'contains' | 'starts-with';

/** A filter as a tree. */
export type Filter =
  | { readonly kind: 'and' | 'or'; readonly parts: readonly Filter[] }
  | { readonly kind: 'not'; readonly part: Filter }
  | { readonly kind: 'compare'; readonly field: string; readonly operator: Comparison; readonly value: string | number }
  | { readonly kind: 'in'; readonly field: string; readonly values: readonly (string | number)[] };

export type ReadFilter =
  | { readonly filter: Filter; readonly fault?: undefined }
  | { readonly filter?: undefined; readonly fault: FilterFault };

/** Fields with their types; where there are only so many values, all of them. `labels.NAME` is a text too. */
const FILTER_FIELDS: Readonly<Record<string, { readonly type: 'text' | 'number'; readonly values?: readonly string[] }>> = {
  type: { type: 'text', values: EVENT_KINDS },
  cause: { type: 'text', values: CAUSES },
  source: { type: 'text', values: ['attempt', 'return', 'service'] },
  topic: { type: 'text' },
  template: { type: 'text' },
  provider: { type: 'text' },
  address: { type: 'text' },
  domain: { type: 'text' },
  subject: { type: 'text' },
  reference: { type: 'text' },
  locale: { type: 'text' },
  status: { type: 'text' },
  diagnostic: { type: 'text' },
  messageId: { type: 'text' },
  deliveryId: { type: 'text' },
  space: { type: 'text' },
  by: { type: 'text', values: ['person', 'machine', 'unknown'] },
  'link.url': { type: 'text' },
  'link.label': { type: 'text' },
  'link.index': { type: 'number' },
  block: { type: 'text' },
  rule: { type: 'text' },
  group: { type: 'text' },
  edition: { type: 'number' },
  replyCode: { type: 'number' },
  value: { type: 'number' },
};

/** Bounds of a filter: signs, how deep it nests, and conditions, each of which is looked at for each event. */
const FILTER_BOUNDS = { length: 4000, depth: 32, conditions: 100 } as const;

interface Token {
  readonly kind: 'word' | 'text' | 'number' | 'sign' | 'end';
  readonly text: string;
  readonly at: number;
  readonly length: number;
}

class Stop extends Error {
  constructor(readonly fault: FilterFault) {
    super(fault.message);
  }
}

const SIGNS = ['!=', '<=', '>=', '=', '<', '>', '(', ')', '[', ']', ','];
const WORD = /[\p{L}\p{N}_][\p{L}\p{N}_.:@+-]*/uy;
const NUMBER = /-?\d+(?:\.\d+)?(?![\p{L}\p{N}_.])/uy;

function tokensOf(source: string): Token[] {
  const out: Token[] = [];
  let at = 0;
  while (at < source.length) {
    const sign = source[at] ?? '';
    if (/\s/.test(sign)) {
      at += 1;
      continue;
    }
    if (sign === '"' || sign === "'") {
      let text = '';
      let end = at + 1;
      while (end < source.length && source[end] !== sign) {
        if (source[end] === '\\') end += 1;
        text += source[end] ?? '';
        end += 1;
      }
      if (end >= source.length)
        throw new Stop({ message: 'This text is not closed.', at, length: source.length - at, hint: `Put ${sign} at its end.` });
      out.push({ kind: 'text', text, at, length: end + 1 - at });
      at = end + 1;
      continue;
    }
    NUMBER.lastIndex = at;
    const number = NUMBER.exec(source)?.[0];
    if (number !== undefined) {
      out.push({ kind: 'number', text: number, at, length: number.length });
      at += number.length;
      continue;
    }
    WORD.lastIndex = at;
    const word = WORD.exec(source)?.[0];
    if (word !== undefined) {
      out.push({ kind: 'word', text: word, at, length: word.length });
      at += word.length;
      continue;
    }
    const found = SIGNS.find((text) => source.startsWith(text, at));
    if (found === undefined)
      throw new Stop({
        message: `"${String.fromCodePoint(source.codePointAt(at) ?? 0)}" has no meaning in a filter.`,
        at,
        length: 1,
        hint: 'Put texts in quotes.',
      });
    out.push({ kind: 'sign', text: found, at, length: found.length });
    at += found.length;
  }
  out.push({ kind: 'end', text: '', at: source.length, length: 0 });
  return out;
}

const OPERATORS: readonly string[] = ['=', '!=', '<', '<=', '>', '>=', 'contains', 'starts-with', 'in'];
const ORDERED: readonly string[] = ['<', '<=', '>', '>='];
const KEYWORDS: ReadonlySet<string> = new Set(['and', 'or', 'not', 'in', 'contains', 'starts-with']);

class Reader {
  #n = 0;
  #conditions = 0;
  constructor(private readonly tokens: readonly Token[]) {}

  read(): Filter {
    const filter = this.#or(0);
    const next = this.#peek();
    if (next.kind !== 'end') this.#stop(next, `Expected the end, found "${next.text}" does.`, 'Join conditions by "and" or "or".');
    return filter;
  }

  #peek(): Token {
    return this.tokens[this.#n] as Token;
  }

  #take(): Token {
    const token = this.#peek();
    if (token.kind !== 'end') this.#n += 1;
    return token;
  }

  #is(text: string): boolean {
    const { kind, text: found } = this.#peek();
    if ((kind !== 'word' && kind !== 'sign') || found !== text) return false;
    this.#n += 1;
    return true;
  }

  #stop(token: Token, message: string, hint?: string): never {
    throw new Stop({ message, at: token.at, length: Math.max(1, token.length), hint });
  }

  #or(depth: number): Filter {
    const parts = [this.#and(depth)];
    while (this.#is('or')) parts.push(this.#and(depth));
    return parts.length === 1 ? (parts[0] as Filter) : { kind: 'or', parts };
  }

  #and(depth: number): Filter {
    const parts = [this.#not(depth)];
    while (this.#is('and')) parts.push(this.#not(depth));
    return parts.length === 1 ? (parts[0] as Filter) : { kind: 'and', parts };
  }

  #not(depth: number): Filter {
    if (depth > FILTER_BOUNDS.depth) this.#stop(this.#peek(), `This nests deeper than ${FILTER_BOUNDS.depth} levels.`);
    if (this.#is('not')) return { kind: 'not', part: this.#not(depth + 1) };
    if (this.#is('(')) {
      const inner = this.#or(depth + 1);
      if (!this.#is(')')) this.#stop(this.#peek(), 'A parenthesis is not closed.', 'Put ")" here.');
      return inner;
    }
    return this.#compare();
  }

  #compare(): Filter {
    const field = this.#take();
    this.#conditions += 1;
    if (this.#conditions > FILTER_BOUNDS.conditions)
      this.#stop(
        field,
        `A filter has ${FILTER_BOUNDS.conditions} conditions at most.`,
        'Several values of one field: field in [one, two].',
      );
    if (field.kind !== 'word' || KEYWORDS.has(field.text))
      this.#stop(
        field,
        field.kind === 'end' ? 'A condition is missing at the end.' : `Expected a field, found "${field.text}".`,
        'A condition is written: field operator value.',
      );
    const known =
      field.text.startsWith('labels.') && field.text.length > 'labels.'.length
        ? { type: 'text' as const }
        : Object.hasOwn(FILTER_FIELDS, field.text)
          ? FILTER_FIELDS[field.text]
          : undefined;
    if (known === undefined)
      this.#stop(
        field,
        `There is no field "${field.text}".`,
        field.text.startsWith('labels') ? 'Labels are written labels.NAME.' : didYouMean(field.text, Object.keys(FILTER_FIELDS)),
      );
    const operator = this.#take();
    if ((operator.kind !== 'sign' && operator.kind !== 'word') || !OPERATORS.includes(operator.text))
      this.#stop(
        operator,
        operator.kind === 'end' ? `"${field.text}" is compared with nothing.` : `"${operator.text}" is no operator.`,
        `One of: ${OPERATORS.join(' ')}.`,
      );
    if (operator.text === 'in') {
      if (!this.#is('[')) this.#stop(this.#peek(), 'A list must follow "in".', 'It is written [one, two].');
      const values = [this.#value(field.text, known, { isPart: false })];
      while (this.#is(',')) values.push(this.#value(field.text, known, { isPart: false }));
      if (!this.#is(']')) this.#stop(this.#peek(), 'The list is not closed.', 'Put "]" here.');
      return { kind: 'in', field: field.text, values };
    }
    if (ORDERED.includes(operator.text) && known.type !== 'number')
      this.#stop(
        operator,
        `"${field.text}" is a text; texts have no "${operator.text}".`,
        'Texts are compared by = != contains starts-with in.',
      );
    const isPart = operator.text === 'contains' || operator.text === 'starts-with';
    if (isPart && known.type === 'number')
      this.#stop(
        operator,
        `"${field.text}" is a number; numbers have no "${operator.text}".`,
        'Numbers are compared by = != < <= > >= in.',
      );
    return { kind: 'compare', field: field.text, operator: operator.text as Comparison, value: this.#value(field.text, known, { isPart }) };
  }

  #value(
    field: string,
    known: { readonly type: 'text' | 'number'; readonly values?: readonly string[] },
    { isPart }: { readonly isPart: boolean },
  ): string | number {
    const token = this.#take();
    if (token.kind === 'end') this.#stop(token, 'A value is missing at the end.');
    if (token.kind === 'sign' || (token.kind === 'word' && KEYWORDS.has(token.text)))
      this.#stop(token, `Expected a value, found "${token.text}".`);
    if (known.type === 'number') {
      if (token.kind !== 'number') this.#stop(token, `"${field}" is a number, "${token.text}" is none.`);
      return Number(token.text);
    }
    if (known.values !== undefined && !isPart && !known.values.includes(token.text))
      this.#stop(
        token,
        `"${field}" is never "${token.text}".`,
        didYouMean(token.text, known.values) ?? `One of: ${known.values.join(', ')}.`,
      );
    return token.text;
  }
}

/**
 * Reads a filter: conditions `field operator value`, joined by `and`, `or`, `not` and parentheses. Operators: = != < <= > >= contains
 * starts-with in [a, b]. Texts may stand without quotes where they are one word. An empty filter lets everything through.
 */
export function readFilter(source: string): ReadFilter {
  if (source.length > FILTER_BOUNDS.length)
    return { fault: { message: `A filter has ${FILTER_BOUNDS.length} signs at most.`, at: FILTER_BOUNDS.length, length: 1 } };
  if (source.trim() === '') return { filter: { kind: 'and', parts: [] } };
  try {
    return { filter: new Reader(tokensOf(source)).read() };
  } catch (error) {
    if (error instanceof Stop) return { fault: error.fault };
    throw error;
  }
}

/**
 * Whether a filter lets an event through. A field that the event does not have equals nothing: "=" and its like are false for it, "!=" is true.
 * Texts are compared as they are written; "contains" and "starts-with" do not look at case.
 */
export function passes(filter: Filter, fields: EventFields): boolean {
  switch (filter.kind) {
    case 'and':
      return filter.parts.every((part) => passes(part, fields));
    case 'or':
      return filter.parts.some((part) => passes(part, fields));
    case 'not':
      return !passes(filter.part, fields);
    case 'in': {
      const value = Object.hasOwn(fields, filter.field) ? fields[filter.field] : undefined;
      return value !== undefined && filter.values.includes(value);
    }
    case 'compare': {
      const value = Object.hasOwn(fields, filter.field) ? fields[filter.field] : undefined;
      return COMPARE[filter.operator](value, filter.value);
    }
  }
}

/**
 * The values of which a field must have one for a filter to let an event through; undefined where it may have any, or none at all. So a search
 * can begin with what is rare.
 */
export function valuesOf(filter: Filter, field: string): readonly (string | number)[] | undefined {
  switch (filter.kind) {
    case 'compare':
      return filter.field === field && filter.operator === '=' ? [filter.value] : undefined;
    case 'in':
      return filter.field === field ? filter.values : undefined;
    case 'not':
      return undefined;
    case 'and':
      return filter.parts
        .map((part) => valuesOf(part, field))
        .reduce(
          (all, values) => (all === undefined || values === undefined ? (all ?? values) : all.filter((value) => values.includes(value))),
          undefined,
        );
    case 'or': {
      const all = filter.parts.map((part) => valuesOf(part, field));
      // Without parts nothing passes.
      return all.every((values) => values !== undefined) ? [...new Set(all.flat())] : undefined;
    }
  }
}

type Compare = (value: string | number | undefined, wanted: string | number) => boolean;

const ordered =
  (test: (a: number, b: number) => boolean): Compare =>
  (value, wanted) =>
    typeof value === 'number' && typeof wanted === 'number' && test(value, wanted);
const small = (value: string | number): string => String(value).toLowerCase();

const COMPARE: Readonly<Record<Comparison, Compare>> = {
  '=': (value, wanted) => value === wanted,
  '!=': (value, wanted) => value !== wanted,
  '<': ordered((a, b) => a < b),
  '<=': ordered((a, b) => a <= b),
  '>': ordered((a, b) => a > b),
  '>=': ordered((a, b) => a >= b),
  contains: (value, wanted) => value !== undefined && small(value).includes(small(wanted)),
  'starts-with': (value, wanted) => value !== undefined && small(value).startsWith(small(wanted)),
};
