import type { Node } from 'jsonc-parser';
import { pathFrom } from '../folder/index.js';
import type { Place } from '../problems/index.js';
import type { EditedFolder } from './folder.js';
import { jsonTree, nodeAt, placeOfKey, pointerOf, stepsOf, type SchemaPlace } from './json-places.js';

/** Keywords whose schemas say something about the same value (JSON Schema 2020-12, 10.2). */
const LISTS = ['allOf', 'anyOf', 'oneOf'];
const SINGLE = ['if', 'then', 'else', 'not'];

/** A name in a schema file: where it is written. */
export type NamePlace = Place;

/** Files of a folder that hold data schemas. */
export function schemaFiles({ files }: EditedFolder): string[] {
  return [...files.keys()].filter((path) => /^templates\/[^/]+\/data\.schema\.json$/.test(path) || /^schemas\/.+\.json$/.test(path));
}

/** A reference in a schema file, with what it refers to. */
interface Reference {
  readonly file: string;
  readonly owner: string;
  readonly node: Node;
  readonly target: SchemaPlace;
}

/** Where the name of a field is written in the schemas: its declarations, what requires it, and references that lead through it. */
export function placesInSchemas(folder: EditedFolder, declared: readonly SchemaPlace[], name: string): Place[] {
  const references = schemaFiles(folder).flatMap((file) => referencesIn(folder, file));
  const out: (Place | undefined)[] = declared.map((place) => placeOfKey(folder, place));
  for (const { file, pointer } of declared) {
    const owners = ownersOf({ file, pointer: pointerOf(stepsOf(pointer).slice(0, -2)) }, references);
    for (const owner of owners) out.push(...requirements(folder, owner, name));
  }
  for (const { node, target, file } of references) {
    const through = declared.find((place) => place.file === target.file && `${target.pointer}/`.startsWith(`${place.pointer}/`));
    if (through !== undefined) out.push(placeInReference(folder, { file, node, pointer: through.pointer, name }));
  }
  return out.filter((place) => place !== undefined);
}

/** Every schema that says something about the same record. */
function ownersOf(owner: SchemaPlace, references: readonly Reference[]): SchemaPlace[] {
  const out = new Map<string, SchemaPlace>();
  const left = [rootOf(owner)];
  for (let next = left.pop(); next !== undefined; next = left.pop()) {
    const here = next;
    const key = `${here.file}#${here.pointer}`;
    if (out.has(key)) continue;
    out.set(key, here);
    for (const { file, owner: by, target } of references)
      if (target.file === here.file && rootOf(target).pointer === here.pointer) left.push(rootOf({ file, pointer: by }));
  }
  return [...out.values()];
}

/** The outermost schema that is about the same value. */
function rootOf({ file, pointer }: SchemaPlace): SchemaPlace {
  const steps = stepsOf(pointer);
  for (;;) {
    const [list, last] = [steps.at(-2) ?? '', steps.at(-1) ?? ''];
    if (LISTS.includes(list) || list === 'dependentSchemas') steps.splice(-2);
    else if (SINGLE.includes(last)) steps.pop();
    else return { file, pointer: pointerOf(steps) };
  }
}

/** Where a schema and those within it that are about the same value require a field. */
function requirements(folder: EditedFolder, { file, pointer }: SchemaPlace, name: string): Place[] {
  const tree = jsonTree(folder, file);
  const root = tree === undefined ? undefined : nodeAt(tree.root, stepsOf(pointer));
  const out: Place[] = [];
  const add = (node: Node | undefined): void => {
    if (node?.type === 'string' && node.value === name && tree !== undefined) out.push(tree.source.place(node.offset + 1, node.length - 2));
  };
  const walk = (schema: Node | undefined): void => {
    for (const property of schema?.type === 'object' ? (schema.children ?? []) : []) {
      const [key, value] = property.children ?? [];
      const word = String(key?.value);
      if (word === 'required') value?.children?.forEach(add);
      else if (word === 'dependentRequired' || word === 'dependentSchemas')
        for (const { children } of value?.children ?? []) {
          add(children?.[0]);
          if (word === 'dependentRequired') children?.[1]?.children?.forEach(add);
          else walk(children?.[1]);
        }
      else if (LISTS.includes(word)) value?.children?.forEach(walk);
      else if (SINGLE.includes(word)) walk(value);
    }
  };
  walk(root);
  return out;
}

function referencesIn(folder: EditedFolder, file: string): Reference[] {
  const tree = jsonTree(folder, file);
  const out: Reference[] = [];
  const walk = (node: Node, pointer: readonly (string | number)[]): void => {
    if (node.type === 'array') node.children?.forEach((child, i) => walk(child, [...pointer, i]));
    if (node.type !== 'object') return;
    for (const { children } of node.children ?? []) {
      const [key, value] = children ?? [];
      if (value === undefined) continue;
      if (key?.value === '$ref' && typeof value.value === 'string') {
        const target = targetOf(file, value.value);
        if (target !== undefined) out.push({ file, owner: pointerOf(pointer), node: value, target });
      } else walk(value, [...pointer, String(key?.value)]);
    }
  };
  if (tree !== undefined) walk(tree.root, []);
  return out;
}

function targetOf(file: string, written: string): SchemaPlace | undefined {
  const [path = '', fragment = ''] = written.split('#', 2);
  if (fragment !== '' && !fragment.startsWith('/')) return undefined;
  const folder = file.split('/').slice(0, -1).join('/');
  return { file: path === '' ? file : path.startsWith('/') ? path.slice(1) : pathFrom(folder, path), pointer: fragment };
}

/** The step of a reference that names the field. */
function placeInReference(
  folder: EditedFolder,
  { file, node, pointer, name }: { readonly file: string; readonly node: Node; readonly pointer: string; readonly name: string },
): Place | undefined {
  const tree = jsonTree(folder, file);
  const text = tree?.source.text.slice(node.offset, node.offset + node.length) ?? '';
  const at = text.indexOf(`#${pointer}`);
  return at === -1 ? undefined : tree?.source.place(node.offset + at + 1 + pointer.length - name.length, name.length);
}
