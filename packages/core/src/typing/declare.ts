import { typeOfSchema, type JsonSchema } from './schema.js';
import type { Member, RecordMember, Type } from './type.js';

const NAME = /^[A-Za-z_$][A-Za-z0-9_$]*$/;

function quoted(name: string): string {
  return NAME.test(name) ? name : JSON.stringify(name);
}

/**
 * TypeScript declarations of every template's data, by template name, and of the data of signals by type. What the schema says in words stands as a comment. Schemas that refer
 * to themselves end in `unknown`.
 */
export function declareData(schemas: ReadonlyMap<string, JsonSchema>, signals: ReadonlyMap<string, JsonSchema> = new Map()): string {
  const listed = (all: ReadonlyMap<string, JsonSchema>): string =>
    [...all].map(([name, schema]) => `  ${quoted(name)}: ${typeText(typeOfSchema(schema), { schema, depth: 1, above: [] })};\n`).join('');
  const carried =
    signals.size === 0 ? '' : `\n/** What each signal carries that a rule is on. */\nexport interface SignalData {\n${listed(signals)}}\n`;
  return `// Made by "verbalis types" from the data schemas of the mail folder. Do not edit.\n\n/** Data that each template needs. */\nexport interface TemplateData {\n${listed(schemas)}}\n${carried}`;
}

interface Context {
  readonly schema: JsonSchema;
  readonly depth: number;
  readonly above: readonly Member[];
}

/** Alternatives of a type, each as it stands between bars. */
function alternatives(type: Type, context: Context): string[] {
  const members = new Set(type.members.flatMap((member) => memberTexts(member, context)));
  if (members.has('unknown')) return ['unknown'];
  if (type.absent || members.size === 0) members.add('null');
  return [...members];
}

function typeText(type: Type, context: Context): string {
  return alternatives(type, context).join(' | ');
}

function memberTexts(member: Member, context: Context): string[] {
  const deeper = { ...context, above: [...context.above, member] };
  switch (member.kind) {
    case 'text':
      return member.values?.map((value) => JSON.stringify(value)) ?? ['string'];
    case 'number':
      return member.values?.map(String) ?? ['number'];
    case 'truth':
      return member.values?.map(String) ?? ['boolean'];
    case 'any':
      return ['unknown'];
    case 'list': {
      if (context.above.length > 24) return ['unknown[]'];
      const of = alternatives(member.of(), deeper);
      return [of.length > 1 ? `(${of.join(' | ')})[]` : `${of[0] ?? 'unknown'}[]`];
    }
    case 'record':
      return [context.above.includes(member) || context.above.length > 24 ? 'unknown' : recordText(member, deeper)];
  }
}

function recordText(member: RecordMember, context: Context): string {
  const indent = '  '.repeat(context.depth + 1);
  const inner = { ...context, depth: context.depth + 1 };
  const fields = member.names.flatMap((name) => {
    const field = member.field(name);
    if (field === undefined) return [];
    const text = typeText({ absent: field.nullable, members: field.type.members }, inner);
    return [
      `${comment(field.pointers, field.type, context.schema, indent)}${indent}${quoted(name)}${field.optional ? '?' : ''}: ${text};\n`,
    ];
  });
  const others = member.open && fields.length > 0 ? undefined : member.others();
  if (others !== undefined) {
    // TypeScript wants the fields that are named to be among what the index says.
    const text = fields.length > 0 ? 'unknown' : typeText({ absent: false, members: others.members }, inner);
    if (fields.length === 0) return `Record<string, ${text}>`;
    fields.push(`${indent}[name: string]: ${text};\n`);
  }
  return fields.length === 0 ? 'Record<string, never>' : `{\n${fields.join('')}${'  '.repeat(context.depth)}}`;
}

/** What the schema says of a field in words, and of its format. */
function comment(pointers: readonly string[], type: Type, schema: JsonSchema, indent: string): string {
  const said = pointers.flatMap((pointer) => {
    const node = at(schema, pointer);
    return [node?.['title'], node?.['description']].filter((value): value is string => typeof value === 'string');
  });
  const formats = type.members.flatMap((member) => (member.kind === 'text' ? (member.formats ?? []) : []));
  const text = [
    ...new Set([...said.map((word) => (/[.!?]$/.test(word) ? word : `${word}.`)), ...formats.map((format) => `Format: ${format}.`)]),
  ]
    .join(' ')
    .replace(/\s+/g, ' ')
    .replaceAll('*/', '*\u200B/');
  return text === '' ? '' : `${indent}/** ${text} */\n`;
}

function at(schema: JsonSchema, pointer: string): Readonly<Record<string, unknown>> | undefined {
  let node: unknown = schema;
  for (const step of pointer.split('/').slice(1)) {
    const key = step.replace(/~1/g, '/').replace(/~0/g, '~');
    if (typeof node !== 'object' || node === null || !Object.hasOwn(node, key)) return undefined;
    node = (node as Record<string, unknown>)[key];
  }
  return typeof node === 'object' && node !== null ? (node as Record<string, unknown>) : undefined;
}
