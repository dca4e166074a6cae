import { isTag } from 'domhandler';
import { htmlDocument, type Theme } from '../html/index.js';
import type { MailProject, SourceFile, TemplateFiles, TemplateSource } from '../folder/index.js';
import {
  parseSource,
  parseVerbatim,
  type BlockModes,
  type BlockUse,
  type Expression,
  type Flow,
  type FrontValue,
  type SourceTree,
  type VerbatimTree,
} from '../notation/index.js';
import { didYouMean, hasErrors, inReadingOrder, problem, SourceText, warning, type Problem } from '../problems/index.js';
import type { Op, Program, TextOp } from '../render/index.js';
import { lookUp, textOf } from '../strings/index.js';
import { typeTrees, type BlockSignature, type SayTypes, type Type, type Typing } from '../typing/index.js';
import { applySheets, elementsOf, readDocument, refuseForbidden, takeSheets, writeDocument, type DomFault } from './dom.js';
import { HtmlCompiler } from './html-side.js';
import { textOfDocument } from './html-text.js';
import { mark, originOf } from './marked.js';
import type { OwnBlock } from './own-blocks.js';
import { tidy, type CompileContext } from './sides.js';
import { TextCompiler } from './text-side.js';
import { placeAssets } from './assets.js';
import { Names, placed, valueOf } from './values.js';
import { placedOps, verbatimOps } from './verbatim.js';

export type Parsed = ReturnType<typeof parseSource>;

/** What all templates of a folder share. */
export interface FolderContext {
  readonly project: MailProject;
  readonly modes: BlockModes;
  readonly signatures: ReadonlyMap<string, BlockSignature>;
  readonly layouts: ReadonlyMap<string, Parsed>;
  readonly own: ReadonlyMap<string, OwnBlock>;
  readonly ownTypes: ReadonlyMap<Expression, Type>;
  readonly say: SayTypes;
}

export interface CompiledTemplate {
  readonly name: string;
  readonly topic: string | undefined;
  readonly sender: string | undefined;
  readonly replyTo: string | undefined;
  /** By locale; the folder's own locale is always there. Empty when the template has errors. */
  readonly programs: ReadonlyMap<string, Program>;
  readonly problems: readonly Problem[];
}

/** One source, read and typed: the same for all locales that take it. */
interface ReadSource {
  readonly file: TemplateSource;
  readonly front: ReadonlyMap<string, FrontValue>;
  readonly tree: SourceTree | undefined;
  readonly html: VerbatimTree | undefined;
  readonly text: VerbatimTree | undefined;
  readonly layout: Parsed | undefined;
  readonly typing: Typing;
  readonly source: SourceText;
}

export function compileTemplate(context: FolderContext, template: TemplateFiles): CompiledTemplate {
  const { project } = context;
  const problems: Problem[] = [];
  const read = new Map<string, ReadSource>();
  for (const [tag, file] of template.sources) read.set(tag, readSource(context, template, tag, file, problems));
  const main = read.get('');
  if (main === undefined) throw new Error('A template without a source is not linked.');
  if (!hasErrors(problems)) problems.push(...unused(project, template, [...read.values()]));
  const programs = new Map<string, Program>();
  const broken =
    hasErrors(problems) || hasErrors(project.problems.filter((one) => one.place.file.startsWith(`templates/${template.name}/`)));
  if (!broken) {
    const own = project.settings.locale;
    const said = saidBy(main);
    const spoken = [...project.strings.byLocale]
      .filter(([, texts]) => said.length > 0 && said.every((key) => texts.has(key)))
      .map(([locale]) => locale);
    const locales = new Set([own, ...[...template.sources.keys()].filter((tag) => tag !== ''), ...spoken]);
    for (const locale of locales) {
      const tag = lookUp(locale, '').find((one) => read.has(one)) ?? '';
      programs.set(locale, build(context, template, locale, read.get(tag) ?? main, problems));
    }
  }
  return {
    name: template.name,
    topic: written(main.front.get('topic')),
    sender: written(main.front.get('sender')),
    replyTo: written(main.front.get('replyTo')),
    programs: hasErrors(problems) ? new Map() : programs,
    problems: inReadingOrder(problems),
  };
}

