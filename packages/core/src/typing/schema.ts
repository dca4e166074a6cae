import { compilePattern } from './pattern.js';
import type { Field, ListMember, Member, RecordMember, Type } from './type.js';
import { ABSENT, ANY, either, NEVER, optional } from './type.js';

/** A JSON Schema (2020-12), as parsed JSON. */
export type JsonSchema = boolean | { readonly [key: string]: unknown };
type SchemaObject = Exclude<JsonSchema, boolean>;

/** A schema and its place in the document (RFC 6901). */
interface Node {
  readonly schema: JsonSchema;
  readonly pointer: string;
}
interface Plain {
  readonly schema: SchemaObject;
  readonly pointer: string;
}

/** Alternatives that are distinguished at most; what goes beyond is left out of account, which only makes a type wider. */
const MOST_ALTERNATIVES = 64;

/** A step of a JSON Pointer (RFC 6901 3). */
function step(name: string): string {
  return name.replace(/~/g, '~0').replace(/\//g, '~1');
}

export function isObject(value: unknown): value is Readonly<Record<string, unknown>> {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

function isSchema(value: unknown): value is JsonSchema {
  return typeof value === 'boolean' || isObject(value);
}

function fieldsOf(schema: SchemaObject, key: 'properties' | 'patternProperties'): Readonly<Record<string, JsonSchema>> {
  const fields = schema[key];
  return isObject(fields) ? (fields as Record<string, JsonSchema>) : {};
}

/** What was read of a schema: a template is typed once for each of its sources, against the same one. */
const READ = new WeakMap<object, Type>();

/** The type of all data that a schema accepts. */
export function typeOfSchema(schema: JsonSchema): Type {
  if (typeof schema === 'boolean') return new SchemaTypes(schema).type();
  let type = READ.get(schema);
  if (type === undefined) READ.set(schema, (type = new SchemaTypes(schema).type()));
  return type;
}

/**
 * Reads a data schema as types. A type allows at least what the schema allows: whatever a keyword says that types cannot is left out of
 * account, never guessed.
 */
class SchemaTypes {
  readonly #made = new Map<string, Type>();

  constructor(private readonly root: JsonSchema) {}

  type(): Type {
    return this.#of([{ schema: this.root, pointer: '' }]);
  }

  /** What all of these schemas together allow. */
  #of(nodes: readonly Node[]): Type {
    if (nodes.length === 0) return ANY;
    const key = nodes.map((node) => node.pointer).join('\n');
    let made = this.#made.get(key);
    if (made === undefined) {
      const alternatives = this.#expand([], nodes, { left: MOST_ALTERNATIVES });
      made = alternatives.map((flat) => this.#conjunction(flat)).reduce(either, NEVER);
      this.#made.set(key, made);
    }
    return made;
  }

  /** The schemas that apply together, references and combinations followed, once for each alternative. */
  #expand(flat: readonly Plain[], todo: readonly Node[], budget: { left: number }): Plain[][] {
    const [next, ...rest] = todo;
    if (next === undefined) return [[...flat]];
    const { schema, pointer } = next;
    if (schema === false) return [];
    if (schema === true || flat.some((plain) => plain.pointer === pointer)) return this.#expand(flat, rest, budget);
    const here = [...flat, { schema, pointer }];
    const more: Node[] = [];
    for (const key of ['$ref', '$dynamicRef'] as const) {
      const reference = schema[key];
      const target = typeof reference === 'string' ? resolve(this.root, reference) : undefined;
      if (target !== undefined) more.push(target);
    }
    if (Array.isArray(schema['allOf'])) more.push(...listed(schema['allOf'], `${pointer}/allOf`));
    let branches: Node[][] = [more];
    for (const choice of choicesOf(schema, pointer)) {
      if (branches.length * choice.length > budget.left) continue;
      branches = branches.flatMap((before) => choice.map((choice) => [...before, ...choice]));
    }
    const share = { left: Math.max(1, Math.floor(budget.left / branches.length)) };
    return branches.flatMap((branch) => this.#expand(here, [...branch, ...rest], share));
  }

  #conjunction(nodes: readonly Plain[]): Type {
    const kinds = kindsOf(nodes);
    const values = valuesOf(nodes);
    const formats = nodes.map((node) => node.schema['format']).filter((value) => typeof value === 'string');
    const format = formats.length > 0 ? { formats: [...new Set(formats)] } : {};
    if (values !== undefined)
      return ofValues(
        values.filter((value) => kinds === undefined || kinds.some((kind) => isOf(value, kind))),
        format,
      );
    if (kinds === undefined) return ANY;
    const excluded = exceptOf(nodes);
    const members = kinds.flatMap((kind): Member[] => {
      switch (kind) {
        case 'string':
          return [{ kind: 'text', ...format, ...except<string>(excluded, 'string') }];
        case 'integer':
        case 'number': {
          const whole = kind === 'integer' || nodes.some((node) => isWholeNumber(node.schema['multipleOf']));
          return [{ kind: 'number', whole, ...(nodes.some(isNonzero) ? { nonzero: true } : {}), ...except<number>(excluded, 'number') }];
        }
        case 'boolean':
          return [{ kind: 'truth', ...except<boolean>(excluded, 'boolean') }];
        case 'array':
          return [this.#list(nodes)];
        case 'object':
          return [this.#record(nodes)];
        default:
          return [];
      }
    });
    return { absent: kinds.includes('null'), members };
  }

  #list(nodes: readonly Plain[]): ListMember {
    const prefixes = nodes.map(({ schema }) => (Array.isArray(schema['prefixItems']) ? (schema['prefixItems'] as JsonSchema[]) : []));
    const longest = Math.max(0, ...prefixes.map((prefix) => prefix.length));
    const at = (index: number): Type =>
      this.#of(
        nodes.flatMap(({ schema, pointer }, n): Node[] => {
          const own = prefixes[n]?.[index];
          if (own !== undefined) return [{ schema: own, pointer: `${pointer}/prefixItems/${index}` }];
          return isSchema(schema['items']) ? [{ schema: schema['items'], pointer: `${pointer}/items` }] : [];
        }),
      );
    const least = Math.max(0, ...nodes.map(({ schema }) => (typeof schema['minItems'] === 'number' ? schema['minItems'] : 0)));
    return { kind: 'list', least, at, of: () => Array.from({ length: longest + 1 }, (_, i) => at(i)).reduce(either, NEVER) };
  }

  #record(nodes: readonly Plain[]): RecordMember {
    const names = [...new Set(nodes.flatMap(({ schema }) => Object.keys(fieldsOf(schema, 'properties'))))];
    const required = new Set(nodes.flatMap(({ schema }) => (Array.isArray(schema['required']) ? (schema['required'] as unknown[]) : [])));
    /** What each schema says of fields that it does not declare. */
    const rest = nodes.map(({ schema, pointer }): Node | undefined => {
      for (const key of ['additionalProperties', 'unevaluatedProperties'] as const)
        if (isSchema(schema[key])) return { schema: schema[key], pointer: `${pointer}/${key}` };
      return undefined;
    });
    const patterns = nodes.map(({ schema, pointer }) =>
      Object.entries(fieldsOf(schema, 'patternProperties')).map(([pattern, inner]) => ({
        test: compilePattern(pattern),
        node: { schema: inner, pointer: `${pointer}/patternProperties/${step(pattern)}` },
      })),
    );
    const known = new Map<string, Field | undefined>();
    const read = (name: string): Field | undefined => {
      const pointers: string[] = [];
      const found: Node[] = [];
      const refusals = nodes.filter(({ schema, pointer }, n) => {
        const here: Node[] = [];
        const fields = fieldsOf(schema, 'properties');
        if (Object.hasOwn(fields, name)) {
          const at = `${pointer}/properties/${step(name)}`;
          pointers.push(at);
          here.push({ schema: fields[name] ?? true, pointer: at });
        }
        for (const { test, node } of patterns[n] ?? []) if (test.test(name)) here.push(node);
        const others = rest[n];
        // "unevaluatedProperties" looks at what the schemas beside it declare, too.
        const evaluated = 'unevaluatedProperties' in schema && !('additionalProperties' in schema) && names.includes(name);
        if (here.length === 0 && others !== undefined && !evaluated) here.push(others);
        found.push(...here);
        return here.some((node) => node.schema === false);
      });
      if (refusals.length > 0) return pointers.length === 0 ? undefined : { type: ABSENT, pointers, nullable: false, optional: true };
      if (found.length === 0) return undefined;
      const type = this.#of(found);
      const optionalHere = !required.has(name);
      return { type: optionalHere ? optional(type) : type, pointers, nullable: type.absent, optional: optionalHere };
    };
    const closed = rest.some((field) => field?.schema === false);
    const others = (): Type | undefined => {
      const named = patterns.flat().map(({ node }) => this.#of([node]));
      if (!closed) named.push(this.#of(rest.filter((value) => value !== undefined)));
      return named.length === 0 ? undefined : named.reduce(either, NEVER);
    };
    return {
      kind: 'record',
      names,
      open: rest.every((value) => value === undefined),
      others,
      field: (name) => {
        if (!known.has(name)) known.set(name, read(name));
        return known.get(name);
      },
    };
  }
}

function listed(list: readonly unknown[], pointer: string): Node[] {
  return list.flatMap((value, i) => (isSchema(value) ? [{ schema: value, pointer: `${pointer}/${i}` }] : []));
}

/** The alternatives that a schema offers: each is a list of schemas that then apply together. */
function choicesOf(schema: SchemaObject, pointer: string): Node[][][] {
  const out: Node[][][] = [];
  for (const key of ['oneOf', 'anyOf'] as const) {
    const list = schema[key];
    if (Array.isArray(list) && list.length > 0) out.push(listed(list, `${pointer}/${key}`).map((node) => [node]));
  }
  const condition = schema['if'];
  if (isSchema(condition) && (isSchema(schema['then']) || isSchema(schema['else']))) {
    const part = (key: 'then' | 'else'): Node[] => (isSchema(schema[key]) ? [{ schema: schema[key], pointer: `${pointer}/${key}` }] : []);
    const unless = negated(condition);
    out.push([
      [{ schema: condition, pointer: `${pointer}/if` }, ...part('then')],
      [...(unless === undefined ? [] : [{ schema: unless, pointer: `${pointer}/if#not` }]), ...part('else')],
    ]);
  }
  return out;
}

/** What holds where a condition on the value of one field does not. Other conditions have no effect on types. */
function negated(condition: JsonSchema): JsonSchema | undefined {
  if (typeof condition === 'boolean') return undefined;
  const fields = Object.entries(fieldsOf(condition, 'properties'));
  const [only] = fields;
  if (only === undefined || fields.length > 1) return undefined;
  const [name, inner] = only;
  if (Object.keys(condition).some((key) => !['properties', 'required', 'type'].includes(key))) return undefined;
  if (typeof inner === 'boolean' || Object.keys(inner).some((key) => !['const', 'enum', 'type'].includes(key))) return undefined;
  const named: unknown = condition['required'];
  if (Array.isArray(named) && named.some((other) => other !== name)) return undefined;
  return { properties: { [name]: { not: inner } } };
}

/** The kinds of JSON values that all schemas allow; undefined where none of them says. */
function kindsOf(nodes: readonly Plain[]): string[] | undefined {
  let kinds: string[] | undefined;
  for (const { schema } of nodes) {
    const declared = schema['type'];
    if (declared === undefined) continue;
    const own = (Array.isArray(declared) ? declared : [declared]).map(String);
    if (schema['nullable'] === true) own.push('null');
    if (kinds === undefined) kinds = own;
    else {
      const before = kinds;
      kinds = [
        ...before.filter((kind) => own.includes(kind) || (kind === 'integer' && own.includes('number'))),
        ...own.filter((kind) => kind === 'integer' && before.includes('number') && !before.includes('integer')),
      ];
    }
  }
  return kinds === undefined ? undefined : [...new Set(kinds)];
}

function constraintValues(schema: SchemaObject): unknown[] | undefined {
  if ('const' in schema) return [schema['const']];
  return Array.isArray(schema['enum']) ? (schema['enum'] as unknown[]) : undefined;
}

function valuesOf(nodes: readonly Plain[]): unknown[] | undefined {
  let values: unknown[] | undefined;
  for (const { schema } of nodes) {
    const own = constraintValues(schema);
    if (own === undefined) continue;
    const texts = new Set(own.map((value) => JSON.stringify(value)));
    values = values === undefined ? own : values.filter((value) => texts.has(JSON.stringify(value)));
  }
  if (values === undefined) return undefined;
  const excluded = new Set(exceptOf(nodes).map((value) => JSON.stringify(value)));
  return values.filter((value) => !excluded.has(JSON.stringify(value)));
}

function exceptOf(nodes: readonly Plain[]): unknown[] {
  return nodes.flatMap(({ schema }) => {
    const not = schema['not'];
    // Only a plain list of values: anything beside it would make "not" say less.
    return isObject(not) && Object.keys(not).length === 1 ? (constraintValues(not) ?? []) : [];
  });
}

function except<T>(values: readonly unknown[], kind: 'string' | 'number' | 'boolean'): { except?: readonly T[] } {
  const own = values.filter((value) => typeof value === kind) as T[];
  return own.length === 0 ? {} : { except: own };
}

function isOf(value: unknown, kind: string): boolean {
  if (kind === 'null') return value === null;
  if (kind === 'array') return Array.isArray(value);
  if (kind === 'object') return isObject(value);
  if (kind === 'integer') return Number.isInteger(value);
  return typeof value === kind;
}

function isWholeNumber(value: unknown): boolean {
  return typeof value === 'number' && Number.isInteger(value);
}

function isNonzero({ schema }: Plain): boolean {
  const number = (key: string): number => (typeof schema[key] === 'number' ? schema[key] : Number.NaN);
  return number('minimum') > 0 || number('exclusiveMinimum') >= 0 || number('maximum') < 0 || number('exclusiveMaximum') <= 0;
}

function ofValues(values: readonly unknown[], format: { formats?: readonly string[] }): Type {
  const texts = values.filter((value): value is string => typeof value === 'string');
  const numbers = values.filter((value): value is number => typeof value === 'number');
  const truths = values.filter((value): value is boolean => typeof value === 'boolean');
  const members: Member[] = [];
  if (texts.length > 0) members.push({ kind: 'text', values: texts, ...format });
  if (numbers.length > 0)
    members.push({ kind: 'number', whole: numbers.every(Number.isInteger), values: numbers, nonzero: !numbers.includes(0) });
  if (truths.length > 0) members.push({ kind: 'truth', values: truths });
  if (values.some((value) => typeof value === 'object' && value !== null)) members.push({ kind: 'any' });
  return { absent: values.includes(null), members };
}

/** A reference within the same document: a JSON Pointer (RFC 6901) or an anchor; others do not resolve. */
export function resolve(root: JsonSchema, reference: string): Node | undefined {
  if (!reference.startsWith('#')) return undefined;
  const fragment = safelyDecoded(reference.slice(1));
  if (fragment !== '' && !fragment.startsWith('/')) return anchored(root, '', fragment);
  let at: unknown = root;
  for (const text of fragment.split('/').slice(1)) {
    const key = text.replace(/~1/g, '/').replace(/~0/g, '~');
    if (typeof at !== 'object' || at === null || !Object.hasOwn(at, key)) return undefined;
    at = (at as Record<string, unknown>)[key];
  }
  return isSchema(at) ? { schema: at, pointer: fragment } : undefined;
}

/** The schema at a JSON Pointer (RFC 6901) of a schema; undefined where there is none, and for one that is only true or false. */
export function schemaAt(root: JsonSchema, pointer: string): Readonly<Record<string, unknown>> | undefined {
  const found = resolve(root, `#${pointer.replaceAll('%', '%25')}`)?.schema;
  return typeof found === 'object' ? found : undefined;
}

function safelyDecoded(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}

function anchored(node: unknown, pointer: string, name: string): Node | undefined {
  if (typeof node !== 'object' || node === null) return undefined;
  if (isObject(node) && (node['$anchor'] === name || node['$dynamicAnchor'] === name)) return { schema: node, pointer };
  for (const [key, inner] of Object.entries(node)) {
    const found = anchored(inner, `${pointer}/${step(key)}`, name);
    if (found !== undefined) return found;
  }
  return undefined;
}

/** Every field that the schema declares, by pointer, with its path as an author writes it. Each schema is gone through once. */
export function declaredFields(root: JsonSchema): Map<string, string> {
  const out = new Map<string, string>();
  const seen = new Set<JsonSchema>();
  const walk = (schema: unknown, pointer: string, path: string): void => {
    if (!isObject(schema) || seen.has(schema)) return;
    seen.add(schema);
    const reference = schema['$ref'];
    const target = typeof reference === 'string' ? resolve(root, reference) : undefined;
    if (target !== undefined) walk(target.schema, target.pointer, path);
    for (const key of ['oneOf', 'anyOf', 'allOf', 'prefixItems'] as const) {
      const list = schema[key];
      if (Array.isArray(list))
        list.forEach((child, i) => {
          walk(child, `${pointer}/${key}/${i}`, key === 'prefixItems' ? `${path}[${i}]` : path);
        });
    }
    for (const key of ['then', 'else'] as const) walk(schema[key], `${pointer}/${key}`, path);
    walk(schema['items'], `${pointer}/items`, `${path}[]`);
    for (const [name, field] of Object.entries(fieldsOf(schema, 'properties'))) {
      const at = path === '' ? name : `${path}.${name}`;
      out.set(`${pointer}/properties/${step(name)}`, at);
      walk(field, `${pointer}/properties/${step(name)}`, at);
    }
  };
  walk(root, '', '');
  return out;
}
