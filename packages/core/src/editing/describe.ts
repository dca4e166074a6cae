import { BLOCKS } from '../blocks/index.js';
import { FORMATS } from '../formats/index.js';
import type { Sample } from '../folder/index.js';
import type { Expression } from '../notation/index.js';
import type { Place } from '../problems/index.js';
import { inWords, schemaAt, type Scope, type Type } from '../typing/index.js';
import { thingAt, type Thing } from './at.js';
import { valuesOf } from './completion.js';
import { readFile, type EditedFolder, type ReadFile } from './folder.js';
import { FRONT_WORDS } from './words.js';

/** What an editor shows about a word, in Markdown. */
export interface Description {
  readonly text: string;
  readonly place: Place;
}

/** What stands at an offset of a file, in words: type, what the schema says of it, a value from a sample. */
export function describe(folder: EditedFolder, path: string, offset: number): Description | undefined {
  const read = readFile(folder, path);
  const thing = read === undefined ? undefined : thingAt(read, offset);
  if (read === undefined || thing?.place === undefined) return undefined;
  const text = words(folder, read, thing);
  return text === undefined ? undefined : { text, place: thing.place };
}

function words(folder: EditedFolder, read: ReadFile, thing: Thing): string | undefined {
  switch (thing.kind) {
    case 'field':
    case 'name':
      return valueWords(read, thing);
    case 'formatter': {
      const format = FORMATS.get(thing.name);
      return format === undefined
        ? undefined
        : `**${format.name}** ${argumentWords(format.args)}\n\n${format.summary}\n\nFor example \`${JSON.stringify(format.example.value)}\` gives \`${format.example.gives}\`.`;
    }
    case 'string':
      return stringWords(folder, thing.key);
    case 'block':
      return blockWords(folder, thing.use.name);
    case 'argument': {
      const argument = folder.context.signatures.get(thing.use.name)?.args.find(({ name }) => name === thing.argument.name);
      return argument === undefined ? undefined : `**${argument.name}** of \`${thing.use.name}\`\n\n${argument.summary}`;
    }
    case 'front':
      return `**${thing.key}**\n\n${FRONT_WORDS[thing.key as keyof typeof FRONT_WORDS]}`;
  }
}

function argumentWords(args: readonly { readonly name: string; readonly optional?: boolean }[]): string {
  return args.map(({ name, optional }) => (optional === true ? `[${name}]` : name)).join(' ');
}

function typeWords(type: Type): string {
  const values = valuesOf(type);
  const shown = values.slice(0, 12).map((value) => JSON.stringify(value));
  const more = values.length > shown.length ? ', …' : '';
  return values.length === 0 ? inWords(type) : `${inWords(type)}: ${shown.join(', ')}${more}`;
}

function valueWords(read: ReadFile, thing: Extract<Thing, { kind: 'field' | 'name' }>): string {
  const { expression, scope } = thing.seen;
  const lines = [`**${thing.name}**: ${typeWords(thing.type)}`];
  const said = thing.kind === 'field' && read.schema !== undefined ? summaryOf(read, thing.pointers) : undefined;
  if (said !== undefined) lines.push(said);
  const sample = sampleOf(read.template?.samples ?? []);
  const value = sample === undefined || expression.kind === 'format' ? undefined : valueIn(expression, scope, sample.data);
  if (sample !== undefined && value !== undefined) lines.push(`In the sample ${sample.name}: \`${shortened(JSON.stringify(value))}\``);
  return lines.join('\n\n');
}

function shortened(text: string): string {
  return text.length > 200 ? `${text.slice(0, 199)}…` : text;
}

/** The title and description of the schemas that declare a field. */
function summaryOf({ schema }: ReadFile, pointers: readonly string[]): string | undefined {
  const texts = pointers.flatMap((pointer) => {
    const found = schema === undefined ? undefined : schemaAt(schema, pointer);
    return [found?.['title'], found?.['description']].filter((text) => typeof text === 'string');
  });
  return texts.length === 0 ? undefined : [...new Set(texts)].join(': ');
}

function sampleOf(samples: readonly Sample[]): Sample | undefined {
  return samples.find(({ name }) => name === 'typical') ?? samples[0];
}

/** Names that lead to each other are followed so far. */
const MAX_STEPS = 32;

/** The value of a path in data; a loop is in its first turn. Undefined for what is not there, and for what is computed. */
function valueIn(expression: Expression, scope: Scope, data: unknown, left = MAX_STEPS): unknown {
  if (left === 0) return undefined;
  const inner = (of: Expression): unknown => valueIn(of, scope, data, left - 1);
  switch (expression.kind) {
    case 'literal':
      return expression.value;
    case 'name': {
      const { name } = expression;
      if (scope.type(name) === undefined) return own(data, name);
      const binder = scope.binder(name);
      if (binder === undefined) return undefined;
      if (binder.kind === 'let') return inner(binder.value);
      const list = inner(binder.list);
      if (Array.isArray(list))
        return name === binder.second ? { number: 1, first: true, last: list.length === 1, count: list.length } : list[0];
      const [first] = Object.entries(list ?? {});
      return name === binder.second ? first?.[1] : first?.[0];
    }
    case 'member':
      return own(inner(expression.of), expression.name);
    case 'index': {
      const at = inner(expression.at);
      return typeof at === 'string' || typeof at === 'number' ? own(inner(expression.of), String(at)) : undefined;
    }
    case 'binary':
    case 'choice':
    case 'format':
    case 'say':
    case 'unary':
    default:
      return undefined;
  }
}

function own(value: unknown, name: string): unknown {
  return typeof value === 'object' && value !== null && Object.hasOwn(value, name) ? (value as Record<string, unknown>)[name] : undefined;
}

function stringWords({ project }: EditedFolder, key: string): string {
  const lines = [...project.strings.byLocale].flatMap(([locale, texts]) => {
    const text = texts.get(key);
    return text === undefined ? [] : [`${locale}: ${text}`];
  });
  return `**${key}**\n\n${lines.join('\n\n')}`;
}

function blockWords({ context, project }: EditedFolder, name: string): string | undefined {
  const signature = context.signatures.get(name);
  if (signature === undefined) return undefined;
  const summary = BLOCKS.get(name)?.summary ?? (project.blocks.has(name) ? `A block of this folder: blocks/${name}.md` : undefined);
  const args = signature.args.map(
    (argument) =>
      `- \`${argument.name}\`${argument.required === true ? ' (required)' : ''}: ${argument.type === undefined ? argument.summary : inWords(argument.type)}`,
  );
  const slots = (signature.slots ?? []).map((slot) => `- content \`${slot}\``);
  return [`**${name}**${signature.first === undefined ? '' : ` ${signature.first.name}`}`, summary, [...args, ...slots].join('\n')]
    .filter((text) => text !== undefined && text !== '')
    .join('\n\n');
}
