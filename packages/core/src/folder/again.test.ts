import { expect, test } from '@jest/globals';
import { linkFolder, type MailFiles } from './index.js';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
const files = new Map<string, Uint8Array>([
  ['mail.yaml', bytes('name: Harbour\nbaseUrl: https://saltmarsh-ferries.example/\nlocale: en\n')],
  ['schemas/shared.json', bytes('{"type": "string"}')],
  ['strings/en.json', bytes('{"hello": "Good morning"}')],
  ['strings/de.json', bytes('{"hello": "Guten Morgen", "strange": "x"}')],
  ...['one', 'two'].flatMap((name): [string, Uint8Array][] => [
    [`templates/${name}/message.md`, bytes('---\nsubject: "Sailing"\n---\n\n{{ say "hello" }}\n')],
    [`templates/${name}/data.schema.json`, bytes('{"type": "object", "properties": {"a": {"$ref": "../../schemas/shared.json"}}}')],
    [`templates/${name}/samples/typical.json`, bytes('{}')],
  ]),
]);

/** All that can be compared: functions are not. */
const told = (given: MailFiles, before?: ReturnType<typeof linkFolder>): unknown => {
  const project = linkFolder(given, before);
  const templates = [...project.templates.values()].map((template) => ({ ...template, checkData: undefined }));
  return { ...project, linked: undefined, templates };
};

test.each<[string, Record<string, string | undefined>]>([
  ['nothing', {}],
  ['a source', { 'templates/one/message.md': '---\nsubject: "Late"\n---\n\nLate.\n' }],
  ['a source in another language', { 'templates/one/message.de.md': '---\nsubject: "x"\n---\n' }],
  ['a sample that does not fit', { 'templates/two/samples/typical.json': '[]' }],
  ['a schema', { 'templates/two/data.schema.json': '{' }],
  ['a schema that others refer to', { 'schemas/shared.json': '{"type": "integer"}' }],
  ['a schema that others refer to and that is gone', { 'schemas/shared.json': undefined }],
  ['strings', { 'strings/de.json': '{"hello": "Moin"}' }],
  ['strings that are gone', { 'strings/de.json': undefined }],
  ['the language of the folder', { 'mail.yaml': 'name: Harbour\nbaseUrl: https://saltmarsh-ferries.example/\nlocale: de\n' }],
  ['settings that cannot be read', { 'mail.yaml': ':' }],
  [
    'a template that is gone',
    Object.fromEntries([...files.keys()].filter((path) => path.includes('/one/')).map((path) => [path, undefined])),
  ],
  ['a template without a source', { 'templates/one/message.md': undefined }],
  ['a template that is new', { 'templates/three/message.md': 'x' }],
])('a folder that is linked again is the same as one linked anew: %s', (_name, changes) => {
  const before = linkFolder(files);
  const after = new Map(files);
  for (const [path, text] of Object.entries(changes)) {
    if (text === undefined) after.delete(path);
    else after.set(path, bytes(text));
  }
  expect(told(after, before)).toEqual(told(after));
  // And back again.
  expect(told(files, linkFolder(after, before))).toEqual(told(files));
});

test('what has not changed is taken over', () => {
  const before = linkFolder(files);
  const after = linkFolder(new Map([...files, ['templates/one/message.md', bytes('---\nsubject: "x"\n---\n')]]), before);
  expect(after.templates.get('two')).toBe(before.templates.get('two'));
  expect(after.templates.get('one')).not.toBe(before.templates.get('one'));
  expect(after.strings).toBe(before.strings);
});
