import { linkFolder, type MailFiles, type MailProject, type SourceFile, type TemplateFiles } from '../folder/index.js';
import { parseSource, type Expression, type SourceTree, type VerbatimTree } from '../notation/index.js';
import { SourceText, type Problem } from '../problems/index.js';
import { compilerWith, readShared, readSource, type CompiledTemplate, type FolderContext } from '../program/index.js';
import { typeTrees, type JsonSchema, type Scope, type Type, type Watch } from '../typing/index.js';

/** A mail folder as an editor has it open: linked, with what its templates share. */
export interface EditedFolder {
  readonly files: MailFiles;
  readonly project: MailProject;
  readonly context: FolderContext;
  /** Problems of the folder and of what its templates share. */
  readonly shared: readonly Problem[];
  /** One template, compiled; the same one is compiled once. Undefined for one that is not there. */
  readonly compiled: (template: string) => CompiledTemplate | undefined;
  /** What has been compiled, for the folder after the next change. */
  readonly kept: WeakMap<TemplateFiles, CompiledTemplate>;
}

/**
 * Opens a folder for editing.
 * @param before the same folder before a change, whose bytes are the same objects where they are the same: what has not changed is not read again
 */
export function openFolder(files: MailFiles, before?: EditedFolder): EditedFolder {
  const project = linkFolder(files, before?.project);
  const isAlike = before !== undefined && haveSameShared(before.files, files);
  const shared = readShared(project);
  const compiler = compilerWith(shared);
  // What a template is made from is the same object as long as none of its files has changed.
  const kept = isAlike ? before.kept : new WeakMap<TemplateFiles, CompiledTemplate>();
  const compiled = (name: string): CompiledTemplate | undefined => {
    const template = project.templates.get(name);
    if (template === undefined) return undefined;
    let found = kept.get(template);
    if (found === undefined) {
      found = compiler.template(name);
      if (found !== undefined) kept.set(template, found);
    }
    return found;
  };
  return { files, project, context: shared.context, shared: compiler.problems, compiled, kept };
}

/** Whether everything outside of templates/ is the same. */
function haveSameShared(before: MailFiles, now: MailFiles): boolean {
  const paths = [...before.keys(), ...now.keys()].filter((path) => !path.startsWith('templates/'));
  return paths.every((path) => before.get(path) === now.get(path));
}

/** An expression of a file, with the names in reach where it is. */
export interface Seen {
  readonly expression: Expression;
  readonly scope: Scope;
}

/** A file with expressions in it, read and typed. */
export interface ReadFile {
  readonly file: string;
  readonly source: SourceText;
  readonly tree: SourceTree | VerbatimTree | undefined;
  /** Undefined in a block of the folder's own. */
  readonly schema: JsonSchema | undefined;
  /** Whose data it is typed against; for a layout, one of the templates that it is for. */
  readonly template: TemplateFiles | undefined;
  readonly seen: readonly Seen[];
  readonly types: ReadonlyMap<Expression, Type>;
  readonly sourceOf: (file: string) => SourceText;
}

