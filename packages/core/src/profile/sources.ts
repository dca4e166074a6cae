import { didYouMean } from '../problems/index.js';
import { compilePath } from './paths.js';
import { compileProfilePattern } from './patterns.js';

/** What sources look into. */
export interface SourceContext {
  /** For "$…": the event, or the body of an answer. */
  readonly here?: unknown;
  /** For "outer:$…": the entry that holds the event. */
  readonly outer?: unknown;
  /** For "call:$…": the content of the whole call. */
  readonly call?: unknown;
  readonly header?: (name: string) => string | undefined;
  readonly query?: (name: string) => string | undefined;
  /** For "pattern:…": the body as text. */
  readonly text?: string;
}

export type SourceKind = 'here' | 'outer' | 'call' | 'header' | 'query' | 'pattern';

/** Where a value of a call or an answer stands: a JSONPath, a header field, a parameter of the query, a pattern over the text. */
export interface CompiledSource {
  readonly kind: SourceKind;
  readonly written: string;
  /** The value as it is; undefined where there is none. Never throws. */
  readonly read: (context: SourceContext) => unknown;
}

const PREFIXES = ['outer', 'call', 'header', 'query', 'pattern'] as const;

function compilePrefixed(prefix: (typeof PREFIXES)[number], rest: string, written: string): CompiledSource | string {
  if (prefix === 'header' || prefix === 'query') {
    if (rest === '') return `needs a name after "${prefix}:".`;
    const name = prefix === 'header' ? rest.toLowerCase() : rest;
    return { kind: prefix, written, read: (context) => context[prefix]?.(name) };
  }
  if (prefix === 'pattern') {
    const pattern = compileProfilePattern(rest);
    if (typeof pattern === 'string') return pattern;
    return { kind: 'pattern', written, read: ({ text }) => (text === undefined ? undefined : pattern.find(text)) };
  }
  const path = compilePath(rest);
  if (typeof path === 'string') return path;
  return { kind: prefix, written, read: (context) => path.first(context[prefix]) };
}

/**
 * Compiles a source.
 * @param allowed the kinds that have a meaning where it is
 * @returns why it cannot be used, as the end of a sentence, where it cannot
 */
export function compileSource(written: string, allowed: readonly SourceKind[]): CompiledSource | string {
  const shown = allowed
    .map((kind) => (kind === 'here' ? '"$…"' : kind === 'outer' || kind === 'call' ? `"${kind}:$…"` : `"${kind}:…"`))
    .join(', ');
  if (written.startsWith('$')) {
    const path = compilePath(written);
    if (typeof path === 'string') return path;
    if (!allowed.includes('here')) return `must be one of ${shown}.`;
    return { kind: 'here', written, read: ({ here }) => path.first(here) };
  }
  const prefix = written.slice(0, Math.max(0, written.indexOf(':')));
  const known = PREFIXES.find((name) => name === prefix);
  if (known === undefined) {
    const hint =
      prefix === ''
        ? ''
        : ` ${
            didYouMean(
              prefix,
              allowed.filter((kind) => kind !== 'here'),
            ) ?? ''
          }`;
    return `must be one of ${shown}.${hint}`.trim();
  }
  if (!allowed.includes(known)) return `cannot be read from "${known}:" here; it must be one of ${shown}.`;
  return compilePrefixed(known, written.slice(prefix.length + 1), written);
}

/** A value as text; undefined where there is none. */
export function asText(value: unknown): string | undefined {
  if (value === undefined || value === null || value === '') return undefined;
  return typeof value === 'string' ? value : JSON.stringify(value);
}
