import { isTag } from 'domhandler';
import { htmlDocument, type Theme } from '../html/index.js';
import type { MailProject, SourceFile, TemplateFiles, TemplateSource } from '../folder/index.js';
import {
  parseSource,
  parseVerbatim,
  type BlockUse,
  type Expression,
  type Flow,
  type FrontValue,
  type VerbatimTree,
} from '../notation/index.js';
import { didYouMean, hasErrors, inReadingOrder, problem, SourceText, warning, type Problem } from '../problems/index.js';
import type { Op, Program, TextOp } from '../render/index.js';
import { textOf } from '../strings/index.js';
import { anythingHint, typeOfSchema, typeTrees, type Type } from '../typing/index.js';
import { applySheets, elementsOf, isIntact, readDocument, refuseForbidden, takeSheets, type DomFault } from './dom.js';
import { writeDocument, type Writing } from './write-dom.js';
import { HtmlCompiler } from './html-side.js';
import { textOfDocument } from './html-text.js';
import { localesOf } from './languages.js';
import { mark, originOf } from './marked.js';
import { MAX_NODES, type CompileContext, type FolderContext, type Parsed, type ReadSource } from './context.js';
import { tidy } from './sides.js';
import { TextCompiler } from './text-side.js';
import { placeAssets } from './assets.js';
import { Names, valueOf } from './values.js';
import { placedOps, verbatimOps } from './verbatim.js';
import { nodesOf } from './walk.js';

export interface CompiledTemplate {
  readonly name: string;
  readonly topic: string | undefined;
  readonly sender: string | undefined;
  readonly replyTo: string | undefined;
  /** By locale; the folder's own locale is always there. Empty when the template has errors. */
  readonly programs: ReadonlyMap<string, Program>;
  /** The same without what stands in one part only, so that its parts can be compared; left out where there is nothing of that kind. */
  readonly compared?: ReadonlyMap<string, Program>;
  /** Classes of its HTML, as far as style sheets were laid over it. */
  readonly classes?: ReadonlySet<string>;
  readonly problems: readonly Problem[];
}

export function compileTemplate(context: FolderContext, template: TemplateFiles): CompiledTemplate {
  const { project } = context;
  const problems: Problem[] = [];
  const read = new Map<string, ReadSource>();
  for (const [tag, file] of template.sources) read.set(tag, readSource(context, { template, tag, file, problems }));
  const main = read.get('');
  if (main === undefined) throw new Error('A template without a source is not linked.');
  if (!hasErrors(problems)) problems.push(...unused(project, template, [...read.values()]));
  const programs = new Map<string, Program>();
  const compared = new Map<string, Program>();
  const classes = new Set<string>();
  const broken =
    hasErrors(problems) || hasErrors(project.problems.filter((one) => one.place.file.startsWith(`templates/${template.name}/`)));
  if (!broken) {
    // The block can only come from a source that names it.
    const hasSingle = [...template.sources.values(), ...project.layouts.values(), ...project.blocks.values()].some((file) =>
      file.text.includes(':::only'),
    );
    for (const [locale, one] of localesOf(context, read, main, problems)) {
      programs.set(locale, build(context, { template, locale, read: one, problems, single: true, classes }));
      if (hasSingle) compared.set(locale, build(context, { template, locale, read: one, problems, single: false, classes }));
    }
  }
  const failed = hasErrors(problems);
  return {
    name: template.name,
    topic: written(main.front.get('topic')),
    sender: written(main.front.get('sender')),
    replyTo: written(main.front.get('replyTo')),
    programs: failed ? new Map() : programs,
    ...(compared.size === 0 || failed ? {} : { compared }),
    ...(classes.size === 0 ? {} : { classes }),
    problems: inReadingOrder(problems),
  };
}

function readSource(
  context: FolderContext,
  {
    template,
    tag,
    file,
    problems,
  }: { readonly template: TemplateFiles; readonly tag: string; readonly file: TemplateSource; readonly problems: Problem[] },
): ReadSource {
  const markdown = file.kind === 'md' ? parseSource(file.file, file.text, context.modes) : undefined;
  const html = file.kind === 'html' ? parseVerbatim(file.file, file.text) : undefined;
  const handText: SourceFile | undefined = template.texts.get(tag);
  const text = handText === undefined ? undefined : parseVerbatim(handText.file, handText.text);
  const parsed = (markdown ?? html) as { problems: Problem[]; source: SourceText; tree: { front: ReadonlyMap<string, FrontValue> } };
  problems.push(...parsed.problems, ...(text?.problems ?? []));
  const { front } = parsed.tree;
  if (markdown?.tree.inputs !== undefined)
    problems.push(
      problem('front-here', parsed.source.place(0, 0), '"inputs" belongs to a block of blocks/; a template has a data schema.'),
    );
  problems.push(...rootFaults(template));
  const layout = frontFaults(context, { front, source: parsed.source, inLayout: markdown !== undefined, problems });
  for (const stray of uses(markdown?.tree.body, 'body'))
    problems.push(problem('body-here', stray.namePlace, '"::body" belongs in a layout.'));
  for (const stray of uses(markdown?.tree.body, 'content'))
    problems.push(problem('content-here', stray.namePlace, '"::content" belongs in a block of blocks/.'));
  const typing = typeTrees({
    trees: [layout?.tree, markdown?.tree].filter((one) => one !== undefined),
    verbatim: [html?.tree, text?.tree].filter((one) => one !== undefined),
    schema: template.schema,
    signatures: context.signatures,
    say: context.say,
    hasBaseUrl: context.project.settings.baseUrl !== undefined,
  });
  problems.push(...typing.problems);
  return { file, front, tree: markdown?.tree, html: html?.tree, text: text?.tree, layout, typing, source: parsed.source };
}

