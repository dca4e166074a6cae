import { BLOCKS } from '../blocks/index.js';
import { FRONT_KEYS } from '../notation/index.js';
import { inWords, type Type } from '../typing/index.js';
import { completeExpression } from './complete-expression.js';
import { valuesOf, type Completion } from './completion.js';
import { cursorAt } from './cursor.js';
import type { EditedFolder } from './folder.js';
import { FRONT_WORDS, STEERING_BLOCKS } from './words.js';

/** Values that a front matter key takes, where they are known. */
function frontValues({ project }: EditedFolder, key: string): readonly string[] {
  switch (key) {
    case 'topic':
      return Object.keys(project.settings.topics);
    case 'layout':
      return ['none', ...project.layouts.keys()];
    case 'styles':
      return [...project.styles.keys()];
    default:
      return [];
  }
}

/** What can be written at an offset of a file: fields, formatters, blocks, arguments, texts, topics. The file's text may be unfinished. */
export function complete(folder: EditedFolder, path: string, offset: number): Completion[] {
  const text = folder.project.texts.get(path) ?? '';
  if (!/\.(?:md|html|txt)$/.test(path)) return [];
  const cursor = cursorAt(text, offset);
  const isMarkdown = path.endsWith('.md');
  switch (cursor.kind) {
    case 'expression':
      return completeExpression(folder, path, { text, offset, ...cursor });
    case 'block':
      return blocks(folder, { ...cursor, to: offset, isMarkdown });
    case 'argument':
    case 'argument-value':
      return isMarkdown ? argumentsOf(folder, cursor, { text, offset }) : [];
    case 'front-key':
      return [
        ...FRONT_KEYS.map((key) => ({ key, detail: FRONT_WORDS[key] })),
        ...layoutInputs(folder, path, text).map(({ name, type }) => ({ key: name, detail: `for the layout: ${inWords(type)}` })),
      ].map(({ key, detail }) => ({ label: key, kind: 'word', detail, insert: `${key}: `, from: cursor.from, to: offset }));
    case 'front-value':
      return frontValues(folder, cursor.key).map((value) => ({
        label: value,
        kind: 'value',
        insert: value,
        from: cursor.from,
        to: offset,
      }));
    case 'text':
      return [];
  }
}

/** What the layouts around a source take from its front matter. */
function layoutInputs(
  { context, project }: EditedFolder,
  path: string,
  text: string,
): readonly { readonly name: string; readonly type: Type }[] {
  if (!/^(?:templates\/[^/]+\/message|layouts\/)/.test(path)) return [];
  const written = /^layout:[ \t]*["']?([^\s"']+)/m.exec(text)?.[1];
  const out = new Map<string, { readonly name: string; readonly type: Type }>();
  const seen = new Set<string>();
  for (let name = written ?? (path.startsWith('layouts/') ? undefined : project.settings.layout); name !== undefined && !seen.has(name);) {
    seen.add(name);
    const layout = context.layouts.get(name);
    for (const input of layout?.inputs ?? []) out.set(input.name, input);
    name = layout?.outer;
  }
  return [...out.values()];
}

interface AtColons {
  readonly from: number;
  readonly to: number;
  readonly colons: '::' | ':::';
  readonly isMarkdown: boolean;
}

function blocks({ context }: EditedFolder, { from, to, colons, isMarkdown }: AtColons): Completion[] {
  const steering = STEERING_BLOCKS.filter((word) => word.colons === colons).map(({ name, detail }) => ({ name, detail }));
  const known = [...context.signatures.values()]
    .filter(({ content }) => content === 'optional' || (content === 'none') === (colons === '::'))
    .map(({ name }) => ({ name, detail: BLOCKS.get(name)?.summary ?? (context.own.has(name) ? `blocks/${name}.md` : '') }));
  return [...(isMarkdown ? known : []), ...steering].map(({ name, detail }) => ({
    label: name,
    kind: 'block',
    detail,
    insert: `${colons}${name}`,
    from,
    to,
  }));
}

function argumentsOf(
  folder: EditedFolder,
  cursor: Extract<ReturnType<typeof cursorAt>, { kind: 'argument' | 'argument-value' }>,
  { text, offset }: { readonly text: string; readonly offset: number },
): Completion[] {
  const signature = folder.context.signatures.get(cursor.block);
  if (signature === undefined) return [];
  const { from } = cursor;
  const to = offset;
  if (cursor.kind === 'argument-value') {
    const argument = cursor.name === undefined ? signature.first : signature.args.find(({ name }) => name === cursor.name);
    const choices = argument?.choices ?? valuesOf(argument?.type);
    const written = text.slice(from, offset);
    const files =
      argument?.kind === 'url' || written.startsWith('assets/')
        ? [...folder.project.assets.keys()].filter((path) => path.startsWith('assets/'))
        : [];
    return [
      ...choices.map((value): Completion => ({ label: value, kind: 'value', insert: value, from, to })),
      ...files.map((value): Completion => ({ label: value, kind: 'file', insert: value, from, to })),
    ];
  }
  const used = new Set([...cursor.written.matchAll(/(?<![\w-])[A-Za-z][\w-]*(?==)/g)].map(([name]) => name));
  const isFirst = cursor.written.trim() === '';
  const slots = cursor.block === 'slot' ? [...folder.context.signatures.values()].flatMap(({ slots: names }) => names ?? []) : [];
  return [
    ...(isFirst ? [...(signature.first?.choices ?? []), ...new Set(slots)] : []).map((value): Completion => ({
      label: value,
      kind: 'value',
      insert: value,
      from,
      to,
    })),
    ...signature.args
      .filter(({ name }) => !used.has(name))
      .map((argument): Completion => ({
        label: argument.name,
        kind: 'argument',
        detail: `${argument.summary}${argument.required === true ? ' (required)' : ''}`,
        insert: `${argument.name}=`,
        from,
        to,
      })),
  ];
}