/** Keys of strings that a source says itself. One that says all of its text so is translated where all of them are. */
function saidBy(read: ReadSource): string[] {
  const own = JSON.stringify([[...read.front.values()].map((one) => one.parts), read.tree?.body, read.html?.body]);
  return [
    ...new Set(
      [...own.matchAll(/"kind":"say","key":"((?:[^"\\\\]|\\\\.)*)"/g)].map((found) => JSON.parse(`"${found[1] ?? ''}"`) as string),
    ),
  ];
}

function readSource(context: FolderContext, template: TemplateFiles, tag: string, file: TemplateSource, problems: Problem[]): ReadSource {
  const markdown = file.kind === 'md' ? parseSource(file.file, file.text, context.modes) : undefined;
  const html = file.kind === 'html' ? parseVerbatim(file.file, file.text) : undefined;
  const handText: SourceFile | undefined = template.texts.get(tag);
  const text = handText === undefined ? undefined : parseVerbatim(handText.file, handText.text);
  const parsed = (markdown ?? html) as { problems: Problem[]; source: SourceText; tree: { front: ReadonlyMap<string, FrontValue> } };
  problems.push(...parsed.problems, ...(text?.problems ?? []));
  const { front } = parsed.tree;
  const layout = frontFaults(context, front, parsed.source, markdown !== undefined, problems);
  for (const stray of uses(markdown?.tree.body ?? [], 'body'))
    problems.push(problem('body-here', stray.namePlace, '"::body" belongs in a layout.'));
  for (const stray of uses(markdown?.tree.body ?? [], 'content'))
    problems.push(problem('content-here', stray.namePlace, '"::content" belongs in a block of blocks/.'));
  const typing = typeTrees({
    trees: [layout?.tree, markdown?.tree].filter((one) => one !== undefined),
    verbatim: [html?.tree, text?.tree].filter((one) => one !== undefined),
    schema: template.schema,
    signatures: context.signatures,
    say: context.say,
  });
  problems.push(...typing.problems);
  return { file, front, tree: markdown?.tree, html: html?.tree, text: text?.tree, layout, typing, source: parsed.source };
}

/** What the front matter must say, and of what it says must be there. */
function frontFaults(
  context: FolderContext,
  front: ReadonlyMap<string, FrontValue>,
  source: SourceText,
  inLayout: boolean,
  problems: Problem[],
): Parsed | undefined {
  const { project, layouts } = context;
  const top = source.place(0, 0);
  if (!front.has('subject'))
    problems.push(problem('no-subject', top, 'This source has no subject.', 'Put subject: "…" between two lines "---" at the top.'));
  const topic = front.get('topic');
  const topics = Object.keys(project.settings.topics);
  if (topic !== undefined && topics.length > 0 && !topics.includes(written(topic) ?? '')) {
    problems.push(
      problem('unknown-topic', topic.place, `mail.yaml has no topic "${written(topic) ?? ''}".`, didYouMean(written(topic) ?? '', topics)),
    );
  }
  for (const path of stylesNamed(front)) {
    if (!project.styles.has(path))
      problems.push(
        problem(
          'unknown-style',
          front.get('styles')?.place ?? top,
          `There is no style sheet "${path}" in the mail folder.`,
          didYouMean(path, project.styles.keys()),
        ),
      );
  }
  const wanted = inLayout ? (written(front.get('layout')) ?? project.settings.layout) : undefined;
  if (wanted === undefined || wanted === 'none') return undefined;
  const layout = layouts.get(wanted);
  if (layout === undefined)
    problems.push(
      problem(
        'unknown-layout',
        front.get('layout')?.place ?? top,
        `There is no layout "${wanted}" in layouts/.`,
        didYouMean(wanted, ['none', ...layouts.keys()]),
      ),
    );
  return layout;
}

function stylesNamed(front: ReadonlyMap<string, FrontValue>): string[] {
  return (written(front.get('styles')) ?? '').split(/[\s,]+/).filter((one) => one !== '');
}

