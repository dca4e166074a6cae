import { createHash } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { ALIAS_BOMB, doublingBlocks } from '../packages/core/src/program/test-hostile.js';
import { booking, OPERATOR, startTestService, type TestService } from './support/service.js';

let all: TestService;
let drydock: Client;
beforeAll(async () => {
  all = await startTestService();
  drydock = createClient({ url: all.service.url, key: OPERATOR, space: 'drydock' });
});
afterAll(() => all.stop());

const SIMPLE = {
  'mail.yaml': 'name: T\nbaseUrl: https://x.example/\n',
  'templates/t/data.schema.json': '{"type":"object","properties":{"n":{"type":"string"}}}',
  'templates/t/message.md': '---\nsubject: "s"\n---\nx\n',
};
const front = '---\nsubject: "s"\n---\n';
/** Folders made to take time, memory or the stack. */
const HOSTILE: [name: string, files: Record<string, string>][] = [
  ['blocks that double with each step', { ...doublingBlocks(40), 'templates/t/message.md': `${front}::b39` }],
  [
    'a pattern that backtracks',
    {
      'templates/t/data.schema.json': '{"type":"object","properties":{"n":{"type":"string","pattern":"^(a+)+$"}}}',
      'templates/t/samples/s.json': JSON.stringify({ n: `${'a'.repeat(30)}b` }),
    },
  ],
  ['60 kB of nested elements', { 'templates/t/message.md': `${front}:::raw html\n${'<div>'.repeat(12_000)}\n:::` }],
  ['3,000 signs of quotes', { 'templates/t/message.md': `${front}${'>'.repeat(3000)} x` }],
  ['1,500 nested conditions', { 'templates/t/message.md': `${front}${':::if n\n'.repeat(1500)}x` }],
  ['aliases that multiply', { 'mail.yaml': `name: T\n${ALIAS_BOMB}\n` }],
  ['JSON that nests without end', { 'templates/t/data.schema.json': `${'{"properties":'.repeat(20_000)}1${'}'.repeat(20_000)}` }],
  [
    'references that double',
    {
      'templates/t/data.schema.json': JSON.stringify({
        type: 'object',
        $ref: '#/$defs/d0',
        $defs: Object.fromEntries(
          Array.from({ length: 60 }, (_, i) => [
            `d${i}`,
            i === 59 ? {} : { anyOf: [{ $ref: `#/$defs/d${i + 1}` }, { $ref: `#/$defs/d${i + 1}` }] },
          ]),
        ),
      }),
    },
  ],
  ['emphasis without end', { 'templates/t/message.md': `${front}${'*a **b '.repeat(30_000)}` }],
  [
    'selectors over all elements',
    {
      'mail.yaml': 'name: T\nstyles: [styles/x.css]\n',
      'styles/x.css': `${'* '.repeat(12)}p { color: red }\n`.repeat(300),
      'templates/t/message.md': `${front}${':::card\n'.repeat(20)}${'x\n\n'.repeat(500)}${':::\n'.repeat(20)}`,
    },
  ],
];

/** Asks again and again until `work` is done. @returns how often an answer came meanwhile */
async function answersDuring(work: Promise<unknown>): Promise<number> {
  let isDone = false;
  void work.finally(() => (isDone = true)).catch(() => undefined);
  let answers = 0;
  do {
    const { status } = await fetch(`${all.service.url}/v1/messages?limit=1`, { headers: { authorization: `Bearer ${all.key}` } });
    if (status === 200) answers += 1;
  } while (!isDone);
  return answers;
}

describe('a folder made to stop the service is refused or done with, and the service answers meanwhile', () => {
  test.each(HOSTILE)('published: %s', async (_name, more) => {
    const files = Object.entries({ ...SIMPLE, ...more });
    const hash = (text: string): string => createHash('sha256').update(text).digest('hex');
    const publishing = drydock.editions
      .publish({
        manifest: Object.fromEntries(files.map(([path, text]) => [path, hash(text)])),
        contents: Object.fromEntries(files.map(([, text]) => [hash(text), Buffer.from(text).toString('base64')])),
      })
      .then(
        () => 'published',
        (error: unknown) => (error as { problem?: { status: number } }).problem?.status ?? String(error).slice(0, 200),
      );
    expect(await answersDuring(publishing)).toBeGreaterThan(0);
    expect(['published', 409, 422]).toContain(await publishing);
  });

  test.each(HOSTILE)('rendered as an edit that is not saved: %s', async (_name, more) => {
    const rendering = fetch(`${all.service.url}/v1/templates/booking-confirmed/render`, {
      method: 'POST',
      headers: { authorization: `Bearer ${all.key}`, 'content-type': 'application/json' },
      body: JSON.stringify({
        edits: Object.fromEntries(
          Object.entries(more).map(([path, text]) => [path.replace('templates/t/', 'templates/booking-confirmed/'), text]),
        ),
      }),
    }).then((response) => response.status);
    expect(await answersDuring(rendering)).toBeGreaterThan(0);
    expect([200, 422]).toContain(await rendering);
  });
});

test('mail goes on as before', async () => {
  expect(await all.client.messages.send(booking('asa@post.example'))).toMatchObject({ template: 'booking-confirmed' });
});