/** The template that a path belongs to. */
function templateOf({ project }: EditedFolder, path: string): TemplateFiles | undefined {
  return project.templates.get(/^templates\/([^/]+)\//.exec(path)?.[1] ?? '');
}

/** Templates whose email a layout is around. */
export function usersOfLayout({ project }: EditedFolder, layout: string): TemplateFiles[] {
  return [...project.templates.values()].filter((template) =>
    [...template.sources.values()].some(({ kind, text }) => {
      if (kind !== 'md') return false;
      const front = /^---[^]*?^---/m.exec(text)?.[0] ?? '';
      const written = /^layout:[ \t]*["']?([^\s"']+)/m.exec(front)?.[1];
      return (written ?? project.settings.layout) === layout;
    }),
  );
}

/** Reads one file of the folder, with a text that may differ from what the folder has. Undefined for a file that has no expressions. */
export function readFile(folder: EditedFolder, path: string, text = folder.project.texts.get(path) ?? ''): ReadFile | undefined {
  const layout = /^layouts\/([^/]+)\.md$/.exec(path)?.[1];
  if (layout !== undefined) {
    const [template] = usersOfLayout(folder, layout);
    const inputs = folder.context.layouts.get(layout)?.inputs ?? [];
    return readAlone(folder, { file: path, text }, { template, schema: template?.schema ?? { type: 'object' }, inputs });
  }
  const block = /^blocks\/([^/]+)\.md$/.exec(path)?.[1];
  if (block !== undefined) {
    const inputs = folder.context.own.get(block)?.inputs ?? [];
    return readAlone(folder, { file: path, text }, { inputs });
  }
  const template = templateOf(folder, path);
  return template === undefined ? undefined : readOfTemplate(folder, template, { file: path, text });
}

function readAlone(
  { context, project }: EditedFolder,
  { file, text }: SourceFile,
  against: {
    readonly template?: TemplateFiles | undefined;
    readonly schema?: JsonSchema;
    readonly inputs: readonly { readonly name: string; readonly type: Type }[];
  },
): ReadFile {
  const parsed = parseSource(file, text, new Map([...context.modes, ['content', 'optional']]));
  const { seen, watch } = watched(file);
  const inputs = new Map(against.inputs.map(({ name, type }) => [name, type]));
  const typing = typeTrees({
    trees: [parsed.tree],
    schema: against.schema ?? true,
    // A block sees its inputs alone, a layout the data too.
    ...(against.schema === undefined ? { names: inputs } : { inputs: new Map([[parsed.tree, inputs]]) }),
    signatures: context.signatures,
    say: context.say,
    hasBaseUrl: project.settings.baseUrl !== undefined,
    watch,
  });
  const { template, schema } = against;
  const { source, tree } = parsed;
  return { file, source, tree, schema, template, seen, types: typing.types, sourceOf: () => source };
}

function readOfTemplate(folder: EditedFolder, template: TemplateFiles, { file, text }: SourceFile): ReadFile | undefined {
  const { context } = folder;
  const problems: Problem[] = [];
  const { seen, watch } = watched(file);
  for (const [tag, source] of template.sources) {
    const hand = template.texts.get(tag);
    if (source.file !== file && hand?.file !== file) continue;
    const changed: TemplateFiles = hand?.file === file ? { ...template, texts: new Map([[tag, { file, text }]]) } : template;
    const read = readSource(context, {
      template: changed,
      tag,
      file: source.file === file ? { ...source, text } : source,
      problems,
      watch,
    });
    const tree = [read.tree, read.html, read.text].find((found) => found?.file === file);
    const whole = new SourceText(file, text);
    return { file, source: whole, tree, schema: template.schema, template, seen, types: read.typing.types, sourceOf: () => whole };
  }
  return undefined;
}

/** All sources of a template with their layouts and hand-written text parts, read and typed: one for each language that has a source. */
export function readWhole({ context, project }: EditedFolder, template: TemplateFiles): Pick<ReadFile, 'seen' | 'types' | 'sourceOf'>[] {
  const texts = new Map<string, SourceText>();
  const sourceOf = (file: string): SourceText => {
    let text = texts.get(file);
    if (text === undefined) texts.set(file, (text = new SourceText(file, project.texts.get(file) ?? '')));
    return text;
  };
  return [...template.sources].map(([tag, file]) => {
    const seen: Seen[] = [];
    const watch: Watch = (expression, scope) => {
      seen.push({ expression, scope });
    };
    return { seen, types: readSource(context, { template, tag, file, problems: [], watch }).typing.types, sourceOf };
  });
}

/** Gathers the expressions of one file; a template is typed together with its layout. */
function watched(file: string): { readonly seen: readonly Seen[]; readonly watch: Watch } {
  const seen: Seen[] = [];
  return {
    seen,
    watch: (expression, scope) => {
      if (expression.place.file === file) seen.push({ expression, scope });
    },
  };
}
