import { SourceText, type Place } from '../problems/index.js';
import { written } from '../program/index.js';
import { thingAt, type Thing } from './at.js';
import { readFile, type EditedFolder, type ReadFile } from './folder.js';
import { inFiles, placeOfKey } from './json-places.js';
import { binderPlace } from './uses.js';

/** Where what stands at an offset of a file is defined: a schema's field, a block, a layout, a text in each language, a loop's name. */
export function definitions(folder: EditedFolder, path: string, offset: number): Place[] {
  const read = readFile(folder, path);
  const thing = read === undefined ? undefined : thingAt(read, offset);
  return read === undefined || thing === undefined ? [] : placesOf(folder, read, thing).filter((place) => place !== undefined);
}

function placesOf(folder: EditedFolder, read: ReadFile, thing: Thing): (Place | undefined)[] {
  const { project } = folder;
  switch (thing.kind) {
    case 'field': {
      const { template } = read;
      return template === undefined ? [] : thing.pointers.map((pointer) => placeOfKey(folder, inFiles(pointer, template)));
    }
    case 'name': {
      const { binder, name } = thing;
      if (binder !== undefined) return [binderPlace(read.source, binder.place, name)];
      return [inputPlace(read.source, name)];
    }
    case 'string':
      return placesOfString(folder, thing.key);
    case 'block': {
      const file = project.blocks.get(thing.use.name);
      return [file === undefined ? undefined : top(file.file)];
    }
    case 'argument': {
      const file = project.blocks.get(thing.use.name);
      return file === undefined ? [] : [inputPlace(new SourceText(file.file, file.text), thing.argument.name ?? '')];
    }
    case 'front': {
      const value = written(thing.value) ?? '';
      if (thing.key === 'layout') return [project.layouts.has(value) ? top(`layouts/${value}.md`) : undefined];
      if (thing.key === 'styles') return [project.styles.has(value) ? top(value) : undefined];
      return thing.key === 'topic' || thing.key === 'sender' ? [inSettings(folder, value)] : [];
    }
    case 'formatter':
      return [];
  }
}

const top = (file: string): Place => new SourceText(file, '').whole;

/** Where a block's source names an input. */
function inputPlace(source: SourceText, name: string): Place | undefined {
  const from = source.text.indexOf('inputs:');
  const found = from === -1 ? -1 : source.text.slice(from).search(new RegExp(`\\b${name.replace(/[^\p{L}\p{N}_-]/gu, '')}:`, 'u'));
  return found === -1 ? undefined : source.place(from + found, name.length);
}

/** The first line of mail.yaml that names something. */
function inSettings({ project }: EditedFolder, name: string): Place | undefined {
  const source = new SourceText('mail.yaml', project.texts.get('mail.yaml') ?? '');
  const line = source.text.split('\n').findIndex((text) => text.trim().replace(/^["']/, '').startsWith(name));
  if (line === -1) return undefined;
  const offset = source.text.split('\n').slice(0, line).join('\n').length + (line === 0 ? 0 : 1);
  return source.place(offset + (source.text.slice(offset).length - source.text.slice(offset).trimStart().length), name.length);
}

/** A text in the files of strings/: its own name, or names within each other. */
export function placesOfString(folder: EditedFolder, key: string): Place[] {
  return [...folder.files.keys()]
    .filter((file) => /^strings\/[^/]+\.json$/.test(file))
    .flatMap((file) => {
      const place = placeOfText(folder, file, key);
      return place === undefined ? [] : [place];
    });
}

function placeOfText(folder: EditedFolder, file: string, key: string): Place | undefined {
  const steps = stepsOfKey(folder, file, key);
  return steps === undefined ? undefined : placeOfKey(folder, { file, pointer: steps });
}

/** "booking.greeting" can be one name, or two within each other. */
function stepsOfKey({ project }: EditedFolder, file: string, key: string): string | undefined {
  const find = (at: unknown, rest: string): string | undefined => {
    if (rest === '') return typeof at === 'string' ? '' : undefined;
    if (typeof at !== 'object' || at === null) return undefined;
    for (const [name, inner] of Object.entries(at)) {
      if (rest !== name && !rest.startsWith(`${name}.`)) continue;
      const found = find(inner, rest.slice(name.length + 1));
      if (found !== undefined) return `/${name.replaceAll('~', '~0').replaceAll('/', '~1')}${found}`;
    }
    return undefined;
  };
  try {
    return find(JSON.parse(project.texts.get(file) ?? ''), key);
  } catch {
    return undefined;
  }
}
