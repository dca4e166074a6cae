import { afterAll, expect, test } from '@jest/globals';
import { BUILT_IN_FOLDER, CONFIRM_SENDER, CONFIRM_TOPIC, INVITATION, OPERATOR_NOTE, SIGN_IN } from './built-in.js';
import { mailFolderCompiler } from './compile.js';
import { editionOf } from './loaded.js';

const folder = (files: Record<string, string>) => new Map(Object.entries(files).map(([path, text]) => [path, Buffer.from(text)]));
const SIMPLE = {
  'mail.yaml': 'name: T\n',
  'templates/t/data.schema.json': '{"type":"object","properties":{"name":{"type":"string"}},"required":["name"]}',
  'templates/t/samples/s.json': '{"name":"Ása"}',
  'templates/t/message.md': '---\nsubject: "Hello {{ name }}"\npreview: "p"\n---\nHello {{ name }}.\n',
};
/** Blocks that use each other twice: the text that comes of them doubles with each. */
const doubling = (depth: number): Record<string, string> => ({
  ...SIMPLE,
  'blocks/b0.md': 'word\n',
  ...Object.fromEntries(Array.from({ length: depth }, (_, i) => [`blocks/b${i + 1}.md`, `::b${i}\n\n::b${i}\n`])),
  'templates/t/message.md': `---\nsubject: "s"\npreview: "p"\n---\n{{ name }}\n\n::b${depth}\n`,
});

// What is right may take long on a busy machine; only what is without end must not.
const compiler = mailFolderCompiler({ limitMs: 120_000, memoryMb: 256 });
const hasty = mailFolderCompiler({ limitMs: 15_000, memoryMb: 256 });
afterAll(() => Promise.all([compiler.stop(), hasty.stop()]));

test('a folder is compiled beside the event loop, once for the same files', async () => {
  let turns = 0;
  let isDone = false;
  const counting = (async () => {
    while (!isDone) {
      await new Promise((next) => setImmediate(next));
      turns += 1;
    }
  })();
  const [one, two] = await Promise.all([compiler.compile(folder(SIMPLE)), compiler.compile(folder(SIMPLE))]);
  isDone = true;
  await counting;
  expect(two).toBe(one);
  expect([...one.compiled.templates.keys()]).toEqual(['t']);
  expect(one.errors).toBeUndefined();
  expect(turns).toBeGreaterThan(10);
});

test('spaces that have published the same files share what was made of them', async () => {
  const files = folder(SIMPLE);
  const { compiled } = await compiler.compile(files);
  const { compiled: others } = await compiler.compile(folder({ ...SIMPLE, 'mail.yaml': 'name: Other\n' }));
  const harbour = editionOf('harbour', 1, { files, compiled });
  const drydock = editionOf('drydock', 7, { files, compiled });
  expect(drydock).toEqual({ ...harbour, space: 'drydock', number: 7 });
  expect(drydock.project).toBe(harbour.project);
  expect(editionOf('harbour', 2, { files, compiled: others }).project).not.toBe(harbour.project);
});

test('the emails that the service brings have no errors', async () => {
  const { errors, compiled } = await compiler.compile(BUILT_IN_FOLDER);
  expect(errors).toBeUndefined();
  expect([...compiled.templates.keys()].sort()).toEqual([CONFIRM_SENDER, CONFIRM_TOPIC, INVITATION, OPERATOR_NOTE, SIGN_IN]);
});

test('what is wrong comes back in words, with its place', async () => {
  const { errors } = await compiler.compile(
    folder({ ...SIMPLE, 'templates/t/message.md': SIMPLE['templates/t/message.md'].replace('{{ name }}.', '{{ nam }}.') }),
  );
  expect(errors).toHaveLength(1);
  expect(errors?.[0]).toMatch(/templates\/t\/message\.md[\s\S]*nam/);
});

test('a folder that grows without bound is refused within its bounds, and the next one compiles', async () => {
  let looks = 0;
  const looking = setInterval(() => (looks += 1), 20);
  const outcome = await hasty.compile(folder(doubling(24))).then(
    ({ errors }) => (errors === undefined ? 'compiled' : 'refused by a check'),
    (error: unknown) => (error as Error).name,
  );
  clearInterval(looking);
  expect(['ThreadFault', 'refused by a check']).toContain(outcome);
  // The event loop went on meanwhile.
  expect(looks).toBeGreaterThan(1);
  expect((await hasty.compile(folder(SIMPLE))).errors).toBeUndefined();
});
