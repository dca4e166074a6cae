import type { Node } from 'jsonc-parser';
import { isMap, isScalar, isSeq } from 'yaml';
import type { TemplateFiles } from '../folder/index.js';
import { readYaml, SourceText, type Place } from '../problems/index.js';
import { either, NEVER, typeOfSchema, type ListMember, type RecordMember, type Type } from '../typing/index.js';
import { readWhole, type EditedFolder } from './folder.js';
import { inFiles, jsonTree, type SchemaPlace } from './json-places.js';
import type { Refused } from './edits.js';
import { placesInSchemas, schemaFiles } from './schema-keys.js';
import { fieldIn, usesIn } from './uses.js';

const keyOf = ({ file, pointer }: SchemaPlace): string => `${file}#${pointer}`;

/** Where the schemas of a template declare a field, by the files that they are written in. */
export function fieldIdentities(template: TemplateFiles, pointers: readonly string[]): SchemaPlace[] {
  // A condition's other case has a pointer that is in no file.
  return pointers.filter((pointer) => !pointer.includes('#')).map((pointer) => inFiles(pointer, template));
}

/** A place where data or a source names a field. */
interface Named {
  readonly name: string;
  readonly place: Place | undefined;
  readonly declared: readonly SchemaPlace[];
}

/** Every place of a folder that names a field, in sources, samples and what sends them. */
function namesOfFields(folder: EditedFolder, templates: readonly TemplateFiles[]): Named[] {
  return templates.flatMap((template) => {
    const inSources = readWhole(folder, template).flatMap((read) =>
      usesIn(read).flatMap((use) =>
        use.kind === 'field' ? [{ name: use.name, place: use.place, declared: fieldIdentities(template, use.pointers) }] : [],
      ),
    );
    return [...inSources, ...inSamples(folder, template), ...inSending(folder, template)];
  });
}

function fieldType(type: Type, name: string): Type {
  const records = type.members.filter((member): member is RecordMember => member.kind === 'record');
  return records.flatMap((record) => record.field(name)?.type ?? record.others() ?? []).reduce(either, NEVER);
}

function entryType(type: Type, index: number): Type {
  return type.members
    .filter((member): member is ListMember => member.kind === 'list')
    .map((list) => list.at(index))
    .reduce(either, NEVER);
}

function inSamples(folder: EditedFolder, template: TemplateFiles): Named[] {
  const out: Named[] = [];
  for (const { file } of template.samples) {
    const tree = jsonTree(folder, file);
    const walk = (node: Node, type: Type): void => {
      if (node.type === 'array') node.children?.forEach((child, i) => walk(child, entryType(type, i)));
      for (const { children } of node.type === 'object' ? (node.children ?? []) : []) {
        const [key, value] = children ?? [];
        if (key === undefined || value === undefined || tree === undefined) continue;
        const name = String(key.value);
        out.push({
          name,
          place: tree.source.place(key.offset + 1, key.length - 2),
          declared: fieldIdentities(template, fieldIn(type, name).pointers),
        });
        walk(value, fieldType(type, name));
      }
    };
    if (tree !== undefined) walk(tree.root, typeOfSchema(template.schema));
  }
  return out;
}

/** The data that signal rules and schedules give to a template. */
function inSending({ project }: EditedFolder, template: TemplateFiles): Named[] {
  const out: Named[] = [];
  for (const [kind, files] of [
    ['rule', project.rules],
    ['schedule', project.schedules],
  ] as const)
    for (const { file, text } of files.values()) {
      const source = new SourceText(file, text);
      const { document, faults } = readYaml(text);
      const sends = kind === 'rule' ? ['send'] : [];
      if (faults.length > 0 || document.getIn([...sends, 'template']) !== template.name) continue;
      const walk = (node: unknown, type: Type): void => {
        if (isSeq(node)) node.items.forEach((child, i) => walk(child, entryType(type, i)));
        for (const { key, value } of isMap(node) ? node.items : []) {
          if (!isScalar(key)) continue;
          const name = String(key.value);
          const [from = 0, to = from] = key.range ?? [];
          const inset = to - from === name.length ? 0 : 1;
          out.push({
            name,
            place: source.place(from + inset, to - from - 2 * inset),
            declared: fieldIdentities(template, fieldIn(type, name).pointers),
          });
          walk(value, fieldType(type, name));
        }
      };
      const root = typeOfSchema(template.schema);
      walk(document.getIn([...sends, 'data'], true), root);
      const list: unknown = document.getIn(['recipientSource', 'list'], true);
      for (const entry of isSeq(list) ? list.items : []) if (isMap(entry)) walk(entry.get('data', true), root);
    }
  return out;
}

/** Templates whose data schemas hold a declaration, in their own file or in one that they refer to. */
function templatesOf(folder: EditedFolder, declared: readonly SchemaPlace[]): TemplateFiles[] {
  return [...folder.project.templates.values()].filter((template) =>
    declared.some(({ file }) => file === template.schemaFile || file.startsWith('schemas/')),
  );
}

/** Uses of fields in sources, by where they are declared. */
export function usesOfFields(folder: EditedFolder, declared: readonly SchemaPlace[]): Named[] {
  const wanted = new Set(declared.map(keyOf));
  return namesOfFields(folder, templatesOf(folder, declared)).filter((named) => named.declared.some((place) => wanted.has(keyOf(place))));
}

/**
 * Every place that names a field. Where one expression can mean fields of several schemas (the variants of `oneOf`), all of them are the same field.
 */
export function fieldPlaces(
  folder: EditedFolder,
  declared: readonly SchemaPlace[],
  name: string,
): { readonly places: readonly Place[]; readonly declared: readonly SchemaPlace[] } | Refused {
  const all = namesOfFields(folder, templatesOf(folder, declared));
  const known = new Map(declared.map((place) => [keyOf(place), place]));
  for (let before = 0; before < known.size;) {
    before = known.size;
    for (const named of all)
      if (named.declared.some((place) => known.has(keyOf(place)))) for (const place of named.declared) known.set(keyOf(place), place);
  }
  const fields = [...known.values()];
  const named = all.filter(({ declared: of }) => of.some((place) => known.has(keyOf(place))));
  const hidden = named.find(({ place }) => place === undefined);
  if (hidden !== undefined) return { refused: `"${name}" is written with escapes at one place, which is not changed here.` };
  const places = [...named.flatMap(({ place }) => place ?? []), ...placesInSchemas(folder, fields, name)];
  const texts = new Map(schemaFiles(folder).map((file) => [file, folder.project.texts.get(file) ?? '']));
  const odd = places.find(
    ({ file, offset, length }) => (texts.get(file) ?? folder.project.texts.get(file) ?? '').slice(offset, offset + length) !== name,
  );
  if (odd !== undefined) return { refused: `${odd.file}:${odd.line} writes "${name}" with escapes, which is not changed here.` };
  return { places, declared: fields };
}