/** The data is an object: its schema has to say so. */
function rootFaults(template: TemplateFiles): Problem[] {
  const type = typeOfSchema(template.schema);
  if (!type.absent && type.members.length > 0 && type.members.every((member) => member.kind === 'record')) return [];
  const place = new SourceText(template.schemaFile, '').whole;
  return [
    problem(
      'schema-root',
      place,
      'The data of a template is an object, and this schema does not say so.',
      anythingHint(type) === undefined ? 'Leave out every other type.' : 'Add "type": "object".',
    ),
  ];
}

/** What the front matter must say, and of what it says must be there. */
function frontFaults(
  context: FolderContext,
  {
    front,
    source,
    inLayout,
    problems,
  }: {
    readonly front: ReadonlyMap<string, FrontValue>;
    readonly source: SourceText;
    readonly inLayout: boolean;
    readonly problems: Problem[];
  },
): Parsed | undefined {
  const { project, layouts } = context;
  const top = source.place(0, 0);
  // Front matter that cannot be read has said so already.
  const isUnread = problems.some((one) => one.code === 'yaml' && one.place.file === source.file);
  if (!front.has('subject') && !isUnread)
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
  const own = front.get('layout');
  if (!inLayout && own !== undefined)
    problems.push(
      problem(
        'front-here',
        own.place,
        'A message.html has no layout: it is the whole document.',
        'Leave the line out, or write the mail as message.md.',
      ),
    );
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
  return (written(front.get('styles')) ?? '').split(/[\s,]+/).filter((text) => text !== '');
}

