import { SchemaTypes, type JsonSchema } from './schema.js';
import type { Member, RecordMember, Type } from './type.js';

const NAME = /^[A-Za-z_$][A-Za-z0-9_$]*$/;

function quoted(name: string): string {
  return NAME.test(name) ? name : JSON.stringify(name);
}

/** TypeScript declarations of every template's data, by template name. Schemas that refer to themselves end in `unknown`. */
export function declareData(schemas: ReadonlyMap<string, JsonSchema>): string {
  const entries = [...schemas].map(([name, schema]) => `  ${quoted(name)}: ${typeText(new SchemaTypes(schema).type(), 1, [])};`);
  return `// Made by "verbalis types" from the data schemas of the mail folder. Do not edit.\n\n/** Data that each template needs. */\nexport interface TemplateData {\n${entries.join('\n')}\n}\n`;
}

function typeText(type: Type, depth: number, above: readonly Member[]): string {
  const members = [...new Set(type.members.map((one) => memberText(one, depth, above)))];
  if (type.absent) members.push('null');
  return members.length === 0 ? 'null' : members.join(' | ');
}

function memberText(member: Member, depth: number, above: readonly Member[]): string {
  switch (member.kind) {
    case 'text':
      return member.values?.map((one) => JSON.stringify(one)).join(' | ') ?? 'string';
    case 'number':
      return member.values?.join(' | ') ?? 'number';
    case 'truth':
      return member.values?.join(' | ') ?? 'boolean';
    case 'any':
      return 'unknown';
    case 'list': {
      if (above.length > 24) return 'unknown[]';
      const of = typeText(member.of(), depth, [...above, member]);
      return /[|&]/.test(of) && !of.startsWith('{') ? `(${of})[]` : `${of}[]`;
    }
    case 'record':
      return above.includes(member) || above.length > 24 ? 'unknown' : recordText(member, depth, above);
  }
}

function recordText(member: RecordMember, depth: number, above: readonly Member[]): string {
  const indent = '  '.repeat(depth + 1);
  const fields = member.names.map((name) => {
    const field = member.field(name);
    if (field === undefined) return '';
    const text = typeText({ absent: field.nullable === true, members: field.type.members }, depth + 1, [...above, member]);
    return `${indent}${quoted(name)}${field.optional === true ? '?' : ''}: ${text};\n`;
  });
  return fields.length === 0 ? 'Record<string, unknown>' : `{\n${fields.join('')}${'  '.repeat(depth)}}`;
}
