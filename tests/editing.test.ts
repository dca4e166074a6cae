import { expect, test } from '@jest/globals';
import { applied, complete, formatSource, openFolder, rename, type EditedFolder } from '@verbalis/core/editing';
import { compileFolder } from '@verbalis/core/program';
import { prepare } from '@verbalis/core/render';
import fc from 'fast-check';
import { dataOf, filesOf, stream, wholeCase } from './soundness/generate.mjs';
import { LIMITS } from './support/limits.js';
import { scaled } from './support/scale.js';

const NOW = Date.parse('2026-06-04T08:00:00Z');
/** No generated name is this one, and it is as long as none. */
const NEW_NAME = 'aNewNameOfAField';

/** Folders of generated templates whose check finds no error, each template with samples. A new seed each day finds new ones. */
function* folders(count: number): Generator<EditedFolder> {
  const seed = Math.floor(Date.now() / 86_400_000);
  process.stdout.write(`editing: seed ${seed}\n`);
  for (const made of fc.sample(wholeCase, { seed, numRuns: count })) {
    const files = filesOf(made);
    const samples = made.choices.slice(0, 2).map((list) => JSON.stringify(dataOf(made.tree, stream(list))));
    const all = { ...files };
    made.templates.forEach((_, i) => samples.forEach((data, n) => (all[`templates/t${i}/samples/s${n}.json`] = data)));
    const folder = openFolder(new Map(Object.entries(all).map(([path, text]) => [path, Buffer.from(text)])));
    if (!folder.shared.some(({ severity }) => severity === 'error')) yield folder;
  }
}

const templatesOf = ({ project }: EditedFolder): string[] => [...project.templates.keys()];

/** Subject, HTML and text of each sample; undefined for a template that a check refuses. */
function rendered(folder: EditedFolder, template: string): string[] | undefined {
  const programs = [...(folder.compiled(template)?.programs.values() ?? [])];
  if (programs.length === 0) return undefined;
  const samples = folder.project.templates.get(template)?.samples ?? [];
  const fitting = samples.filter(({ data }) => folder.project.templates.get(template)?.checkData(data).length === 0);
  return programs.flatMap((program) =>
    fitting.map(({ data }) => {
      const { subject, html, text } = prepare(program)({ data, now: NOW });
      return JSON.stringify([subject, html, text]);
    }),
  );
}

const sourceOf = ({ project }: EditedFolder, template: string): { readonly file: string; readonly text: string } => {
  const source = project.templates.get(template)?.sources.get('');
  if (source === undefined) throw new Error(`${template} has no source.`);
  return source;
};

test(
  'formatting keeps what a source compiles to, and does nothing a second time',
  () => {
    let changed = 0;
    for (const folder of folders(scaled(40, 5000)))
      for (const name of templatesOf(folder)) {
        const { file, text } = sourceOf(folder, name);
        const formatted = formatSource(file, text, folder.context.modes);
        expect({ text, again: formatSource(file, formatted, folder.context.modes) }).toEqual({ text, again: formatted });
        const before = rendered(folder, name);
        if (before === undefined || formatted === text) continue;
        changed += 1;
        const after = openFolder(new Map([...folder.files, [file, Buffer.from(formatted)]]), folder);
        expect({ text, rendered: rendered(after, name) }).toEqual({ text, rendered: before });
      }
    // Most made-up sources are refused by a check, or formatted already.
    expect(changed).toBeGreaterThan(3);
  },
  LIMITS.longTest,
);

