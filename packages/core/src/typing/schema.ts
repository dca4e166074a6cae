import type { Member, RecordMember, Type } from './type.js';
import { ANY, either, optional } from './type.js';

/** A JSON Schema (2020-12), as parsed JSON. */
export type JsonSchema = boolean | { readonly [key: string]: unknown };

const DATE_FORMATS = new Set(['date', 'date-time', 'time', 'duration']);

/** Reads a data schema as types. A pointer names the place of each field in the schema (RFC 6901). */
export class SchemaTypes {
  readonly #made = new Map<string, Type>();

  constructor(private readonly root: JsonSchema) {}

  type(): Type {
    return this.#at(this.root, '');
  }

  #at(schema: JsonSchema, pointer: string): Type {
    const made = this.#made.get(pointer);
    if (made !== undefined) return made;
    // A schema that is met again while it is being read (a reference to itself without a list or record between) means nothing more.
    this.#made.set(pointer, ANY);
    const type = this.#read(schema, pointer);
    this.#made.set(pointer, type);
    return type;
  }

  #read(schema: JsonSchema, pointer: string): Type {
    if (typeof schema === 'boolean') return ANY;
    const reference = schema['$ref'];
    if (typeof reference === 'string') {
      const target = resolve(this.root, reference);
      return target === undefined ? ANY : this.#at(target, reference.slice(1));
    }
    for (const key of ['oneOf', 'anyOf'] as const) {
      const list = schema[key];
      if (Array.isArray(list) && list.length > 0) {
        return list.map((one: JsonSchema, i) => this.#at(merged(schema, one, key), `${pointer}/${key}/${i}`)).reduce(either);
      }
    }
    const all = schema['allOf'];
    if (Array.isArray(all)) {
      const flat = all
        .map((one: JsonSchema) => this.#dereferenced(one))
        .reduce<JsonSchema>((sum, one) => merged(sum, one), without(schema, 'allOf'));
      return this.#at(flat, `${pointer}/allOf`);
    }
    if ('const' in schema) return ofValues([schema['const']]);
    if (Array.isArray(schema['enum'])) return ofValues(schema['enum']);
    const declared = schema['type'];
    const names = Array.isArray(declared) ? declared : declared === undefined ? guessed(schema) : [declared];
    if (names.length === 0) return ANY;
    const members = names.filter((name) => name !== 'null').flatMap((name) => this.#member(String(name), schema, pointer));
    return { absent: names.includes('null'), members };
  }

  #dereferenced(schema: JsonSchema): JsonSchema {
    const reference = typeof schema === 'object' ? schema['$ref'] : undefined;
    return typeof reference === 'string' ? (resolve(this.root, reference) ?? true) : schema;
  }

  #member(name: string, schema: Exclude<JsonSchema, boolean>, pointer: string): Member[] {
    switch (name) {
      case 'string': {
        const format = schema['format'];
        return [typeof format === 'string' ? { kind: 'text', format } : { kind: 'text' }];
      }
      case 'integer':
      case 'number':
        return [{ kind: 'number', whole: name === 'integer' || schema['multipleOf'] === 1 }];
      case 'boolean':
        return [{ kind: 'truth' }];
      case 'array': {
        const items = schema['items'] as JsonSchema | undefined;
        return [{ kind: 'list', of: () => (items === undefined ? ANY : this.#at(items, `${pointer}/items`)) }];
      }
      case 'object':
        return [this.#record(schema, pointer)];
      default:
        return [{ kind: 'any' }];
    }
  }

  #record(schema: Exclude<JsonSchema, boolean>, pointer: string): RecordMember {
    const properties = (schema['properties'] ?? {}) as Record<string, JsonSchema>;
    const required = new Set(Array.isArray(schema['required']) ? (schema['required'] as string[]) : []);
    const more = schema['additionalProperties'] as JsonSchema | undefined;
    return {
      kind: 'record',
      names: Object.keys(properties),
      field: (name) => {
        const at = `${pointer}/properties/${name}`;
        if (Object.hasOwn(properties, name)) {
          const type = this.#at(properties[name] ?? true, at);
          return { type: required.has(name) ? type : optional(type), pointer: at, nullable: type.absent, optional: !required.has(name) };
        }
        // Only a schema that speaks of other fields has them: without that, a name it does not have is a slip.
        if (more === undefined || more === false) return undefined;
        return { type: optional(this.#at(more, `${pointer}/additionalProperties`)), pointer: at };
      },
    };
  }
}

function without(schema: Exclude<JsonSchema, boolean>, key: string): Exclude<JsonSchema, boolean> {
  return Object.fromEntries(Object.entries(schema).filter(([name]) => name !== key));
}

/** What both schemas say together, as far as types go. */
function merged(a: JsonSchema, b: JsonSchema, dropped = ''): JsonSchema {
  if (typeof a === 'boolean') return b;
  if (typeof b === 'boolean') return without(a, dropped);
  const base = without(a, dropped);
  const properties = { ...(base['properties'] as object | undefined), ...(b['properties'] as object | undefined) };
  const required = [...((base['required'] as string[] | undefined) ?? []), ...((b['required'] as string[] | undefined) ?? [])];
  return {
    ...base,
    ...b,
    ...(Object.keys(properties).length > 0 ? { properties } : {}),
    ...(required.length > 0 ? { required } : {}),
  };
}

function guessed(schema: Exclude<JsonSchema, boolean>): string[] {
  if ('properties' in schema) return ['object'];
  if ('items' in schema) return ['array'];
  if (typeof schema['format'] === 'string' && DATE_FORMATS.has(schema['format'])) return ['string'];
  return [];
}

function ofValues(values: readonly unknown[]): Type {
  const texts = values.filter((one): one is string => typeof one === 'string');
  const numbers = values.filter((one): one is number => typeof one === 'number');
  const truths = values.filter((one): one is boolean => typeof one === 'boolean');
  const members: Member[] = [];
  if (texts.length > 0) members.push({ kind: 'text', values: texts });
  if (numbers.length > 0) members.push({ kind: 'number', whole: numbers.every(Number.isInteger), values: numbers });
  if (truths.length > 0) members.push({ kind: 'truth', values: truths });
  if (values.some((one) => typeof one === 'object' && one !== null)) members.push({ kind: 'any' });
  return { absent: values.includes(null), members };
}

/** A reference within the same document (RFC 6901); others do not resolve. */
function resolve(root: JsonSchema, reference: string): JsonSchema | undefined {
  if (!reference.startsWith('#')) return undefined;
  let at: unknown = root;
  for (const step of reference.slice(1).split('/').slice(1)) {
    const key = decodeURIComponent(step).replace(/~1/g, '/').replace(/~0/g, '~');
    if (typeof at !== 'object' || at === null || !Object.hasOwn(at, key)) return undefined;
    at = (at as Record<string, unknown>)[key];
  }
  return at as JsonSchema;
}

/** Every field that the schema declares, by pointer, with its path as an author writes it. Each reference is followed once. */
export function declaredFields(root: JsonSchema): Map<string, string> {
  const out = new Map<string, string>();
  const seen = new Set<JsonSchema>();
  const walk = (schema: JsonSchema | undefined, pointer: string, path: string): void => {
    if (typeof schema !== 'object' || seen.has(schema)) return;
    seen.add(schema);
    if (typeof schema['$ref'] === 'string') walk(resolve(root, schema['$ref']), schema['$ref'].slice(1), path);
    for (const key of ['oneOf', 'anyOf', 'allOf'] as const) {
      const list = schema[key];
      if (Array.isArray(list))
        list.forEach((one: JsonSchema, i) => {
          walk(one, `${pointer}/${key}/${i}`, path);
        });
    }
    walk(schema['items'] as JsonSchema | undefined, `${pointer}/items`, `${path}[]`);
    const properties = (schema['properties'] ?? {}) as Record<string, JsonSchema>;
    for (const [name, field] of Object.entries(properties)) {
      const at = path === '' ? name : `${path}.${name}`;
      out.set(`${pointer}/properties/${name}`, at);
      walk(field, `${pointer}/properties/${name}`, at);
    }
  };
  walk(root, '', '');
  return out;
}
