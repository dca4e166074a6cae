import type { MailProject, TemplateSource } from '../folder/index.js';
import type { BlockModes, Expression, FrontValue, parseSource, SourceTree, VerbatimTree } from '../notation/index.js';
import { problem, type Place, type Problem, type SourceText } from '../problems/index.js';
import type { BlockSignature, Gift, SayTypes, Type, Typing } from '../typing/index.js';
import type { Input, OwnBlock } from './own-blocks.js';
import type { Names, TypeOf } from './values.js';
import type { Theme } from '../html/index.js';
import type { Op } from '../render/index.js';

export type Parsed = ReturnType<typeof parseSource>;

/** A frame around the bodies of templates. */
export interface Layout {
  readonly name: string;
  readonly parsed: Parsed;
  /** What it takes from the front matter of what it is around. */
  readonly inputs: readonly Input[];
  /** The layout around it, by its name. */
  readonly outer: string | undefined;
}

/** A layout around a source, with what the front matters within it give to it. */
export interface LayoutUse {
  readonly layout: Layout;
  readonly gifts: readonly Gift[];
}

/** What all templates of a folder share. */
export interface FolderContext {
  readonly project: MailProject;
  readonly modes: BlockModes;
  readonly signatures: ReadonlyMap<string, BlockSignature>;
  readonly layouts: ReadonlyMap<string, Layout>;
  readonly own: ReadonlyMap<string, OwnBlock>;
  readonly ownTypes: ReadonlyMap<Expression, Type>;
  readonly say: SayTypes;
}

/** One source, read and typed: the same for all locales that take it. */
export interface ReadSource {
  readonly file: TemplateSource;
  readonly front: ReadonlyMap<string, FrontValue>;
  readonly tree: SourceTree | undefined;
  readonly html: VerbatimTree | undefined;
  readonly text: VerbatimTree | undefined;
  /** The layouts around it, from the innermost on. */
  readonly layouts: readonly LayoutUse[];
  readonly typing: Typing;
  readonly source: SourceText;
}

/** What is the same for every mail that is being compiled. */
export interface CompileContext {
  readonly types: TypeOf;
  /** Blocks of the mail folder's own. */
  readonly own: ReadonlyMap<string, OwnBlock>;
  /** Texts of strings/ with emphasis or links, by key, with the names of the links. */
  readonly rich: ReadonlyMap<string, readonly string[]>;
  /** "" where the folder has none. */
  readonly baseUrl: string;
  /** Files of assets/, and whether pictures have an address of their own. */
  readonly assets: ReadonlySet<string> | ReadonlyMap<string, unknown>;
  readonly hasAssetUrl: boolean;
  readonly problems: Problem[];
  /** False where both parts are made to be compared: what is in one of them only is left out. */
  readonly single: boolean;
  /** The largest number of loop variables in scope so far. */
  deepest: number;
  /** Nodes that may still be compiled: blocks that use each other grow without end. */
  left: number;
}

/** What stands around the body of a mail. */
export interface Head {
  readonly theme: Theme;
  readonly locale: string;
  readonly direction: 'ltr' | 'rtl';
  readonly title: readonly Op[];
  readonly preview: readonly Op[];
}

/** What a language of a template is made from. */
export interface MakeInput {
  readonly read: ReadSource;
  readonly head: Head;
  readonly compile: CompileContext;
  readonly names: Names;
  /** The classes of all languages are gathered here. */
  readonly classes: Set<string>;
}

/** For HTML that an app has made itself: no data, no folder. */
export function bareContext(): CompileContext {
  return {
    types: new Map(),
    own: new Map(),
    rich: new Map(),
    baseUrl: '',
    assets: new Set(),
    hasAssetUrl: false,
    problems: [],
    single: true,
    deepest: 0,
    left: MAX_NODES,
  };
}

/** Nodes that one template may have when all its blocks are put in. */
export const MAX_NODES = 50_000;

/** Counts a node. False when there are too many, which is reported once. */
export function spend(context: CompileContext, place: Place): boolean {
  context.left -= 1;
  if (context.left === 0)
    context.problems.push(
      problem(
        'too-large',
        place,
        `With all its blocks put in, this template has more than ${MAX_NODES} parts.`,
        'Blocks that use each other several times double with each step.',
      ),
    );
  return context.left > 0;
}
