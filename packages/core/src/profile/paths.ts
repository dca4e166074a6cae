import { JSONPathEnvironment, FunctionExpressionType, type FilterFunction, type JSONPathQuery, type JSONValue } from 'json-p3';
import { RE2JS } from 're2js';
import { isDeeper } from '../problems/index.js';

/** A JSONPath (RFC 9535), compiled. It never throws, whatever it looks into. */
export interface CompiledPath {
  readonly text: string;
  /** Everything at the path, in the order of the library; nothing where the value is too deep or too large for it. */
  readonly all: (value: unknown) => readonly unknown[];
  /** The first thing at the path. */
  readonly first: (value: unknown) => unknown;
}

/** Deepest value that a path is looked up in. */
const MOST_DEPTH = 64;
/** Most entries of a value that a path with ".." or a filter is looked up in: such a path looks at each several times. */
const MOST_ENTRIES = 200_000;
/** Descendant segments in one path: each multiplies what is looked at by the depth. */
const MOST_DESCENTS = 2;
const MOST_LENGTH = 500;

/** The functions "match" and "search" (RFC 9535 2.4.6, 2.4.7) by an engine that takes linear time. */
function byPattern(isWhole: boolean): FilterFunction {
  return {
    argTypes: [FunctionExpressionType.ValueType, FunctionExpressionType.ValueType],
    returnType: FunctionExpressionType.LogicalType,
    call: (text: unknown, pattern: unknown): boolean => {
      if (typeof text !== 'string' || typeof pattern !== 'string') return false;
      try {
        const matcher = RE2JS.compile(pattern).matcher(text);
        return isWhole ? matcher.matches() : matcher.find();
      } catch {
        // RFC 9535 2.4.6: what is not a pattern matches nothing.
        return false;
      }
    },
  };
}

class Environment extends JSONPathEnvironment {
  override setupFilterFunctions(): void {
    super.setupFilterFunctions();
    this.functionRegister.set('match', byPattern(true));
    this.functionRegister.set('search', byPattern(false));
  }
}

const ENVIRONMENT = new Environment({ maxRecursionDepth: MOST_DEPTH + 1 });

/** The library takes names with "-" after a dot, which RFC 9535 2.5.1.1 does not. */
const DASHED = /\.\.?([\p{L}_][\p{L}\p{N}_]*-[\p{L}\p{N}_-]*)/u;

function dashed(text: string): string | undefined {
  return DASHED.exec(text.replace(/'(?:[^'\\]|\\.)*'|"(?:[^"\\]|\\.)*"/g, "''"))?.[1];
}

/** Names and numbers only: such a path is walked. */
const PLAIN = /^\$(?:\.[A-Za-z_]\w*|\[\d{1,9}\]|\['[^'\\\]]+'\])*$/;

function walk(steps: readonly (string | number)[], value: unknown): unknown {
  let at = value;
  for (const step of steps) {
    if (typeof at !== 'object' || at === null || Array.isArray(at) !== (typeof step === 'number') || !Object.hasOwn(at, step))
      return undefined;
    at = (at as Record<string | number, unknown>)[step];
  }
  return at;
}

/** Whether a value has more entries than a bound, counted no further than that. */
function hasMore(value: unknown, bound: number): boolean {
  let count = 0;
  const open: unknown[] = [value];
  while (open.length > 0) {
    const at = open.pop();
    if (typeof at !== 'object' || at === null) continue;
    const inner = Object.values(at) as unknown[];
    count += inner.length;
    if (count > bound) return true;
    for (const entry of inner) if (typeof entry === 'object' && entry !== null) open.push(entry);
  }
  return false;
}

/** Compiles a path of a profile (RFC 9535). @returns why it is not one, as the end of a sentence, where it is not */
export function compilePath(text: string): CompiledPath | string {
  if (!text.startsWith('$')) return 'is not a JSONPath: it must begin with "$".';
  if (text.length > MOST_LENGTH) return `is longer than ${MOST_LENGTH} characters.`;
  if (PLAIN.test(text)) {
    const steps = [...text.slice(1).matchAll(/\.([A-Za-z_]\w*)|\[(\d+)\]|\['([^'\]]+)'\]/g)].map(
      ([, name, index, quoted]) => name ?? quoted ?? Number(index),
    );
    const first = (value: unknown): unknown => walk(steps, value);
    return {
      text,
      first,
      all: (value) => {
        const found = first(value);
        return found === undefined ? [] : [found];
      },
    };
  }
  const name = dashed(text);
  if (name !== undefined) return `is not a JSONPath: a name with "-" is written ['${name}'].`;
  let query: JSONPathQuery;
  try {
    query = ENVIRONMENT.compile(text);
  } catch (error) {
    return `is not a JSONPath: ${error instanceof Error ? error.message : String(error)}.`;
  }
  if ((text.match(/\.\./g)?.length ?? 0) > MOST_DESCENTS) return `has ".." more than ${MOST_DESCENTS} times.`;
  // A query of the whole value, for each of its entries, would look at the square of it.
  if (/[[(&|=<>!?,\s]\$[^\])&|=<>!,\s]*(?:\.\.|\*|\?|:)/.test(text))
    return 'has a filter that looks into the whole value ("$") for more than one thing.';
  const all = (value: unknown): readonly unknown[] => {
    if (typeof value !== 'object' || value === null || isDeeper(value, MOST_DEPTH) || hasMore(value, MOST_ENTRIES)) return [];
    try {
      return query.query(value as JSONValue).values();
    } catch {
      return [];
    }
  };
  return { text, all, first: (value) => all(value)[0] };
}
