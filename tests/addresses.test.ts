import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import Sqlite from 'better-sqlite3';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createClient, RefusedError, type Client } from '@verbalis/client';
import { booking, DEMO_FOLDER, OPERATOR, startTestService, until, type TestService } from './support/service.js';

// What is known about one address: all of it, and nothing of it afterwards.

const SA = 'sa@post.example';
let all: TestService;
let harbour: Client;
let drydock: Client;
beforeAll(async () => {
  all = await startTestService({
    script: { [SA]: 'report-failed' },
    change: (port) => ({
      providers: { relay: { kind: 'smtp', host: '127.0.0.1', port } },
      spaces: {
        harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'] },
        drydock: { mode: 'capture', mailFolder: DEMO_FOLDER },
      },
    }),
  });
  harbour = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
  drydock = createClient({ url: all.service.url, key: OPERATOR, space: 'drydock' });
});
afterAll(() => all.stop());

const ended = (id: string): Promise<unknown> =>
  until(async () => {
    const { deliveries } = await harbour.messages.get(id);
    return deliveries.every(({ state }) => state !== 'queued') ? true : undefined;
  });
const files = ['', '-wal'].map((suffix) => (): Buffer => readFileSync(join(all.folder, `verbalis.sqlite${suffix}`)));
const stands = (text: string): boolean => files.some((read) => read().includes(text));

/** Everything that can be known of it. */
async function beKnown(): Promise<{ own: string; shared: string; mentions: string; other: string }> {
  const own = await harbour.messages.send({ ...booking(SA), reference: `for ${SA}`, labels: { who: SA } });
  const shared = await harbour.messages.send({ ...booking('b@post.example'), to: ['b@post.example', { name: 'Sa Sa', address: SA }] });
  const mentions = await harbour.messages.send({ subject: 'A note', text: `Please call ${SA}.`, to: ['c@post.example'] });
  const other = await harbour.messages.send(booking(`o${SA}`));
  for (const { id } of [own, shared, mentions, other]) await ended(id);
  await harbour.suppressions.add({ address: SA, note: `${SA} asked by phone` });
  await harbour.returns.add(
    `From: ${SA}\r\nTo: returns@returns.saltmarsh-ferries.example\r\nSubject: I am away\r\n\r\nUntil Monday. ${SA}\r\n`,
  );
  await drydock.messages.send(booking(SA));
  return { own: own.id, shared: shared.id, mentions: mentions.id, other: other.id };
}
async function statusOf(call: Promise<unknown>): Promise<number | undefined> {
  const error = await call.catch((fault: unknown) => fault);
  return error instanceof RefusedError ? error.problem.status : undefined;
}

test('is exported with everything, and erased until nothing in the file has it', async () => {
  const ids = await beKnown();
  expect(stands(SA)).toBe(true);
  const found = await harbour.addresses.export('SA@post.example'.replace('SA', 'sa'));
  expect(found.messages.map(({ id }) => id).sort()).toEqual([ids.own, ids.shared, ids.mentions].sort());
  expect(found.suppressions).toHaveLength(1);
  expect(found.returns.length).toBeGreaterThan(0);
  expect(JSON.stringify(found)).toContain('I am away');
  expect(JSON.stringify(found)).not.toContain(`o${SA}`);

  const erased = await harbour.addresses.erase(SA);
  expect(erased).toMatchObject({ address: SA, messages: 1, others: 2, suppressions: 1, waiting: [] });
  expect(await statusOf(harbour.messages.get(ids.own))).toBe(404);
  const shared = await harbour.messages.get(ids.shared);
  expect(shared).toMatchObject({ dropped: 'data', deliveries: [{ address: 'b@post.example' }] });
  expect(shared.to).toEqual([
    { name: '', address: 'b@post.example' },
    { name: '', address: 'erased@erased.invalid' },
  ]);
  expect((await harbour.messages.get(ids.mentions)).dropped).toBe('data');
  // Another address that ends like it, and another space, have lost nothing.
  expect((await harbour.messages.get(ids.other)).dropped).toBeUndefined();
  expect(await harbour.addresses.export(SA)).toMatchObject({ messages: [], suppressions: [], returns: [], captured: [] });
  expect((await drydock.addresses.export(SA)).captured).toHaveLength(1);

  // It is still suppressed, though nobody can read who it is.
  const again = await harbour.messages.send(booking(SA));
  expect(again.deliveries[0]!.state).toBe('withheld');
  expect((await harbour.suppressions.list({ address: SA })).suppressions).toMatchObject([
    { address: expect.stringMatching(/^erased:[0-9a-f]{40}$/) },
  ]);
  await harbour.addresses.erase(SA);
  await drydock.addresses.erase(SA);
  await harbour.addresses.erase(`o${SA}`);
  expect(stands('post.example')).toBe(true);
  expect(stands(SA)).toBe(false);
  expect(readFileSync(join(all.folder, 'verbalis.sqlite.erasures'), 'utf8')).not.toContain(SA);
});

