import { afterAll, describe as group, expect, test } from '@jest/globals';
import { folderViews } from './view.js';

const NOW = Date.parse('2026-06-04T08:00:00Z');
const folder = (files: Record<string, string>) => new Map(Object.entries(files).map(([path, text]) => [path, Buffer.from(text)]));
const SIMPLE = {
  'mail.yaml': 'name: T\nbaseUrl: https://x.example/\n',
  'templates/t/data.schema.json': '{"type":"object","properties":{"name":{"type":"string"}},"required":["name"]}',
  'templates/t/samples/s.json': '{"name":"Ása"}',
  'templates/t/message.md': '---\nsubject: "Hello {{ name }}"\npreview: "p"\n---\nHello {{ name }}.\n',
};
const views = folderViews({ limitMs: 60_000, memoryMb: 256 });
afterAll(() => views.stop());

test('a folder is read, checked and rendered in a thread; after a change only that travels', async () => {
  const view = views.open(folder(SIMPLE));
  expect(view.names).toEqual(['t']);
  expect(await view.ask('state', { name: 't', now: NOW })).toMatchObject({ name: 't', samples: ['s'], locales: ['en'] });
  expect((await view.ask('render', { name: 't', wish: {}, advice: true, now: NOW })).mail?.subject).toBe('Hello Ása');
  expect(await view.ask('data', { name: 't' })).toMatchObject({ samples: [['s', { name: 'Ása' }]] });
  const files = new Map(view.files).set(
    'templates/t/message.md',
    Buffer.from(SIMPLE['templates/t/message.md'].replace('name }}.', 'nam }}.')),
  );
  const next = views.open(files, view);
  expect((await next.ask('state', { name: 't', now: NOW }))?.problems.map((problem) => problem.code)).toContain('unknown-field');
  // The one before is still there for who has it.
  expect((await view.ask('render', { name: 't', wish: {}, advice: true, now: NOW })).mail?.subject).toBe('Hello Ása');
});

test('what the thread has forgotten is given to it again', async () => {
  const first = views.open(folder(SIMPLE));
  await first.ask('overview', { all: true, now: NOW });
  for (let i = 0; i < 10; i += 1)
    await views.open(folder({ ...SIMPLE, 'mail.yaml': `name: T${i}\n` })).ask('overview', { all: false, now: NOW });
  expect((await first.ask('render', { name: 't', wish: { data: { name: 'B' } }, advice: true, now: NOW })).mail?.subject).toBe('Hello B');
});

group('whatever is in a folder, the event loop goes on', () => {
  // Time, and what an attacker would want of it.
  const emphasis = `---\nsubject: "s"\n---\n${'*a **b '.repeat(30_000)}`;
  const hostile: [name: string, files: Record<string, string>][] = [
    [
      'blocks that double',
      {
        ...Object.fromEntries(Array.from({ length: 40 }, (_, i) => [`blocks/b${i}.md`, i === 0 ? 'word' : `::b${i - 1}\n\n::b${i - 1}`])),
        'templates/t/message.md': '---\nsubject: "s"\n---\n::b39',
      },
    ],
    ['emphasis without end', { 'templates/t/message.md': emphasis }],
    [
      'a pattern that would backtrack',
      {
        'templates/t/data.schema.json': '{"type":"object","required":["name"],"properties":{"name":{"type":"string","pattern":"^(a+)+$"}}}',
        'templates/t/samples/s.json': JSON.stringify({ name: `${'a'.repeat(5000)}b` }),
      },
    ],
    [
      'selectors over many elements',
      {
        'mail.yaml': 'name: T\nstyles: [styles/x.css]\n',
        'styles/x.css': `${'* '.repeat(12)}p { color: red }\n`.repeat(300),
        'templates/t/message.md': `---\nsubject: "s"\n---\n${':::card\n'.repeat(20)}${'x\n\n'.repeat(500)}${':::\n'.repeat(20)}`,
      },
    ],
  ];
  test.each(hostile)('%s', async (_name, files) => {
    let turns = 0;
    let over = false;
    const turn = () => {
      turns += 1;
      if (!over) setImmediate(turn);
    };
    setImmediate(turn);
    const outcome = await views
      .open(folder({ ...SIMPLE, ...files }))
      .ask('overview', { all: true, now: NOW })
      .then(
        () => 'looked at',
        (error: unknown) => (error as Error).name,
      );
    over = true;
    expect(['looked at', 'ThreadFault']).toContain(outcome);
    expect(turns).toBeGreaterThan(1);
    expect((await views.open(folder(SIMPLE)).ask('render', { name: 't', wish: {}, advice: true, now: NOW })).mail?.subject).toBe(
      'Hello Ása',
    );
  });
});