test(
  'a renamed field changes its name and nothing else',
  () => {
    let done = 0;
    for (const folder of folders(scaled(25, 2000))) {
      const [first = ''] = templatesOf(folder);
      const path = `templates/${first}/data.schema.json`;
      const schema = folder.project.texts.get(path) ?? '';
      for (const { index } of [...schema.matchAll(/(?<=[{,])"(?=\w+":)/g)].slice(0, 12)) {
        const edits = rename(folder, { path, offset: index + 1 }, NEW_NAME);
        if ('refused' in edits || edits.length === 0) continue;
        done += 1;
        const after = openFolder(applied(folder.files, edits));
        // Every template has the same schema in a file of its own: the others keep their names.
        const context = { schema, edits: edits.map(({ place }) => [place.file, place.offset, place.length]) };
        for (const name of templatesOf(folder)) {
          // A loop over the fields of a record shows their names.
          if (/each k, v/.test(sourceOf(folder, name).text)) continue;
          expect({ ...context, name, rendered: rendered(after, name) }).toEqual({ ...context, name, rendered: rendered(folder, name) });
        }
        // Renamed back, every file is what it was.
        const place = edits.find((edit) => edit.place.file === path)?.place.offset ?? -1;
        const back = rename(
          after,
          { path, offset: place + shift(edits, path, place) },
          schema.slice(index + 1, schema.indexOf('"', index + 1)),
        );
        if ('refused' in back) throw new Error(JSON.stringify({ ...context, back }));
        for (const [file, bytes] of applied(after.files, back))
          expect({ ...context, file, text: decoded(bytes) }).toEqual({ ...context, file, text: decoded(folder.files.get(file)) });
      }
    }
    expect(done).toBeGreaterThan(20);
  },
  LIMITS.longTest,
);

const decoded = (bytes: Uint8Array | undefined): string => new TextDecoder().decode(bytes);

function shift(
  edits: readonly { readonly place: { readonly file: string; readonly offset: number; readonly length: number }; readonly text: string }[],
  file: string,
  offset: number,
): number {
  return edits
    .filter(({ place }) => place.file === file && place.offset < offset)
    .reduce((sum, { place, text }) => sum + text.length - place.length, 0);
}

interface Schema {
  readonly $ref?: string;
  readonly $anchor?: string;
  readonly $defs?: Readonly<Record<string, Schema>>;
  readonly properties?: Readonly<Record<string, Schema>>;
  readonly additionalProperties?: Schema | boolean;
  readonly anyOf?: readonly Schema[];
  readonly oneOf?: readonly Schema[];
}

/** Whether a path goes to an entry of a record whose names the schema leaves open: nobody can know them. */
function isOpenEntry(root: Schema, [name = '', ...rest]: readonly string[], schema = root): boolean {
  if (schema.$ref !== undefined) {
    const at = schema.$ref.split(/[#/]/).at(-1) ?? '';
    const found = root.$defs?.[at] ?? Object.values(root.$defs ?? {}).find(({ $anchor }) => $anchor === at);
    return found !== undefined && isOpenEntry(root, [name, ...rest], found);
  }
  const inner = schema.properties?.[name];
  if (inner !== undefined) return rest.length > 0 && isOpenEntry(root, rest, inner);
  if (typeof schema.additionalProperties === 'object') return true;
  return [...(schema.anyOf ?? []), ...(schema.oneOf ?? [])].some((branch) => isOpenEntry(root, [name, ...rest], branch));
}

test(
  'wherever a field is used, it is among what can be written there',
  () => {
    let asked = 0;
    for (const folder of folders(scaled(120, 2000)))
      for (const name of templatesOf(folder)) {
        const { file, text } = sourceOf(folder, name);
        // A comment holds what is not used.
        if (rendered(folder, name) === undefined || /<!--|\{\{#/.test(text)) continue;
        for (const found of [...text.matchAll(/\{\{ (\w+(?:\.\w+)*)/g)].slice(0, 8)) {
          const path = found[1] ?? '';
          if (/^(?:if|else|end|each|empty|between|say|true|false|null|not)$/.test(path)) continue;
          const schema = folder.project.templates.get(name)?.schemaFile;
          if (schema !== undefined && isOpenEntry(JSON.parse(decoded(folder.files.get(schema))) as Schema, path.split('.'))) continue;
          const offset = found.index + 3 + path.length;
          const labels = complete(folder, file, offset).map(({ label }) => label);
          expect({ text: JSON.stringify(text), path, labels }).toEqual({
            text: JSON.stringify(text),
            path,
            labels: expect.arrayContaining([path.split('.').at(-1)]),
          });
          asked += 1;
        }
      }
    expect(asked).toBeGreaterThan(20);
  },
  LIMITS.longTest,
);

test('the folder that is compiled piece by piece is the one that a check compiles', () => {
  for (const folder of folders(5)) {
    const { problems } = compileFolder(folder.project);
    const found = [...folder.shared, ...templatesOf(folder).flatMap((name) => folder.compiled(name)?.problems ?? [])];
    expect(found.map(({ code }) => code).sort()).toEqual(problems.map(({ code }) => code).sort());
  }
});