function unused(project: MailProject, template: TemplateFiles, sources: readonly ReadSource[]): Problem[] {
  const schemaSource = new SourceText(template.schemaFile, project.texts.get(template.schemaFile) ?? '');
  const everywhere = (sources[0]?.typing.unusedFields ?? []).filter((path) =>
    sources.every((one) => one.typing.unusedFields.includes(path)),
  );
  return everywhere.map((path) => {
    const key = `"${path.split('.').pop()?.replace(/\[\]$/, '') ?? ''}"`;
    return warning(
      'unused-field',
      schemaSource.place(Math.max(0, schemaSource.text.indexOf(key)), key.length),
      `Nothing in ${sources[0]?.file.file ?? ''} uses "${path}".`,
    );
  });
}

function build(context: FolderContext, template: TemplateFiles, locale: string, read: ReadSource, problems: Problem[]): Program {
  const { project, own, ownTypes } = context;
  const { theme, settings } = project;
  const { front, typing } = read;
  const compile: CompileContext = { types: { get: (one) => typing.types.get(one) ?? ownTypes.get(one) }, own, deepest: 0 };
  const names = new Names();
  const direction = directionOf(locale);
  const subject = lineOps(front.get('subject'), names, 'line');
  const preview = lineOps(front.get('preview'), names, 'line');
  const head = {
    theme,
    locale,
    direction,
    title: lineOps(front.get('title') ?? front.get('subject'), names, 'html'),
    preview: lineOps(front.get('preview'), names, 'html'),
  };
  const made =
    read.html === undefined
      ? fromMarkdown(context, read, head, compile, names)
      : fromHtml(context, read, read.html, head, compile, names, problems);
  const { ops: html, carried } = placeAssets(made.html, project);
  const text: readonly TextOp[] =
    read.text === undefined ? made.text : [{ op: 'lines', body: verbatimOps(read.text.body, names, compile, 'text') }];
  const strings: Record<string, { text: string; locale: string }> = {};
  for (const name of saidIn([subject, preview, html, text])) {
    const found = textOf(project.strings, name, locale, settings.locale);
    if (found !== undefined) strings[name] = found;
  }
  return {
    template: template.name,
    locale,
    direction,
    timeZone: settings.timeZone,
    baseUrl: settings.baseUrl ?? '',
    strings,
    subject,
    preview,
    html,
    carried,
    text,
    slots: compile.deepest,
  };
}

/** Keys that operations say. */
function saidIn(node: unknown, out = new Set<string>()): Set<string> {
  if (Array.isArray(node)) for (const one of node) saidIn(one, out);
  else if (typeof node === 'object' && node !== null) {
    const { k, key } = node as { k?: unknown; key?: unknown };
    if (k === 'say' && typeof key === 'string') out.add(key);
    saidIn(Object.values(node), out);
  }
  return out;
}

interface Head {
  readonly theme: Theme;
  readonly locale: string;
  readonly direction: 'ltr' | 'rtl';
  readonly title: readonly Op[];
  readonly preview: readonly Op[];
}

function fromMarkdown(
  context: FolderContext,
  read: ReadSource,
  head: Head,
  compile: CompileContext,
  names: Names,
): { html: Op[]; text: TextOp[] } {
  const { theme, direction } = head;
  const { project } = context;
  const body = read.layout === undefined ? (read.tree?.body ?? []) : withBody(read.layout.tree.body, read.tree?.body ?? []);
  const side = new HtmlCompiler({ theme, direction }, compile, names, { ink: 'ink', soft: 'soft', link: 'link', size: theme.size.text });
  const html = htmlDocument({ ...head, body: side.flow(body) });
  const text = new TextCompiler(compile, names).flow(body);
  const sheets = [...project.settings.styles, ...stylesNamed(read.front)]
    .map((path) => project.styles.get(path))
    .filter((one) => one !== undefined);
  if (sheets.length === 0) return { html, text };
  const marked = mark(html);
  const document = readDocument(marked);
  applySheets(document, sheets, 'default');
  return { html: writeDocument(document, marked, () => read.file.file, []), text };
}

