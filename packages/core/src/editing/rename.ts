import type { TemplateFiles } from '../folder/index.js';
import type { Place } from '../problems/index.js';
import { thingAt, keyPlace } from './at.js';
import { placesOfString } from './definition.js';
import { applied, newProblem, type Edit, type Refused } from './edits.js';
import { fieldIdentities, fieldPlaces, usesOfFields } from './field-places.js';
import { openFolder, readFile, readWhole, type EditedFolder } from './folder.js';
import { jsonTree, pointerOf, type SchemaPlace } from './json-places.js';
import { schemaFiles } from './schema-keys.js';
import { binderPlace, usesIn } from './uses.js';

/** What can be renamed: a field of data, a name of a loop or `let`, a text of strings/. */
export type Renameable =
  | { readonly kind: 'field'; readonly name: string; readonly place: Place; readonly declared: readonly SchemaPlace[] }
  | { readonly kind: 'local'; readonly name: string; readonly place: Place; readonly binder: Place }
  | { readonly kind: 'string'; readonly name: string; readonly place: Place; readonly key: string };

const NAME = /^[\p{L}_][\p{L}\p{N}_]*$/u;
/** Words that mean something else in expressions. */
const RESERVED = new Set(['mail', 'and', 'or', 'not', 'true', 'false', 'null', 'say', 'in']);

/** What stands at an offset of a file and can be renamed. */
export function renameableAt(folder: EditedFolder, path: string, offset: number): Renameable | Refused {
  const nothing: Refused = {
    refused: 'Fields of the data, names of loops and "let", and keys of strings/ can be renamed. This is something else.',
  };
  if (path.endsWith('.json')) return inJson(folder, path, offset) ?? nothing;
  const read = readFile(folder, path);
  const thing = read === undefined ? undefined : thingAt(read, offset);
  if (read === undefined || thing?.place === undefined) return nothing;
  if (thing.kind === 'string')
    return { kind: 'string', name: thing.key.split('.').at(-1) ?? '', key: thing.key, place: keyPlace(read, thing) ?? thing.place };
  if (thing.kind === 'name') {
    const binder = thing.binder === undefined ? undefined : binderPlace(read.source, thing.binder.place, thing.name);
    if (binder === undefined)
      return { refused: `"${thing.name}" is given by the service, or is an input of a block: it cannot be renamed here.` };
    return { kind: 'local', name: thing.name, place: thing.place, binder };
  }
  if (thing.kind !== 'field' || read.template === undefined) return nothing;
  const declared = fieldIdentities(read.template, thing.pointers);
  return declared.length === 0 ? nothing : { kind: 'field', name: thing.name, place: thing.place, declared };
}

/** A name in a data schema, or in a file of strings/. */
function inJson(folder: EditedFolder, path: string, offset: number): Renameable | undefined {
  const isStrings = /^strings\/[^/]+\.json$/.test(path);
  if (!isStrings && !schemaFiles(folder).includes(path)) return undefined;
  const tree = jsonTree(folder, path);
  let found: Renameable | undefined;
  const walk = (node: NonNullable<typeof tree>['root'], steps: readonly (string | number)[]): void => {
    if (node.type === 'array') node.children?.forEach((child, i) => walk(child, [...steps, i]));
    for (const { children } of node.type === 'object' ? (node.children ?? []) : []) {
      const [key, value] = children ?? [];
      if (key === undefined || value === undefined || tree === undefined) continue;
      const name = String(key.value);
      const inner = [...steps, name];
      if (key.offset <= offset && offset <= key.offset + key.length) {
        const place = tree.source.place(key.offset + 1, key.length - 2);
        if (isStrings && value.type === 'string') found = { kind: 'string', name, key: inner.join('.'), place };
        if (!isStrings && steps.at(-1) === 'properties')
          found = { kind: 'field', name, place, declared: [{ file: path, pointer: pointerOf(inner) }] };
      } else walk(value, inner);
    }
  };
  if (tree !== undefined) walk(tree.root, []);
  return found;
}

/**
 * Renames what stands at an offset everywhere it is named: in schemas, samples, sources of every language, layouts, rules and texts.
 * @returns the edits, after which every template means the same; or why the rename is refused
 */
export function rename(
  folder: EditedFolder,
  at: { readonly path: string; readonly offset: number },
  to: string,
): readonly Edit[] | Refused {
  const thing = renameableAt(folder, at.path, at.offset);
  if ('refused' in thing) return thing;
  if (to === thing.name) return [];
  if (thing.kind === 'string') return renameString(folder, thing, to);
  if (!NAME.test(to) || RESERVED.has(to))
    return { refused: `"${to}" is not a name that expressions can use: letters, digits and "_", not beginning with a digit.` };
  return thing.kind === 'local' ? renameLocal(folder, at.path, thing, to) : renameField(folder, thing, to);
}

