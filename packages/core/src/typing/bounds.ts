import type { JsonSchema } from './schema.js';

/** Bounds of a data schema: within them, compiling it takes well under a second, and checking data time in proportion to the data. */
const MOST_NODES = 2000;
const MOST_PATTERNS = 200;
const MOST_ALTERNATIVES = 200;
/** Schemas that may apply to one and the same value, references and alternatives followed. */
const MOST_AT_ONCE = 2000;

const IN_PLACE_LISTS = ['allOf', 'anyOf', 'oneOf'] as const;
const IN_PLACE = ['$ref', '$dynamicRef', 'if', 'then', 'else', 'not'] as const;

/** What is too much in a schema, as a sentence; undefined where nothing is. */
export function schemaBoundFault(schema: JsonSchema): string | undefined {
  let nodes = 0;
  let patterns = 0;
  const byPointer = new Map<string, object>();
  const anchors = new Map<string, object>();
  const left: (readonly [unknown, string])[] = [[schema, '']];
  for (let next = left.pop(); next !== undefined; next = left.pop()) {
    const [node, pointer] = next;
    if (typeof node !== 'object' || node === null) continue;
    if (!Array.isArray(node)) {
      nodes += 1;
      byPointer.set(pointer, node);
      const { pattern, patternProperties, $anchor, $dynamicAnchor } = node as Record<string, unknown>;
      if (typeof pattern === 'string') patterns += 1;
      if (typeof patternProperties === 'object' && patternProperties !== null) patterns += Object.keys(patternProperties).length;
      for (const name of [$anchor, $dynamicAnchor]) if (typeof name === 'string') anchors.set(name, node);
      for (const key of IN_PLACE_LISTS) {
        const list = (node as Record<string, unknown>)[key];
        if (Array.isArray(list) && list.length > MOST_ALTERNATIVES) return `"${key}" has more than ${MOST_ALTERNATIVES} schemas.`;
      }
    }
    if (nodes > MOST_NODES) return `This schema has more than ${MOST_NODES} parts.`;
    for (const [key, inner] of Object.entries(node)) left.push([inner, `${pointer}/${key.replace(/~/g, '~0').replace(/\//g, '~1')}`]);
  }
  if (patterns > MOST_PATTERNS) return `This schema has more than ${MOST_PATTERNS} patterns.`;
  const target = (reference: unknown): object | undefined => {
    if (typeof reference !== 'string' || !reference.startsWith('#')) return undefined;
    return byPointer.get(decoded(reference.slice(1))) ?? anchors.get(reference.slice(1));
  };
  const costs = new Map<object, number>();
  const open = new Set<object>();
  const cost = (node: unknown): number => {
    if (typeof node !== 'object' || node === null) return 0;
    const known = costs.get(node);
    if (known !== undefined) return known;
    // A schema that applies itself to the same value never ends.
    if (open.has(node)) return Infinity;
    open.add(node);
    const fields = node as Record<string, unknown>;
    let sum = 1;
    for (const key of IN_PLACE_LISTS) if (Array.isArray(fields[key])) for (const one of fields[key]) sum += cost(one);
    for (const key of IN_PLACE) sum += cost(key.startsWith('$') ? target(fields[key]) : fields[key]);
    open.delete(node);
    costs.set(node, sum);
    return sum;
  };
  for (const node of byPointer.values()) {
    const most = cost(node);
    if (most === Infinity) return 'A reference in this schema leads back to itself for the same value.';
    if (most > MOST_AT_ONCE) return `More than ${MOST_AT_ONCE} schemas would apply to one value, its references followed.`;
  }
  return repeatsItself(byPointer.values(), target)
    ? 'This schema applies itself more than once to the same value within a value: each level of data would take twice as long.'
    : undefined;
}

/**
 * Whether a schema that refers to itself does so twice for the same part of a value: checking would then double with each level of the
 * data. A tree with two branches does not: these are different parts.
 */
function repeatsItself(nodes: Iterable<object>, target: (reference: unknown) => object | undefined): boolean {
  const all = [...nodes];
  /** What applies to the same value as a schema, itself included; as often as it does. */
  const closure = (node: object): Map<object, number> => {
    const out = new Map<object, number>();
    const left: object[] = [node];
    for (let next = left.pop(); next !== undefined && out.size < MOST_AT_ONCE; next = left.pop()) {
      out.set(next, (out.get(next) ?? 0) + 1);
      const fields = next as Record<string, unknown>;
      const inner = [
        ...IN_PLACE_LISTS.flatMap((key) => (Array.isArray(fields[key]) ? (fields[key] as unknown[]) : [])),
        ...IN_PLACE.map((key) => (key.startsWith('$') ? target(fields[key]) : fields[key])),
      ];
      for (const one of inner) if (typeof one === 'object' && one !== null) left.push(one);
    }
    return out;
  };
  const closures = new Map(all.map((node) => [node, closure(node)]));
  /** By the part of the value that they describe: the schemas one level further down. */
  const down = (node: object): Map<string, object[]> => {
    const out = new Map<string, object[]>();
    for (const [one, times] of closures.get(node) ?? []) {
      const fields = one as Record<string, unknown>;
      const add = (part: string, schema: unknown): void => {
        if (typeof schema !== 'object' || schema === null) return;
        out.set(part, [...(out.get(part) ?? []), ...Array.from({ length: Math.min(times, 2) }, () => schema)]);
      };
      for (const key of ['items', 'additionalProperties', 'unevaluatedProperties', 'contains', 'unevaluatedItems']) add(key, fields[key]);
      for (const key of ['properties', 'patternProperties'])
        for (const [name, schema] of Object.entries((fields[key] as object | undefined) ?? {})) add(`${key} ${name}`, schema);
    }
    return out;
  };
  const downs = new Map(all.map((node) => [node, down(node)]));
  const reaches = (from: object, to: object): boolean => {
    const seen = new Set<object>();
    const left = [from];
    for (let next = left.pop(); next !== undefined; next = left.pop()) {
      if (closures.get(next)?.has(to) === true) return true;
      if (seen.has(next)) continue;
      seen.add(next);
      for (const list of downs.get(next)?.values() ?? []) left.push(...list);
    }
    return false;
  };
  return all.some((node) =>
    [...(downs.get(node)?.values() ?? [])].some((list) => list.length > 1 && list.filter((child) => reaches(child, node)).length > 1),
  );
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}
