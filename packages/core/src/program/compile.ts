import { BLOCKS } from '../blocks/index.js';
import type { MailProject, SourceFile, TemplateFiles } from '../folder/index.js';
import { htmlDocument } from '../html/index.js';
import { parseSource, type BlockModes, type BlockUse, type Flow, type FrontValue, type SourceTree } from '../notation/index.js';
import { didYouMean, hasErrors, inReadingOrder, problem, SourceText, warning, type Problem } from '../problems/index.js';
import type { Op, Program } from '../render/index.js';
import { typeTrees } from '../typing/index.js';
import { HtmlCompiler } from './html-side.js';
import { tidy, type CompileContext } from './sides.js';
import { TextCompiler } from './text-side.js';
import { Names, valueOf } from './values.js';

const MODES: BlockModes = new Map([...[...BLOCKS].map(([name, block]) => [name, block.signature.content] as const), ['body', 'none']]);
const SIGNATURES = new Map([
  ...[...BLOCKS].map(([name, block]) => [name, block.signature] as const),
  ['body', { name: 'body', args: [], content: 'none' as const }],
]);

export interface CompiledTemplate {
  readonly name: string;
  readonly topic: string | undefined;
  readonly sender: string | undefined;
  readonly replyTo: string | undefined;
  /** By locale; the folder's own locale is always there. Empty when the template has errors. */
  readonly programs: ReadonlyMap<string, Program>;
  readonly problems: readonly Problem[];
}

export interface CompiledFolder {
  readonly templates: ReadonlyMap<string, CompiledTemplate>;
  /** Of the folder and of all its templates, in reading order. */
  readonly problems: readonly Problem[];
}

/** Compiles every template of a mail folder, in each of its locales. */
export function compileFolder(project: MailProject): CompiledFolder {
  const layouts = new Map<string, ReturnType<typeof parseSource>>();
  const problems: Problem[] = [...project.problems];
  for (const [name, layout] of project.layouts) {
    const parsed = parseSource(layout.file, layout.text, MODES);
    layouts.set(name, parsed);
    const bodies = count(parsed.tree.body);
    if (bodies !== 1) {
      parsed.problems.push(
        problem(
          'layout-body',
          parsed.source.place(0),
          bodies === 0 ? 'This layout has no "::body".' : `This layout has "::body" ${bodies} times.`,
          'A line "::body", once, is where the template’s body goes.',
        ),
      );
    }
  }
  for (const layout of layouts.values()) problems.push(...layout.problems);
  const templates = new Map<string, CompiledTemplate>();
  for (const [name, template] of project.templates) {
    const compiled = compileTemplate(project, template, layouts);
    templates.set(name, compiled);
    problems.push(...compiled.problems);
  }
  return { templates, problems: inReadingOrder(problems) };
}

type Parsed = ReturnType<typeof parseSource>;

function compileTemplate(project: MailProject, template: TemplateFiles, layouts: ReadonlyMap<string, Parsed>): CompiledTemplate {
  const problems: Problem[] = [];
  const programs = new Map<string, Program>();
  let front: ReadonlyMap<string, FrontValue> = new Map();
  for (const [tag, source] of template.sources) {
    const locale = tag === '' ? project.settings.locale : tag;
    const parsed = parseSource(source.file, source.text, MODES);
    problems.push(...parsed.problems);
    if (tag === '') front = parsed.tree.front;
    const program = compileSource(project, template, source, parsed, locale, layouts, problems);
    if (program !== undefined) programs.set(locale, program);
  }
  const broken =
    hasErrors(problems) || hasErrors(project.problems.filter((one) => one.place.file.startsWith(`templates/${template.name}/`)));
  return {
    name: template.name,
    topic: written(front.get('topic')),
    sender: written(front.get('sender')),
    replyTo: written(front.get('replyTo')),
    programs: broken ? new Map() : programs,
    problems: inReadingOrder(problems),
  };
}

