import type { SourceFile, TemplateFiles, TemplateSource } from '../folder/index.js';
import { parseSource, parseVerbatim, type BlockUse, type FrontValue } from '../notation/index.js';
import { didYouMean, problem, SourceText, type Place, type Problem } from '../problems/index.js';
import { anythingHint, typeOfSchema, typeTrees, type Watch } from '../typing/index.js';
import type { FolderContext, ReadSource } from './context.js';
import { stylesNamed, written } from './front.js';
import { layoutsAround } from './layouts.js';
import { unknownKeys } from './own-blocks.js';
import { nodesOf } from './walk.js';

/** Reads a source with its front matter, layout and text part, and types them against the data schema. */
export function readSource(
  context: FolderContext,
  {
    template,
    tag,
    file,
    problems,
    watch,
  }: {
    readonly template: TemplateFiles;
    readonly tag: string;
    readonly file: TemplateSource;
    readonly problems: Problem[];
    readonly watch?: Watch | undefined;
  },
): ReadSource {
  const markdown = file.kind === 'md' ? parseSource(file.file, file.text, context.modes) : undefined;
  const html = file.kind === 'html' ? parseVerbatim(file.file, file.text, context.modes) : undefined;
  const handText: SourceFile | undefined = template.texts.get(tag);
  const text = handText === undefined ? undefined : parseVerbatim(handText.file, handText.text, context.modes);
  const parsed = (markdown ?? html) as { problems: Problem[]; source: SourceText; tree: { front: ReadonlyMap<string, FrontValue> } };
  problems.push(...parsed.problems, ...(text?.problems ?? []));
  const { front } = parsed.tree;
  if (markdown?.tree.inputs !== undefined)
    problems.push(
      problem('front-here', parsed.source.place(0, 0), '"inputs" belongs to a block of blocks/; a template has a data schema.'),
    );
  const gives = front.get('gives');
  if (gives !== undefined)
    problems.push(problem('front-here', gives.keyPlace, '"gives" belongs to a block of blocks/.', 'A template gives a whole email.'));
  problems.push(...rootFaults(template));
  const top = parsed.source.place(0, 0);
  // Front matter that cannot be read has said so already.
  if (!front.has('subject') && !problems.some(({ code, place }) => code === 'yaml' && place.file === parsed.source.file))
    problems.push(problem('no-subject', top, 'This source has no subject.', 'Put subject: "…" between two lines "---" at the top.'));
  problems.push(...topicFaults(context, front), ...styleFaults(context, front, top));
  const layouts = layoutsAround(context, { front, top, tree: markdown?.tree, problems });
  for (const verbatim of [html, text]) if (verbatim !== undefined) problems.push(...unknownKeys(verbatim.tree, []));
  for (const stray of uses(markdown?.tree.body, 'body'))
    problems.push(problem('body-here', stray.namePlace, '"::body" belongs in a layout.'));
  for (const stray of uses(markdown?.tree.body, 'content'))
    problems.push(problem('content-here', stray.namePlace, '"::content" belongs in a block of blocks/.'));
  const typing = typeTrees({
    trees: [...layouts.map(({ layout }) => layout.parsed.tree).reverse(), markdown?.tree].filter((value) => value !== undefined),
    inputs: new Map(layouts.map(({ layout }) => [layout.parsed.tree, new Map(layout.inputs.map(({ name, type }) => [name, type]))])),
    gifts: layouts.flatMap(({ gifts }) => gifts),
    verbatim: [html?.tree, text?.tree].filter((value) => value !== undefined),
    schema: template.schema,
    signatures: context.signatures,
    say: context.say,
    hasBaseUrl: context.project.settings.baseUrl !== undefined,
    watch,
  });
  problems.push(...typing.problems);
  return { file, front, tree: markdown?.tree, html: html?.tree, text: text?.tree, layouts, typing, source: parsed.source };
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

/** A topic that mail.yaml does not have. */
function topicFaults({ project }: FolderContext, front: ReadonlyMap<string, FrontValue>): Problem[] {
  const topic = front.get('topic');
  const topics = Object.keys(project.settings.topics);
  const name = written(topic) ?? '';
  if (topic === undefined || topics.length === 0 || topics.includes(name)) return [];
  return [problem('unknown-topic', topic.place, `mail.yaml has no topic "${name}".`, didYouMean(name, topics))];
}

/** Style sheets that the folder does not have. */
function styleFaults({ project }: FolderContext, front: ReadonlyMap<string, FrontValue>, top: Place): Problem[] {
  return stylesNamed(front)
    .filter((path) => !project.styles.has(path))
    .map((path) =>
      problem(
        'unknown-style',
        front.get('styles')?.place ?? top,
        `There is no style sheet "${path}" in the mail folder.`,
        didYouMean(path, project.styles.keys()),
      ),
    );
}

/** Every use of a block in a tree. */
function uses(tree: unknown, name: string): BlockUse[] {
  return nodesOf(tree, 'block').filter((blockUse) => blockUse.name === name);
}
