import { TEXT_KINDS } from '../formats/index.js';
import { compilePattern } from './pattern.js';
import { isObject, resolve, type JsonSchema } from './schema.js';

/** What is shown in place of a sensitive value. */
export const MASK = '•••';

/** The keyword by which a data schema marks a field as sensitive. */
export const SENSITIVE = 'x-sensitive';

/**
 * Hides what a data schema marks as sensitive. What it gives follows from the schema and from the fields that are not marked, and from nothing else; where
 * the schema names no type for a marked field, from its type, too.
 */
export interface Masking {
  /** Data as they may be shown: each sensitive value is "•••". */
  readonly shown: (data: unknown) => unknown;
  /**
   * Data that a template can be rendered with, made from the data or from what is shown of them: in place of each sensitive value another of its kind, which reveals nothing about it.
   * @param variant numbers are 0 or 1, and truths false or true: what comes out alike with both does not depend on them
   */
  readonly standIns: (data: unknown, variant?: 0 | 1) => unknown;
}

/** Steps that an object of a schema may lead to beside its fields. */
const LISTS = ['allOf', 'anyOf', 'oneOf'] as const;
const SINGLES = ['if', 'then', 'else', 'not'] as const;
const OTHERS = ['additionalProperties', 'unevaluatedProperties'] as const;
const ITEMS = ['items', 'contains', 'unevaluatedItems'] as const;

/** A place of a schema where the keyword is neither true nor false, as a path (RFC 6901); undefined where there is none. */
export function sensitiveFault(schema: JsonSchema): string | undefined {
  for (const [pointer, value] of marksIn(schema, '')) if (typeof value !== 'boolean') return pointer;
  return undefined;
}

/** How data of a schema are masked; undefined where it marks nothing. */
export function maskingOf(schema: JsonSchema): Masking | undefined {
  for (const [, value] of marksIn(schema, '')) {
    if (value !== true) continue;
    const mask = (standIn: Place['standIn']) => (data: unknown) => masked(data, { root: schema, nodes: expand(schema, [schema]), standIn });
    return {
      shown: mask(() => MASK),
      standIns: (data, variant = 0) => mask((value, place) => standInFor(value, place, variant))(data),
    };
  }
  return undefined;
}

/** Keywords whose value has a schema for each of its names. */
const MAPS: ReadonlySet<string> = new Set(['properties', 'patternProperties', '$defs', 'definitions', 'dependentSchemas']);

/** Every use of the keyword. @param isMap whether the names of this object are not keywords, but names of fields or definitions */
function* marksIn(node: unknown, pointer: string, isMap = false): Generator<readonly [pointer: string, value: unknown]> {
  if (Array.isArray(node)) {
    for (const [i, item] of node.entries()) yield* marksIn(item, `${pointer}/${i}`);
    return;
  }
  if (!isObject(node)) return;
  for (const [key, value] of Object.entries(node)) {
    const at = `${pointer}/${key.replace(/~/g, '~0').replace(/\//g, '~1')}`;
    if (key === SENSITIVE && !isMap) yield [at, value];
    else yield* marksIn(value, at, !isMap && MAPS.has(key));
  }
}

/** All schemas that may say something of the same value: one alternative is as good as another, so that nothing marked is missed. */
function expand(root: JsonSchema, from: readonly unknown[]): Set<Readonly<Record<string, unknown>>> {
  const found = new Set<Readonly<Record<string, unknown>>>();
  const todo = [...from];
  while (todo.length > 0) {
    const node = todo.pop();
    if (!isObject(node) || found.has(node)) continue;
    found.add(node);
    for (const key of ['$ref', '$dynamicRef'] as const) {
      const reference = node[key];
      if (typeof reference === 'string') todo.push(resolve(root, reference)?.schema);
    }
    for (const key of LISTS) if (Array.isArray(node[key])) todo.push(...(node[key] as unknown[]));
    for (const key of SINGLES) todo.push(node[key]);
    if (isObject(node['dependentSchemas'])) todo.push(...Object.values(node['dependentSchemas']));
  }
  return found;
}

interface Place {
  readonly root: JsonSchema;
  readonly nodes: ReadonlySet<Readonly<Record<string, unknown>>>;
  readonly standIn: (value: unknown, place: Pick<Place, 'root' | 'nodes'>) => unknown;
}

function masked(value: unknown, { root, nodes, standIn }: Place): unknown {
  if ([...nodes].some((node) => node[SENSITIVE] === true)) return standIn(value, { root, nodes });
  const inner = (item: unknown, schemas: readonly unknown[]): unknown => masked(item, { root, nodes: expand(root, schemas), standIn });
  if (Array.isArray(value))
    return value.map((item: unknown, i) =>
      inner(
        item,
        [...nodes].flatMap((node) => {
          const prefix = Array.isArray(node['prefixItems']) ? (node['prefixItems'] as unknown[]) : [];
          return [prefix[i], ...ITEMS.map((key) => node[key])];
        }),
      ),
    );
  if (!isObject(value)) return value;
  return Object.fromEntries(
    Object.entries(value).map(([name, field]) => [
      name,
      inner(
        field,
        [...nodes].flatMap((node) => ofField(node, name)),
      ),
    ]),
  );
}

/** What a schema says of a field of a record. */
function ofField(node: Readonly<Record<string, unknown>>, name: string): unknown[] {
  const { properties, patternProperties } = node;
  const own = isObject(properties) && Object.hasOwn(properties, name) ? [properties[name]] : [];
  const byPattern = isObject(patternProperties)
    ? Object.entries(patternProperties).flatMap(([pattern, schema]) => (compilePattern(pattern).test(name) ? [schema] : []))
    : [];
  return own.length + byPattern.length > 0 ? [...own, ...byPattern] : OTHERS.map((key) => node[key]);
}

/** Values of the usual formats that show at a glance that they mean nothing. */
const OF_FORMAT: Readonly<Record<string, string>> = {
  date: '2000-01-01',
  'date-time': '2000-01-01T00:00:00Z',
  time: '00:00:00Z',
  email: 'masked@masked.invalid',
  uri: 'https://masked.invalid/',
  'uri-reference': 'https://masked.invalid/',
};

/** Levels of records that stand-ins are made for: a schema may refer to itself. */
const DEEPEST = 6;

/** By the type that the schema names; by that of the value where it names none. */
function standInFor(value: unknown, { root, nodes }: Pick<Place, 'root' | 'nodes'>, variant: 0 | 1, depth = 0): unknown {
  const named = [...nodes].flatMap(({ type }) => type).find((type): type is string => typeof type === 'string' && type !== 'null');
  switch (named ?? (Array.isArray(value) ? 'array' : value === null ? 'null' : typeof value)) {
    case 'string': {
      const [known] = [...nodes].flatMap(({ format }) =>
        typeof format === 'string' ? (OF_FORMAT[format] ?? TEXT_KINDS[format]?.example ?? []) : [],
      );
      return known ?? MASK;
    }
    case 'integer':
    case 'number':
      return variant;
    case 'boolean':
      return variant === 1;
    case 'array':
      return [];
    case 'object': {
      if (depth === DEEPEST) return {};
      const fields = [...nodes].flatMap(({ properties }) => (isObject(properties) ? Object.entries(properties) : []));
      return Object.fromEntries(
        fields.map(([name, schema]) => [name, standInFor(undefined, { root, nodes: expand(root, [schema]) }, variant, depth + 1)]),
      );
    }
    case 'undefined':
      return MASK;
    default:
      return null;
  }
}