function compileSource(
  project: MailProject,
  template: TemplateFiles,
  source: SourceFile,
  parsed: Parsed,
  locale: string,
  layouts: ReadonlyMap<string, Parsed>,
  problems: Problem[],
): Program | undefined {
  const { front } = parsed.tree;
  const top = parsed.source.place(0, 0);
  const subject = front.get('subject');
  if (subject === undefined)
    problems.push(problem('no-subject', top, 'This source has no subject.', 'Put subject: "…" between two lines "---" at the top.'));
  const wanted = written(front.get('layout')) ?? project.settings.layout;
  const layout = wanted === undefined ? undefined : layouts.get(wanted);
  if (wanted !== undefined && layout === undefined) {
    problems.push(
      problem(
        'unknown-layout',
        front.get('layout')?.place ?? top,
        `There is no layout "${wanted}" in layouts/.`,
        didYouMean(wanted, layouts.keys()),
      ),
    );
  }
  const topic = front.get('topic');
  const topics = Object.keys(project.settings.topics);
  if (topic !== undefined && topics.length > 0 && !topics.includes(written(topic) ?? '')) {
    problems.push(
      problem('unknown-topic', topic.place, `mail.yaml has no topic "${written(topic) ?? ''}".`, didYouMean(written(topic) ?? '', topics)),
    );
  }
  for (const stray of uses(parsed.tree.body, 'body')) problems.push(problem('body-here', stray.namePlace, '"::body" belongs in a layout.'));
  const trees: SourceTree[] = layout === undefined ? [parsed.tree] : [layout.tree, parsed.tree];
  if (layout !== undefined) problems.push(...layout.problems);
  const typing = typeTrees({ trees, schema: template.schema, signatures: SIGNATURES });
  problems.push(...typing.problems);
  if (!hasErrors(problems)) {
    const schemaSource = new SourceText(template.schemaFile, project.texts.get(template.schemaFile) ?? '');
    for (const path of typing.unusedFields) {
      const key = `"${path.split('.').pop() ?? ''}"`;
      problems.push(
        warning(
          'unused-field',
          schemaSource.place(Math.max(0, schemaSource.text.indexOf(key)), key.length),
          `Nothing in ${source.file} uses "${path}".`,
        ),
      );
    }
  }
  if (hasErrors(problems) || subject === undefined) return undefined;
  const body = layout === undefined ? parsed.tree.body : withBody(layout.tree.body, parsed.tree.body);
  return build(project, template.name, locale, body, front, { types: typing.types, deepest: 0 });
}

function build(
  project: MailProject,
  name: string,
  locale: string,
  body: readonly Flow[],
  front: ReadonlyMap<string, FrontValue>,
  context: CompileContext,
): Program {
  const names = new Names();
  const { theme, settings } = project;
  const direction = directionOf(locale);
  const line = (value: FrontValue | undefined, as: 'line' | 'html'): Op[] =>
    tidy(
      (value?.parts ?? []).map((part): Op =>
        typeof part === 'string' ? (as === 'line' ? part : escaped(part)) : { op: 'put', value: valueOf(part, names), as },
      ),
    );
  const html = new HtmlCompiler({ theme, direction }, context, names, { ink: 'ink', soft: 'soft', link: 'link', size: theme.size.text });
  const text = new TextCompiler(context, names);
  const bodyHtml = html.flow(body);
  return {
    template: name,
    locale,
    direction,
    timeZone: settings.timeZone,
    baseUrl: settings.baseUrl ?? '',
    subject: line(front.get('subject'), 'line'),
    preview: line(front.get('preview'), 'line'),
    html: htmlDocument({
      theme,
      locale,
      direction,
      title: line(front.get('title') ?? front.get('subject'), 'html'),
      preview: line(front.get('preview'), 'html'),
      body: bodyHtml,
    }),
    text: text.flow(body),
    slots: context.deepest,
  };
}

function escaped(text: string): string {
  return text.replace(/[&<>"]/g, (char) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[char] ?? '');
}

function written(value: FrontValue | undefined): string | undefined {
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

function uses(nodes: readonly Flow[], name: string): BlockUse[] {
  return nodes.flatMap((node): BlockUse[] => {
    if (node.kind === 'block')
      return [...(node.name === name ? [node] : []), ...(node.content.mode === 'flow' ? uses(node.content.children, name) : [])];
    if (node.kind === 'if') return node.branches.flatMap((one) => uses(one.body, name));
    return node.kind === 'each' ? uses([...node.body, ...node.otherwise], name) : [];
  });
}

function count(nodes: readonly Flow[]): number {
  return uses(nodes, 'body').length;
}