function renameLocal(
  folder: EditedFolder,
  path: string,
  { name, binder }: Extract<Renameable, { kind: 'local' }>,
  to: string,
): readonly Edit[] | Refused {
  const places = placesOfLocal(folder, path, binder, name);
  if (places === undefined) return { refused: `"${name}" is written with escapes at one place, which is not changed here.` };
  const edits = [binder, ...places].map((place): Edit => ({ place, text: to }));
  const after = openFolder(applied(folder.files, edits), folder);
  const fault = newProblem(folder, after, templatesAt(folder, path));
  if (fault !== undefined) return { refused: wouldBreak(to, fault) };
  const moved = placesOfLocal(after, path, shifted(binder, edits), to);
  return moved?.length === places.length ? edits : { refused: `"${to}" is the name of something else in reach of "${name}".` };
}

/** A place after edits before it. */
function shifted(place: Place, edits: readonly Edit[]): Place {
  const by = edits
    .filter((edit) => edit.place.file === place.file && edit.place.offset < place.offset)
    .reduce((sum, edit) => sum + edit.text.length - edit.place.length, 0);
  return { ...place, offset: place.offset + by };
}

/** Where a file uses the name that stands at `binder`; undefined where one of these places cannot be changed. */
function placesOfLocal(folder: EditedFolder, path: string, binder: Place, name: string): Place[] | undefined {
  const read = readFile(folder, path);
  const uses = read === undefined ? [] : usesIn(read).filter((use) => use.kind === 'name' && use.name === name);
  const own = uses.filter(
    (use) =>
      use.kind === 'name' &&
      use.binder !== undefined &&
      read !== undefined &&
      binderPlace(read.source, use.binder.place, name)?.offset === binder.offset,
  );
  const places = distinct(own.map(({ place }) => place).filter((place) => place !== undefined));
  return own.every(({ place }) => place !== undefined) ? places : undefined;
}

/** The same place is typed more than once: for each template that a layout is for. */
function distinct(places: readonly Place[]): Place[] {
  return [...new Map(places.map((place) => [`${place.file}#${place.offset}`, place])).values()];
}

function templatesAt(folder: EditedFolder, path: string): TemplateFiles[] {
  const name = /^templates\/([^/]+)\//.exec(path)?.[1];
  const all = [...folder.project.templates.values()];
  return name === undefined ? all : all.filter((template) => template.name === name);
}

function wouldBreak(to: string, { place, message }: { readonly place: Place; readonly message: string }): string {
  return `With "${to}", ${place.file}:${place.line} would have a new problem: ${message}`;
}

function renameField(
  folder: EditedFolder,
  { name, declared }: Extract<Renameable, { kind: 'field' }>,
  to: string,
): readonly Edit[] | Refused {
  const found = fieldPlaces(folder, declared, name);
  if ('refused' in found) return found;
  const edits = distinct(found.places).map((place): Edit => ({ place, text: to }));
  const after = openFolder(applied(folder.files, edits), folder);
  const fault = newProblem(folder, after, [...after.project.templates.values()]);
  if (fault !== undefined) return { refused: wouldBreak(to, fault) };
  const renamed = found.declared.map(({ file, pointer }) => ({
    file,
    pointer: pointer.slice(0, pointer.length - pointerOf([name]).length + 1) + to,
  }));
  const [before, now] = [usesOfFields(folder, found.declared), usesOfFields(after, renamed)];
  return before.length === now.length ? edits : { refused: `"${to}" is the name of something else where "${name}" is used.` };
}

function renameString(folder: EditedFolder, { key, name }: Extract<Renameable, { kind: 'string' }>, to: string): readonly Edit[] | Refused {
  const parent = key.slice(0, key.length - name.length);
  const last = to.startsWith(parent) ? to.slice(parent.length) : to;
  if (last === '' || /["\\{}\n.]/.test(last))
    return { refused: `"${to}" cannot be a key: it would hold quotes, braces, a dot or a line break.` };
  const inTexts = placesOfString(folder, key);
  const uses = [...folder.project.templates.values()]
    .flatMap((template) => readWhole(folder, template))
    .concat([...folder.project.blocks.values()].flatMap(({ file }) => readFile(folder, file) ?? []));
  const said = uses.flatMap(({ seen, sourceOf }) =>
    seen.flatMap(({ expression }) => {
      if (expression.kind !== 'say' || expression.key !== key) return [];
      const place = keyPlace({ source: sourceOf(expression.place.file) }, expression);
      return place === undefined ? [{ ...expression.place, length: -1 }] : [place];
    }),
  );
  const hidden = said.find(({ length }) => length === -1);
  if (hidden !== undefined) return { refused: `${hidden.file}:${hidden.line} says this text with escapes, which is not changed here.` };
  const edits = [
    ...inTexts.map((place): Edit => ({ place: { ...place, offset: place.offset, length: name.length }, text: last })),
    ...distinct(said).map((place): Edit => ({ place, text: `${parent}${last}` })),
  ];
  const after = openFolder(applied(folder.files, edits), folder);
  const fault = newProblem(folder, after, [...after.project.templates.values()]);
  return fault === undefined ? edits : { refused: wouldBreak(last, fault) };
}
