import { wordsOf } from '../blocks/index.js';
import { htmlDocument, INSIDE } from '../html/index.js';
import { memo } from '../formats/index.js';
import type { MailProject, TemplateFiles } from '../folder/index.js';
import type { Expression, FrontValue } from '../notation/index.js';
import { hasErrors, inReadingOrder, problem, SourceText, warning, type Problem } from '../problems/index.js';
import type { Op, Program, TextOp } from '../render/index.js';
import { textOf } from '../strings/index.js';
import type { Type } from '../typing/index.js';
import { elementsOf, isIntact, readDocument, type DomFault } from './dom.js';
import { writeHtml } from './write-html.js';
import { fromHtml } from './own-html.js';
import { placeOfStyle, styleDocument, withImports } from './own-styles.js';
import { HtmlCompiler } from './html-side.js';
import { localesOf } from './languages.js';
import { framed } from './layouts.js';
import { mark } from './marked.js';
import { MAX_NODES, type CompileContext, type FolderContext, type MakeInput, type ReadSource } from './context.js';
import { stylesNamed, written } from './front.js';
import { readSource } from './read-source.js';
import { tidy } from './sides.js';
import { TextCompiler } from './text-side.js';
import { hasVariants, placeAssets } from './assets.js';
import { Names, valueOf } from './values.js';
import { verbatimOps } from './verbatim.js';

