import { didYouMean, issueWords, nearest } from '@verbalis/core/problems';
import * as z from 'zod';
import type { RequestProblem } from '../kernel/index.js';
import { isRecord } from './expand.js';
import { Settings } from './schema.js';

export function unwrap(schema: z.ZodType): z.ZodType {
  let at = schema;
  while (at instanceof z.ZodDefault || at instanceof z.ZodPrefault || at instanceof z.ZodOptional) at = at.unwrap() as z.ZodType;
  return at;
}

/** Of a choice by kind, what the file has chosen. */
export function chosen(schema: z.ZodType, raw: unknown): z.ZodType {
  if (!(schema instanceof z.ZodDiscriminatedUnion)) return schema;
  const kind = isRecord(raw) ? raw['kind'] : undefined;
  const option = (schema.options as readonly z.ZodType[]).find((zodType) => {
    const { shape } = zodType as z.ZodObject;
    return (shape['kind'] as z.ZodType).safeParse(kind).success;
  });
  return option ?? schema;
}

/** The schema's description of a place in the configuration; undefined where it has none. */
function schemaAt(raw: unknown, path: readonly PropertyKey[]): z.ZodType | undefined {
  let at: z.ZodType = Settings;
  let value = raw;
  for (const step of path) {
    const bare = chosen(unwrap(at), value);
    const inner: unknown =
      bare instanceof z.ZodObject
        ? (bare.shape as Record<string, z.ZodType>)[String(step)]
        : bare instanceof z.ZodRecord
          ? bare.valueType
          : bare instanceof z.ZodArray
            ? bare.element
            : undefined;
    if (!(inner instanceof z.ZodType)) return undefined;
    at = inner;
    value = isRecord(value) || Array.isArray(value) ? (value as Record<PropertyKey, unknown>)[step] : undefined;
  }
  return unwrap(at);
}

/** The kinds that a choice has. */
function kindsOf(schema: z.ZodType | undefined): string[] {
  if (!(schema instanceof z.ZodDiscriminatedUnion)) return [];
  return (schema.options as readonly z.ZodObject[]).flatMap(({ shape }) => {
    const kind: unknown = shape['kind'];
    return kind instanceof z.ZodLiteral ? [...kind.values].map(String) : [];
  });
}

/** A fault of the schema, in a sentence. */
export function inWords(issue: z.core.$ZodIssue, raw: unknown): RequestProblem[] {
  const path = issue.path.map(String).join('.');
  if (issue.code === 'unrecognized_keys') {
    const schema = schemaAt(raw, issue.path);
    const bare = schema === undefined ? undefined : chosen(schema, valueAt(raw, issue.path));
    const known = bare instanceof z.ZodObject ? Object.keys(bare.shape) : [];
    return issue.keys.map((key) => {
      const hint = didYouMean(key, known);
      return { path: path === '' ? key : `${path}.${key}`, message: 'is not a setting.', ...(hint === undefined ? {} : { hint }) };
    });
  }
  if (issue.code === 'invalid_union' && issue.discriminator !== undefined) {
    // The path of such an issue ends with the name of the choice.
    const kinds = kindsOf(schemaAt(raw, issue.path.slice(0, -1)));
    const given = valueAt(raw, issue.path);
    const near = typeof given === 'string' ? nearest(given, kinds) : undefined;
    const hint = near === undefined ? undefined : `Did you mean "${near}"?`;
    return [{ path, message: `must be one of ${kinds.join(', ')}.`, ...(hint === undefined ? {} : { hint }) }];
  }
  if (issue.code === 'invalid_union') {
    // Of several forms the one is meant that fits best.
    const [best = []] = [...issue.errors].sort((a, b) => weightOf(a) - weightOf(b));
    const inner = best.flatMap((found) => inWords({ ...found, path: [...issue.path, ...found.path] }, raw));
    if (inner.length > 0) return inner;
  }
  return [{ path: path === '' ? '(file)' : path, message: `${issueWords(issue)}.` }];
}

/** How far the value is from a form: an unknown name weighs as much as a missing one. */
function weightOf(issues: readonly z.core.$ZodIssue[]): number {
  return issues.reduce((sum, issue) => sum + (issue.code === 'unrecognized_keys' ? issue.keys.length : 1), 0);
}

function valueAt(raw: unknown, path: readonly PropertyKey[]): unknown {
  return path.reduce<unknown>(
    (at, step) => (typeof at === 'object' && at !== null ? (at as Record<PropertyKey, unknown>)[step] : undefined),
    raw,
  );
}