function unused(project: MailProject, template: TemplateFiles, sources: readonly ReadSource[]): Problem[] {
  const schemaSource = new SourceText(template.schemaFile, project.texts.get(template.schemaFile) ?? '');
  const everywhere = (sources[0]?.typing.unusedFields ?? []).filter((path) =>
    sources.every((source) => source.typing.unusedFields.includes(path)),
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

function build(
  context: FolderContext,
  {
    template,
    locale,
    read,
    problems,
    single,
    classes,
  }: {
    readonly template: TemplateFiles;
    readonly locale: string;
    readonly read: ReadSource;
    readonly problems: Problem[];
    readonly single: boolean;
    readonly classes: Set<string>;
  },
): Program {
  const { project, own, ownTypes } = context;
  const { theme, settings } = project;
  const { front, typing } = read;
  const types = { get: (expression: Expression): Type | undefined => typing.types.get(expression) ?? ownTypes.get(expression) };
  const compile: CompileContext = {
    types,
    own,
    baseUrl: settings.baseUrl ?? '',
    assets: project.assets,
    hasAssetUrl: settings.assetUrl !== undefined,
    problems,
    single,
    deepest: 0,
    left: MAX_NODES,
  };
  const names = new Names(types);
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
      ? fromMarkdown(context, { read, head, compile, names, classes })
      : fromHtml(context, read.html, { read, head, compile, names, classes });
  const { ops: html, carried } = placeAssets(made.html, project);
  const text: readonly TextOp[] =
    read.text === undefined ? made.text : [{ op: 'lines', body: verbatimOps(read.text.body, names, compile) }];
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
    ...(settings.linkHosts === undefined ? {} : { linkHosts: settings.linkHosts }),
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

/** What a language of a template is made from. */
interface MakeInput {
  readonly read: ReadSource;
  readonly head: Head;
  readonly compile: CompileContext;
  readonly names: Names;
  /** The classes of all languages are gathered here. */
  readonly classes: Set<string>;
}

function fromMarkdown(context: FolderContext, { read, head, compile, names, classes }: MakeInput): { html: Op[]; text: TextOp[] } {
  const { theme, direction } = head;
  const { project } = context;
  const body = read.layout === undefined ? (read.tree?.body ?? []) : withBody(read.layout.tree.body, read.tree?.body ?? []);
  const side = new HtmlCompiler({ theme, direction }, compile, {
    names,
    background: { text: 'text', soft: 'soft', link: 'link', size: theme.size.text },
  });
  const html = htmlDocument({ ...head, body: side.flow(body) });
  const text = new TextCompiler(compile, names).flow(body);
  const sheets = [...project.settings.styles, ...stylesNamed(read.front)]
    .map((path) => project.styles.get(path))
    .filter((one) => one !== undefined);
  if (sheets.length === 0) return { html, text };
  const marked = mark(html);
  const faults: DomFault[] = [];
  const top = read.source.place(0, 0);
  const document = readDocument(marked);
  // Nothing of what blocks make may get lost on the way through a parser.
  const intact = isIntact(document, marked, faults);
  let styled: Op[] = [];
  if (intact) {
    applySheets(document, sheets, 'default');
    classesOf(elementsOf(document), classes);
    styled = writeDocument(document.children, { marked, context: compile, placeOf: () => top, faults, classes: false });
  }
  for (const fault of faults) compile.problems.push(problem(fault.code, fault.place ?? top, fault.message, fault.hint));
  return { html: styled, text };
}

function classesOf(elements: ReturnType<typeof elementsOf>, into: Set<string>): void {
  for (const element of elements) for (const name of (element.attribs['class'] ?? '').split(/\s+/)) if (name !== '') into.add(name);
}

function fromHtml(
  { project }: FolderContext,
  tree: VerbatimTree,
  { read, head, compile, names, classes }: MakeInput,
): { html: Op[]; text: TextOp[] } {
  const { locale, direction } = head;
  const { problems } = compile;
  const faults: DomFault[] = [];
  const marked = mark(placedOps(tree.body, names, compile));
  const placeOf: Writing['placeOf'] = (offset) => originOf(marked, read.source, offset);
  const document = readDocument(marked, (what, offset) => {
    problems.push(
      warning(
        'html-syntax',
        placeOf(offset),
        `The HTML is not well formed: ${what}.`,
        'Browsers and clients mend it, each in its own way.',
      ),
    );
  });
  const report = (): void => {
    for (const fault of faults) problems.push(problem(fault.code, fault.place ?? placeOf(fault.offset), fault.message, fault.hint));
  };
  if (!isIntact(document, marked, faults)) {
    report();
    return { html: [], text: [] };
  }
  refuseForbidden(document, faults);
  const rootElement = elementsOf(document).find((one) => one.name === 'html');
  if (rootElement !== undefined) {
    rootElement.attribs['lang'] ??= locale;
    rootElement.attribs['dir'] ??= direction;
  }
  const named = [...project.settings.styles, ...stylesNamed(read.front)].map((path) => project.styles.get(path) ?? '');
  const sheets = [...named, ...takeSheets(document, project.styles, faults)];
  applySheets(document, sheets, 'author');
  classesOf(elementsOf(document), classes);
  const writing: Writing = { marked, context: compile, placeOf, faults, classes: sheets.some((sheet) => /[.#[]/.test(sheet)) };
  const html = writeDocument(document.children, writing);
  const body = elementsOf(document).find((one) => one.name === 'body');
  const text = textOfDocument(body?.children.filter((child) => !isTag(child) || child.name !== 'head') ?? [], writing);
  report();
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
function written(value: FrontValue | undefined): string | undefined {
  const texts = value?.parts.filter((part) => typeof part === 'string');
  return value === undefined || texts?.length !== value.parts.length ? undefined : texts.join('');
}

const RIGHT_TO_LEFT = new Set(['Arab', 'Hebr', 'Thaa', 'Syrc', 'Nkoo', 'Adlm', 'Rohg']);

/** The direction of a locale's script. */
function directionOf(locale: string): 'ltr' | 'rtl' {
  return RIGHT_TO_LEFT.has(new Intl.Locale(locale).maximize().script ?? '') ? 'rtl' : 'ltr';
}

/** The layout's tree with the template's body in the place of `::body`. */
function withBody(nodes: readonly Flow[], body: readonly Flow[]): Flow[] {
  return nodes.flatMap((node): readonly Flow[] => {
    if (node.kind === 'block' && node.name === 'body') return body;
    if (node.kind === 'block' && node.content.mode === 'flow')
      return [{ ...node, content: { mode: 'flow', children: withBody(node.content.children, body) } }];
    return [node];
  });
}

/** How often a layout has a place for the body where it always stands: not in a loop, a list or a condition. */
export function bodiesAt(nodes: readonly Flow[]): number {
  return nodes.reduce((sum, node) => {
    if (node.kind !== 'block') return sum;
    if (node.name === 'body') return sum + 1;
    return node.content.mode === 'flow' ? sum + bodiesAt(node.content.children) : sum;
  }, 0);
}

/** Every use of a block in a tree. */
export function uses(tree: unknown, name: string): BlockUse[] {
  return nodesOf(tree, 'block').filter((blockUse) => blockUse.name === name);
}
