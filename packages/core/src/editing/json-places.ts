import { findNodeAtLocation, parseTree, type Node } from 'jsonc-parser';
import type { TemplateFiles } from '../folder/index.js';
import type { Place } from '../problems/index.js';
import { SourceText } from '../problems/index.js';
import type { EditedFolder } from './folder.js';

/** A schema within the files of a folder. */
export interface SchemaPlace {
  readonly file: string;
  /** A JSON Pointer in that file (RFC 6901). */
  readonly pointer: string;
}

/** The steps of a JSON Pointer. */
export function stepsOf(pointer: string): string[] {
  return pointer
    .split('/')
    .slice(1)
    .map((text) => text.replaceAll('~1', '/').replaceAll('~0', '~'));
}

/** The pointer of steps. */
export function pointerOf(steps: readonly (string | number)[]): string {
  return steps.map((text) => `/${String(text).replaceAll('~', '~0').replaceAll('/', '~1')}`).join('');
}

/** Where a pointer into a linked data schema is written: schemas of other files are put into its `$defs` by their paths. */
export function inFiles(pointer: string, { schemaFile }: TemplateFiles): SchemaPlace {
  const [defs, path, ...rest] = stepsOf(pointer);
  return defs === '$defs' && path?.startsWith('schemas/') === true
    ? { file: path, pointer: pointerOf(rest) }
    : { file: schemaFile, pointer };
}

/** A JSON text as a tree with offsets; `undefined` for one that cannot be read. */
export function jsonTree({ project }: EditedFolder, file: string): { readonly source: SourceText; readonly root: Node } | undefined {
  const text = project.texts.get(file);
  const root = text === undefined ? undefined : parseTree(text);
  return text === undefined || root === undefined ? undefined : { source: new SourceText(file, text), root };
}

/** A step of a pointer as the library wants it: numbers for entries of lists. */
export function nodeAt(root: Node, steps: readonly string[]): Node | undefined {
  let at: Node | undefined = root;
  for (const text of steps) {
    if (at === undefined) return undefined;
    at = findNodeAtLocation(at, [at.type === 'array' ? Number(text) : text]);
  }
  return at;
}

/** The place of a key, without its quotes: that of the property whose value stands at the pointer. */
export function placeOfKey(folder: EditedFolder, { file, pointer }: SchemaPlace): Place | undefined {
  const tree = jsonTree(folder, file);
  const value = tree === undefined ? undefined : nodeAt(tree.root, stepsOf(pointer));
  const key = value?.parent?.type === 'property' ? value.parent.children?.[0] : undefined;
  return key === undefined ? undefined : tree?.source.place(key.offset + 1, key.length - 2);
}
