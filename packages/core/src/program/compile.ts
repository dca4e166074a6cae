import { BLOCKS } from '../blocks/index.js';
import type { MailProject } from '../folder/index.js';
import { type BlockModes, type Expression } from '../notation/index.js';
import { inReadingOrder, problem, type Problem } from '../problems/index.js';
import { typeTrees, type BlockSignature, type SayTypes, type Type } from '../typing/index.js';
import { sheetFaults, strangeClasses } from './sheets.js';
import { modesOf, readOwnBlocks, type OwnBlock } from './own-blocks.js';
import type { FolderContext } from './context.js';
import { readLayouts } from './layouts.js';
import { compileTemplate, type CompiledTemplate } from './template.js';

const SLOT_NAME = { name: 'name', kind: 'text', summary: 'the name of a place for content' } as const;

const BUILT_IN: BlockModes = new Map([
  ...[...BLOCKS].map(([name, block]) => [name, block.signature.content] as const),
  ['body', 'none'],
  ['content', 'optional'],
  ['slot', 'flow'],
]);
const SIGNATURES = new Map<string, BlockSignature>([
  ...[...BLOCKS].map(([name, block]) => [name, block.signature] as const),
  ['body', { name: 'body', args: [], content: 'none' }],
  ['content', { name: 'content', first: SLOT_NAME, args: [], content: 'optional' }],
  ['slot', { name: 'slot', first: { ...SLOT_NAME, required: true }, args: [], content: 'flow' }],
]);

export interface CompiledFolder {
  readonly templates: ReadonlyMap<string, CompiledTemplate>;
  /** Of the folder and of all its templates, in reading order. */
  readonly problems: readonly Problem[];
}

/** Compiles the templates of a folder one by one, as they are asked for; what they share is read once. */
export interface FolderCompiler {
  /** Of the folder and of what its templates share. */
  readonly problems: readonly Problem[];
  /** Undefined for a template that is not there. The same one is compiled once. */
  readonly template: (name: string) => CompiledTemplate | undefined;
}

/** Reads what the templates of a folder share: its layouts and blocks. */
export function readShared(project: MailProject): { readonly context: FolderContext; readonly problems: readonly Problem[] } {
  const problems: Problem[] = [];
  const modes = modesOf(BUILT_IN, project);
  const own = readOwnBlocks(project, modes, new Set(BUILT_IN.keys()), problems);
  const signatures = new Map([...SIGNATURES, ...[...own].map(([name, block]) => [name, block.signature] as const)]);
  const say: SayTypes = {
    keys: project.strings.names.keys(),
    names: (key) => project.strings.names.get(key),
    isRich: (key) => project.strings.rich.has(key),
  };
  const ownTypes = typesOfOwn(own, { signatures, say, hasBaseUrl: project.settings.baseUrl !== undefined, problems });
  const layouts = readLayouts(project, modes, problems);
  problems.push(...sheetFaults(project));
  for (const path of project.settings.styles) {
    if (!project.styles.has(path))
      problems.push(
        problem(
          'unknown-style',
          { file: 'mail.yaml', line: 1, column: 1, offset: 0, length: 0 },
          `There is no style sheet "${path}" in the mail folder.`,
        ),
      );
  }
  return { context: { project, modes, signatures, layouts, own, ownTypes, say }, problems };
}

/** Makes the compiler of a mail folder: reads its layouts and blocks, and no template yet. */
export function folderCompiler(project: MailProject): FolderCompiler {
  return compilerWith(readShared(project));
}

/** The compiler of a folder whose shared parts have been read. */
export function compilerWith({ context, problems: shared }: ReturnType<typeof readShared>): FolderCompiler {
  const { project } = context;
  const problems = [...project.problems, ...shared];
  const kept = new Map<string, CompiledTemplate>();
  return {
    problems,
    template: (name) => {
      let compiled = kept.get(name);
      const files = project.templates.get(name);
      if (compiled === undefined && files !== undefined) kept.set(name, (compiled = compileTemplate(context, files)));
      return compiled;
    },
  };
}

/** Compiles every template of a mail folder, in each of its locales. */
export function compileFolder(project: MailProject): CompiledFolder {
  const compiler = folderCompiler(project);
  const templates = new Map<string, CompiledTemplate>();
  for (const name of project.templates.keys()) {
    const compiled = compiler.template(name);
    if (compiled !== undefined) templates.set(name, compiled);
  }
  const problems = [
    ...compiler.problems,
    ...[...templates.values()].flatMap((template) => template.problems),
    ...strangeClasses(project, [...templates.values()]),
  ];
  return { templates, problems: inReadingOrder(problems) };
}

/** Blocks of the folder's own are typed once, against their inputs, independently of their callers. */
function typesOfOwn(
  own: ReadonlyMap<string, OwnBlock>,
  {
    signatures,
    say,
    hasBaseUrl,
    problems,
  }: {
    readonly signatures: ReadonlyMap<string, BlockSignature>;
    readonly say: SayTypes;
    readonly hasBaseUrl: boolean;
    readonly problems: Problem[];
  },
): ReadonlyMap<Expression, Type> {
  const out = new Map<Expression, Type>();
  for (const block of own.values()) {
    const names = new Map(block.inputs.map((input) => [input.name, input.type]));
    const typing = typeTrees({ trees: [block.tree], schema: true, names, signatures, say, hasBaseUrl });
    problems.push(...typing.problems);
    for (const [expression, type] of typing.types) out.set(expression, type);
  }
  return out;
}
