import { TEXT_KINDS } from '../formats/index.js';
import { matchingText } from './matching-text.js';
import { resolve, type JsonSchema } from './schema.js';

/**
 * What a sample shows: `typical` what is usual; `minimal` only what must be there, in its smallest form; `nasty` what is long, large and odd, as far as
 * the schema allows it.
 */
export const SAMPLE_KINDS = ['typical', 'minimal', 'nasty'] as const;
export type SampleKind = (typeof SAMPLE_KINDS)[number];

type Plain = Readonly<Record<string, unknown>>;

interface Place {
  readonly root: JsonSchema;
  readonly kind: SampleKind;
  /** The field that it is for; entries of a list have that of the list. */
  readonly name: string;
  /** Which entry of a list it is, from 0. */
  readonly entry: number;
  readonly depth: number;
  /** How many lists are around it. */
  readonly lists: number;
}

/** Levels of records, and of lists: a schema may refer to itself. What must be there goes deeper, up to an end. */
const [DEEPEST, DEEPEST_LIST, END] = [6, 2, 24];

const FORMATS: Readonly<Record<string, readonly [usual: string, odd: string]>> = {
  date: ['2026-06-04', '2028-02-29'],
  'date-time': ['2026-06-04T08:15:00Z', '2026-12-31T23:59:59.999-11:30'],
  time: ['08:15:00Z', '23:59:59+14:00'],
  duration: ['PT1H30M', 'P1Y2M3DT4H5M6S'],
  uri: ['https://app.example/path', `https://app.example/${'a-long-path/'.repeat(12)}?q=%C3%A1&and=%22#fragment`],
  'uri-reference': ['/path', `/${'a-long-path/'.repeat(12)}?q=%C3%A1#fragment`],
  email: ['asa@post.example', `a.very.long.local.part.with+tag@${'sub.'.repeat(10)}post.example`],
  hostname: ['app.example', `${'sub.'.repeat(20)}app.example`],
  ipv4: ['192.0.2.1', '255.255.255.255'],
  ipv6: ['2001:db8::1', '2001:0db8:ffff:ffff:ffff:ffff:ffff:ffff'],
  uuid: ['0190e7b6-7c2a-7000-8000-000000000001', 'ffffffff-ffff-4fff-bfff-ffffffffffff'],
};

/** Letters that break what is not careful: markup, quotes, right to left, wide, combined, and no place to wrap. */
const NASTY = `<b>&"' Ása {{ x }} مرحبا 重要なお知らせ 👩‍👩‍👧‍👦 é | *x* ${'unbreakable'.repeat(8)}`;

/** Data that a schema accepts, the same for the same schema. It may not fit where the schema has conditions, or a pattern with a length: check it. */
export function sampleOf(schema: JsonSchema, kind: SampleKind): unknown {
  return made([schema], { root: schema, kind, name: '', entry: 0, depth: 0, lists: 0 });
}