test('leaves what others are still being sent, and says so', async () => {
  await harbour.providers.pause('relay');
  const { id } = await harbour.messages.send({ ...booking(SA), to: [SA, 'd@post.example'] });
  expect((await harbour.addresses.erase(SA)).waiting).toEqual([id]);
  expect((await harbour.messages.get(id)).deliveries.map(({ address }) => address)).toEqual(['d@post.example']);
  await harbour.messages.cancel(id);
  await ended(id);
  expect(await harbour.addresses.erase(SA)).toMatchObject({ waiting: [], others: 1 });
});

test('a key that manages its space sees and removes nothing that belongs to no space', async () => {
  const who = 'nobodys@post.example';
  await harbour.returns.add(`From: ${who}\r\nTo: x@y.example\r\nSubject: Away\r\n\r\nUntil Monday.\r\n`);
  const { key } = await drydock.keys.add({ name: 'manager', scopes: ['manage'] });
  const manager = createClient({ url: all.service.url, key, tries: 1 });
  expect((await manager.addresses.export(who)).returns).toEqual([]);
  await manager.addresses.erase(who);
  expect((await harbour.addresses.export(who)).returns).toHaveLength(1);
  await harbour.addresses.erase(who);
  expect((await harbour.addresses.export(who)).returns).toEqual([]);
});

test('only by who manages the space', async () => {
  const { key } = await harbour.keys.add({ name: 'app', scopes: ['send', 'read', 'write'] });
  const app = createClient({ url: all.service.url, key, tries: 1 });
  expect(await statusOf(app.addresses.export(SA))).toBe(403);
  expect(await statusOf(app.addresses.erase(SA))).toBe(403);
  expect(await statusOf(harbour.addresses.erase('no address'))).toBe(422);
});

test('pieces of the words of an erased email do not stay in the index of words', async () => {
  const address = 'piece@post.example';
  await drydock.messages.send({ to: [address], subject: 'Jqxzvw', text: 'Wxqzkj vbfhpq', topic: 'bookings' });
  await until(async () => ((await drydock.captured.list({ find: 'wxqzkj' })).captured.length === 1 ? true : undefined));
  // The index knows words in pieces of three letters, as FTS5 writes terms: what begins like the term before is left out.
  const pieces = (): boolean[] => {
    const raw = new Sqlite(join(all.folder, 'verbalis.sqlite'), { readonly: true });
    const index = Buffer.concat(raw.prepare('select block from captured_words_data').pluck().all() as Buffer[]).toString('latin1');
    raw.close();
    return ['xqz', 'qzk', 'vbf', 'jqx', 'xzv'].map((piece) => index.includes(piece));
  };
  expect(pieces()).toContain(true);
  await drydock.addresses.erase(address);
  expect(pieces()).toEqual([false, false, false, false, false]);
});