export interface CompiledTemplate {
  readonly name: string;
  readonly topic: string | undefined;
  readonly sender: string | undefined;
  readonly replyTo: string | undefined;
  /** By locale; the folder's own locale is always there. Empty when the template has errors. */
  readonly programs: ReadonlyMap<string, Program>;
  /** The same without what is in one part only, so that its parts can be compared; left out where there is nothing of that kind. */
  readonly compared?: ReadonlyMap<string, Program>;
  /** Codes that `check` leaves out, with the reason of each. */
  readonly silence?: ReadonlyMap<string, string>;
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
    hasErrors(problems) || hasErrors(project.problems.filter(({ place }) => place.file.startsWith(`templates/${template.name}/`)));
  if (!broken) {
    // The block can only come from a source that names it.
    const hasSingle = [...template.sources.values(), ...project.layouts.values(), ...project.blocks.values()].some((file) =>
      file.text.includes(':::only'),
    );
    const made: Made[] = [];
    for (const [locale, source] of localesOf(context, read, main, problems)) {
      programs.set(locale, build(context, { template, locale, read: source, problems, single: true, classes, made }));
      if (hasSingle) compared.set(locale, build(context, { template, locale, read: source, problems, single: false, classes, made }));
    }
  }
  const failed = hasErrors(problems);
  const silence = (main.tree ?? main.html)?.silence;
  return {
    name: template.name,
    topic: written(main.front.get('topic')),
    sender: written(main.front.get('sender')),
    replyTo: written(main.front.get('replyTo')),
    programs: failed ? new Map() : programs,
    ...(compared.size === 0 || failed ? {} : { compared }),
    ...(classes.size === 0 ? {} : { classes }),
    ...(silence === undefined || silence.size === 0 ? {} : { silence }),
    problems: inReadingOrder(problems),
  };
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

interface BuildInput {
  readonly template: TemplateFiles;
  readonly locale: string;
  readonly read: ReadSource;
  readonly problems: Problem[];
  readonly single: boolean;
  readonly classes: Set<string>;
  /** What other languages of the template have made already. */
  readonly made: Made[];
}

/** What languages of one source and one direction have in common: all but their strings and the name of the language. */
interface Made {
  readonly read: ReadSource;
  readonly single: boolean;
  readonly direction: 'ltr' | 'rtl';
  readonly subject: readonly Op[];
  readonly preview: readonly Op[];
  /** With the addresses of pictures as they are written. */
  readonly html: readonly Op[];
  /** The same with their final addresses, where they are those of every language. */
  readonly placed?: ReturnType<typeof placeAssets>;
  readonly text: readonly TextOp[];
  readonly slots: number;
  /** Keys of the strings that it says. */
  readonly said: ReadonlySet<string>;
}

/** Stands for the name of the language; a noncharacter, which no source holds. */
const LANGUAGE = '\uFDD2';

function build(context: FolderContext, input: BuildInput): Program {
  const { project } = context;
  const { settings } = project;
  const { template, locale, made: others } = input;
  const direction = directionOf(locale);
  const { read, single } = input;
  let made = others.find((other) => other.read === read && other.single === single && other.direction === direction);
  if (made === undefined) others.push((made = makeParts(context, input, direction)));
  const { timeZone, linkHosts } = settings;
  const { ops: html, carried } = made.placed ?? placeAssets(made.html, project, locale);
  return {
    template: template.name,
    locale,
    direction,
    timeZone,
    baseUrl: settings.baseUrl ?? '',
    ...(linkHosts === undefined ? {} : { linkHosts }),
    strings: stringsIn(made.said, project, locale),
    words: { ...wordsOf(locale) },
    subject: made.subject,
    preview: made.preview,
    html: html.map((op) => (typeof op === 'string' ? op.replaceAll(LANGUAGE, locale) : op)),
    carried,
    text: made.text,
    slots: made.slots,
  };
}

/** Texts with emphasis or links, each with the names of its links. */
function richTexts({ rich, names }: MailProject['strings']): Map<string, readonly string[]> {
  return new Map([...rich].map((key) => [key, [...(names.get(key) ?? [])].filter(([, uses]) => uses.has('link')).map(([name]) => name)]));
}

function makeParts(context: FolderContext, { read, problems, single, classes }: BuildInput, direction: 'ltr' | 'rtl'): Made {
  const { project, own, ownTypes } = context;
  const { theme, settings } = project;
  const { front, typing } = read;
  const types = { get: (expression: Expression): Type | undefined => typing.types.get(expression) ?? ownTypes.get(expression) };
  const compile: CompileContext = {
    types,
    own,
    rich: richTexts(project.strings),
    baseUrl: settings.baseUrl ?? '',
    assets: project.assets,
    hasAssetUrl: settings.assetUrl !== undefined,
    problems,
    single,
    deepest: 0,
    left: MAX_NODES,
  };
  const names = new Names(types);
  const subject = lineOps(front.get('subject'), names, 'line');
  const preview = lineOps(front.get('preview'), names, 'line');
  const title = lineOps(front.get('title') ?? front.get('subject'), names, 'html');
  const head = { theme, locale: LANGUAGE, direction, title, preview: lineOps(front.get('preview'), names, 'html') };
  const input: MakeInput = { read, head, compile, names, classes };
  const parts = read.html === undefined ? fromMarkdown(context, input) : fromHtml(context, read.html, input);
  const { html } = parts;
  const text: readonly TextOp[] =
    read.text === undefined ? parts.text : [{ op: 'lines', body: verbatimOps(read.text.body, names, compile) }];
  return {
    read,
    single,
    direction,
    subject,
    preview,
    html,
    ...(hasVariants(project) ? {} : { placed: placeAssets(html, project, settings.locale) }),
    text,
    slots: compile.deepest,
    said: saidIn([subject, preview, html, text]),
  };
}

/** The strings that operations say, in a language. */
function stringsIn(said: ReadonlySet<string>, project: MailProject, locale: string): Program['strings'] {
  const strings: Record<string, { text: string; locale: string }> = {};
  for (const name of said) {
    const text = textOf(project.strings, name, locale, project.settings.locale);
    if (text !== undefined) strings[name] = text;
  }
  return strings;
}

/** Keys that operations say. */
function saidIn(node: unknown, out = new Set<string>()): Set<string> {
  if (Array.isArray(node)) for (const child of node) saidIn(child, out);
  else if (typeof node === 'object' && node !== null) {
    const { k, key } = node as { k?: unknown; key?: unknown };
    if (k === 'say' && typeof key === 'string') out.add(key);
    saidIn(Object.values(node), out);
  }
  return out;
}

function fromMarkdown(context: FolderContext, { read, head, compile, names, classes }: MakeInput): { html: Op[]; text: TextOp[] } {
  const { theme, direction } = head;
  const { project } = context;
  const faults: DomFault[] = [];
  const { body, names: outer, inner } = framed(read, names, compile);
  const side = new HtmlCompiler({ theme, direction, column: { isUnderStrip: false, starts: new Map() } }, compile, {
    names: outer,
    inner,
    background: { text: 'text', soft: 'soft', link: 'link', size: theme.size.text, width: INSIDE },
    isRoot: true,
  });
  const html = htmlDocument({ ...head, body: side.flow(body) });
  const text = new TextCompiler(compile, outer, inner).flow(body);
  const sheets = [...project.settings.styles, ...stylesNamed(read.front)]
    .map((path) => project.styles.get(path))
    .filter((sheet) => sheet !== undefined)
    .map((sheet) => withImports(sheet, { styles: project.styles, faults, at: undefined }));
  if (sheets.length === 0) return { html, text };
  const marked = mark(html);
  const top = read.source.place(0, 0);
  const document = readDocument(marked);
  // Nothing of what blocks make may get lost on the way through a parser.
  const intact = isIntact(document, marked, faults);
  let styled: Op[] = [];
  if (intact) {
    const { attributes, sheets: changed, rest } = styleDocument(document, sheets, [], 'default');
    const inserts =
      rest === ''
        ? []
        : [{ at: placeOfStyle(document, [], 'default'), ops: [`<style>\n${rest.replace(/<(?=\/|!--)/g, '\\3C ')}\n</style>\n`] }];
    classesOf(elementsOf(document), classes);
    styled = writeHtml({ marked, context: compile, placeOf: () => top, faults, classes: false }, { attributes, sheets: changed, inserts });
  }
  for (const fault of faults) compile.problems.push(problem(fault.code, fault.place ?? top, fault.message, fault.hint));
  return { html: styled, text };
}

function classesOf(elements: ReturnType<typeof elementsOf>, into: Set<string>): void {
  for (const element of elements) for (const name of (element.attribs['class'] ?? '').split(/\s+/)) if (name !== '') into.add(name);
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

const RIGHT_TO_LEFT = new Set(['Arab', 'Hebr', 'Thaa', 'Syrc', 'Nkoo', 'Adlm', 'Rohg']);

/** The direction of a locale's script. */
const directionOf = memo((locale: string): 'ltr' | 'rtl' =>
  RIGHT_TO_LEFT.has(new Intl.Locale(locale).maximize().script ?? '') ? 'rtl' : 'ltr',
);