function fromHtml(
  context: FolderContext,
  read: ReadSource,
  tree: VerbatimTree,
  { locale, direction }: Head,
  compile: CompileContext,
  names: Names,
  problems: Problem[],
): { html: Op[]; text: TextOp[] } {
  const { project } = context;
  const faults: DomFault[] = [];
  const marked = mark(placedOps(tree.body, names, compile, 'html'));
  const locate = (offset: number | undefined): string => placed(originOf(marked, read.source, offset));
  const document = readDocument(marked, (what, offset) => {
    problems.push(
      warning(
        'html-syntax',
        originOf(marked, read.source, offset),
        `The HTML is not well formed: ${what}.`,
        'Browsers and clients mend it, each in its own way.',
      ),
    );
  });
  refuseForbidden(document, faults);
  const rootElement = [...elementsOf(document)].find((one) => one.name === 'html');
  if (rootElement !== undefined) {
    rootElement.attribs['lang'] ??= locale;
    rootElement.attribs['dir'] ??= direction;
  }
  const named = [...project.settings.styles, ...stylesNamed(read.front)].map((path) => project.styles.get(path) ?? '');
  applySheets(document, [...named, ...takeSheets(document, project.styles, faults)], 'author');
  const html = writeDocument(document, marked, locate, faults);
  const body = [...elementsOf(document)].find((one) => one.name === 'body');
  const text = textOfDocument(body?.children.filter((one) => !isTag(one) || one.name !== 'head') ?? [], marked, locate);
  for (const fault of faults) problems.push(problem(fault.code, originOf(marked, read.source, fault.offset), fault.message, fault.hint));
  return { html, text };
}

function lineOps(value: FrontValue | undefined, names: Names, as: 'line' | 'html'): Op[] {
  return tidy(
    (value?.parts ?? []).map((part): Op =>
      typeof part === 'string' ? (as === 'line' ? part : escaped(part)) : { op: 'put', value: valueOf(part, names), as },
    ),
  );
}

function escaped(text: string): string {
  return text.replace(/[&<>"]/g, (char) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[char] ?? '');
}

/** A value of the front matter that holds no expressions. */
export function written(value: FrontValue | undefined): string | undefined {
  const texts = value?.parts.filter((part) => typeof part === 'string');
  return value === undefined || texts?.length !== value.parts.length ? undefined : texts.join('');
}

const RIGHT_TO_LEFT = new Set(['Arab', 'Hebr', 'Thaa', 'Syrc', 'Nkoo', 'Adlm', 'Rohg']);

/** The direction of a locale's script. */
export function directionOf(locale: string): 'ltr' | 'rtl' {
  return RIGHT_TO_LEFT.has(new Intl.Locale(locale).maximize().script ?? '') ? 'rtl' : 'ltr';
}

/** The layout's tree with the template's body in the place of `::body`. */
function withBody(nodes: readonly Flow[], body: readonly Flow[]): Flow[] {
  return nodes.flatMap((node): readonly Flow[] => {
    if (node.kind === 'block' && node.name === 'body') return body;
    if (node.kind === 'block' && node.content.mode === 'flow')
      return [{ ...node, content: { mode: 'flow', children: withBody(node.content.children, body) } }];
    if (node.kind === 'if') return [{ ...node, branches: node.branches.map((one) => ({ ...one, body: withBody(one.body, body) })) }];
    return [node];
  });
}

/** Every use of a block in a tree. */
export function uses(nodes: readonly Flow[], name: string): BlockUse[] {
  return nodes.flatMap((node): BlockUse[] => {
    if (node.kind === 'block')
      return [...(node.name === name ? [node] : []), ...(node.content.mode === 'flow' ? uses(node.content.children, name) : [])];
    if (node.kind === 'if') return node.branches.flatMap((one) => uses(one.body, name));
    return node.kind === 'each' ? uses([...node.body, ...node.otherwise], name) : [];
  });
}