function isObject(value: unknown): value is Plain {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

/** All schemas that say something of the same value; of alternatives the first (the last, for what is nasty). */
function applied(from: readonly unknown[], { root, kind }: Place): Plain[] {
  const out: Plain[] = [];
  const todo = [...from];
  while (todo.length > 0) {
    const node = todo.shift();
    if (!isObject(node) || out.includes(node)) continue;
    out.push(node);
    if (typeof node['$ref'] === 'string') todo.push(resolve(root, node['$ref'])?.schema);
    if (Array.isArray(node['allOf'])) todo.push(...(node['allOf'] as unknown[]));
    for (const key of ['oneOf', 'anyOf'])
      if (Array.isArray(node[key])) {
        const alternatives = (node[key] as unknown[]).filter((schema) => !isNothing(schema));
        todo.push(kind === 'nasty' ? alternatives.at(-1) : alternatives[0]);
      }
    if (isObject(node['if'])) todo.push(node['if'], node['then']);
  }
  return out;
}

function isNothing(schema: unknown): boolean {
  return isObject(schema) && (schema['type'] === 'null' || schema['const'] === null);
}

function made(from: readonly unknown[], place: Place): unknown {
  if (place.depth > END) return null;
  const nodes = applied(from, place);
  const given = givenValue(nodes, place);
  if (given !== undefined) return given.value;
  const types = nodes
    .flatMap(({ type }) => (Array.isArray(type) ? (type as unknown[]) : [type]))
    .filter((type) => typeof type === 'string');
  const type = types.find((name) => name !== 'null') ?? (types.length > 0 ? 'null' : usualType(nodes));
  switch (type) {
    case 'object':
      return record(nodes, place);
    case 'array':
      return list(nodes, place);
    case 'integer':
    case 'number':
      return number(nodes, place, type === 'integer');
    case 'boolean':
      return place.kind !== 'minimal';
    case 'null':
      return null;
    default:
      return text(nodes, place);
  }
}

/** What the schema itself says: a constant, an example, a default, a word of a list. */
function givenValue(nodes: readonly Plain[], { kind, entry }: Place): { readonly value: unknown } | undefined {
  for (const node of nodes) if ('const' in node) return { value: node['const'] };
  const words = nodes.flatMap((node) => (Array.isArray(node['enum']) ? [node['enum'] as unknown[]] : []))[0];
  if (words !== undefined) return { value: kind === 'nasty' ? words.at(-1) : words[kind === 'typical' ? entry % words.length : 0] };
  const examples = nodes.flatMap((node) => (Array.isArray(node['examples']) ? (node['examples'] as unknown[]) : []));
  if (kind !== 'nasty' && examples.length > 0) return { value: examples[entry % examples.length] };
  const usual = nodes.find((node) => 'default' in node);
  return kind === 'typical' && usual !== undefined ? { value: usual['default'] } : undefined;
}

function usualType(nodes: readonly Plain[]): string {
  if (nodes.some((node) => 'properties' in node || 'additionalProperties' in node)) return 'object';
  if (nodes.some((node) => 'items' in node || 'prefixItems' in node)) return 'array';
  return nodes.some((node) => 'minimum' in node || 'maximum' in node) ? 'number' : 'string';
}

function record(nodes: readonly Plain[], place: Place): Plain {
  const required = new Set(nodes.flatMap((node) => (Array.isArray(node['required']) ? (node['required'] as string[]) : [])));
  const fields = new Map<string, unknown[]>();
  for (const node of nodes)
    for (const [name, schema] of Object.entries(isObject(node['properties']) ? node['properties'] : {}))
      fields.set(name, [...(fields.get(name) ?? []), schema]);
  const wanted = [...fields].filter(([name]) => required.has(name) || (place.kind !== 'minimal' && place.depth < DEEPEST));
  const out = Object.fromEntries(
    wanted.map(([name, schemas]) => [name, made(schemas, { ...place, name, entry: place.entry, depth: place.depth + 1 })]),
  );
  const others = nodes.map((node) => node['additionalProperties']).find(isObject);
  if (others !== undefined && fields.size === 0 && place.kind !== 'minimal' && place.depth < DEEPEST)
    for (const [entry, name] of ['first', 'second'].entries())
      out[name] = made([others], { ...place, name, entry, depth: place.depth + 1 });
  return out;
}

function list(nodes: readonly Plain[], place: Place): unknown[] {
  const bound = (name: string, usual: number): number =>
    nodes.reduce((found, node) => (typeof node[name] === 'number' ? node[name] : found), usual);
  const [least, most] = [bound('minItems', 0), bound('maxItems', 1000)];
  const wanted = place.depth >= DEEPEST || place.lists >= DEEPEST_LIST ? 0 : { typical: 2, minimal: 0, nasty: 12 }[place.kind];
  const first = nodes.map((node) => node['prefixItems']).find((found) => Array.isArray(found)) as unknown[] | undefined;
  const rest = nodes.map((node) => node['items']).filter((found) => isObject(found));
  const count = Math.min(most, Math.max(least, wanted, first?.length ?? 0));
  return Array.from({ length: count }, (_, entry) => {
    const own = first?.[entry];
    return made(own === undefined ? rest : [own], { ...place, entry, depth: place.depth + 1, lists: place.lists + 1 });
  });
}

function number(nodes: readonly Plain[], { kind, entry }: Place, isWhole: boolean): number {
  const bounds = (names: readonly string[]): number[] =>
    nodes.flatMap((node) => names.flatMap((name) => (typeof node[name] === 'number' ? [node[name]] : [])));
  const step = bounds(['multipleOf'])[0] ?? (isWhole ? 1 : 0.01);
  const above = Math.max(-Infinity, ...bounds(['minimum']), ...bounds(['exclusiveMinimum']).map((least) => least + step));
  const below = Math.min(Infinity, ...bounds(['maximum']), ...bounds(['exclusiveMaximum']).map((most) => most - step));
  const usual = {
    typical: isWhole ? 2 + entry : 12.5 + entry,
    minimal: above === -Infinity ? 0 : above,
    nasty: isWhole ? 9_007_199_254 : 1_234_567.891,
  }[kind];
  const within = Math.min(below, Math.max(above, usual));
  const even = Math.floor(within / step) * step;
  return Number((bounds(['multipleOf']).length > 0 ? (even < above ? even + step : even) : within).toPrecision(15));
}

/** "givenName" as "Given name". */
function wordsOf(name: string): string {
  const words = name
    .replace(/([a-z0-9])([A-Z])/g, '$1 $2')
    .replace(/[_-]+/g, ' ')
    .toLowerCase();
  return words === '' ? 'Text' : words.charAt(0).toUpperCase() + words.slice(1);
}

function text(nodes: readonly Plain[], { kind, name, entry }: Place): string {
  const bound = (key: string): number | undefined => nodes.flatMap((node) => (typeof node[key] === 'number' ? [node[key]] : []))[0];
  const format = nodes.map((node) => node['format']).find((found): found is string => typeof found === 'string');
  const known = format === undefined ? undefined : (FORMATS[format] ?? [TEXT_KINDS[format]?.example, TEXT_KINDS[format]?.example]);
  if (known?.[0] !== undefined) return (kind === 'nasty' ? known[1] : known[0]) ?? '';
  const pattern = nodes.map((node) => node['pattern']).find((found): found is string => typeof found === 'string');
  const matching =
    pattern === undefined ? undefined : matchingText(pattern, ({ typical: 'usual', minimal: 'least', nasty: 'most' } as const)[kind]);
  if (matching !== undefined) return matching;
  const [least, most] = [bound('minLength') ?? 0, bound('maxLength')];
  const usual = { typical: entry === 0 ? wordsOf(name) : `${wordsOf(name)} ${entry + 1}`, minimal: 'x', nasty: `${entry + 1} ${NASTY}` }[
    kind
  ];
  const letters = [...usual].slice(0, most);
  while (letters.length < least) letters.push('x');
  return letters.join('');
}
