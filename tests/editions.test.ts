import { cpSync, appendFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createClient, RefusedError, type Client } from '@verbalis/client';
import { startService, type Service } from '@verbalis/service';
import { readConfig } from '@verbalis/service/settings';
import { DEMO_FOLDER, OPERATOR, ROOT, startTestService, temporaryFolder, type TestService } from './support/service.js';

// Editions over restarts, and from space to space.

const copy = temporaryFolder();
const MAIL = join(copy.path, 'mail');
let all: TestService;
let service: Service;
const of = (space: string): Client => createClient({ url: service.url, key: OPERATOR, space });

beforeAll(async () => {
  cpSync(DEMO_FOLDER, MAIL, { recursive: true });
  all = await startTestService({
    change: {
      spaces: {
        harbour: { mode: 'capture', mailFolder: MAIL },
        drydock: { mode: 'capture', mailFolder: join(ROOT, 'examples/sign-in/mail') },
        empty: { mode: 'capture' },
      },
    },
  });
  service = all.service;
});
afterAll(async () => {
  await service.stop();
  await all.stop();
  copy.remove();
});

async function restart(): Promise<void> {
  await service.stop();
  service = await startService({ config: readConfig(join(all.folder, 'verbalis.yaml'), {}), operatorSecret: OPERATOR });
}
const inUse = async (space: string): Promise<number | undefined> =>
  (await of(space).editions.list()).editions.find((edition) => edition.inUse)?.number;
async function problemOf(call: Promise<unknown>): Promise<unknown> {
  const error = await call.catch((fault: unknown) => fault);
  return error instanceof RefusedError ? error.problem : undefined;
}

test('what is in use stays so over a restart, until the folder of the configuration changes', async () => {
  appendFileSync(join(MAIL, 'templates/sign-in-code/message.md'), '\nUntil then.\n');
  await restart();
  expect(await inUse('harbour')).toBe(2);
  await of('harbour').editions.use({ number: 1 });
  await restart();
  expect(await inUse('harbour')).toBe(1);
  await restart();
  expect(await inUse('harbour')).toBe(1);
  appendFileSync(join(MAIL, 'templates/sign-in-code/message.md'), '\nAnd later.\n');
  await restart();
  expect(await inUse('harbour')).toBe(3);
});

test('an edition goes from one space to another with its hash; nothing is sent again', async () => {
  const source = await of('harbour').editions.get('1');
  const { edition, changes } = await of('empty').editions.promote({ number: 1, from: 'harbour' });
  expect(edition).toMatchObject({ number: 1, hash: source.hash, inUse: true });
  expect(changes).toHaveLength(Object.keys(source.manifest).length);
  expect((await of('empty').editions.get('1')).manifest).toEqual(source.manifest);
  expect(await of('empty').editions.promote({ number: 1, from: 'harbour' })).toMatchObject({ changes: [], edition: { number: 1 } });
  expect(await of('empty').editions.promote({ number: 3, from: 'harbour' })).toMatchObject({
    changes: [{ path: 'templates/sign-in-code/message.md', change: 'changed' }],
    edition: { number: 2 },
  });
  expect(await problemOf(of('empty').editions.promote({ number: 9, from: 'harbour' }))).toMatchObject({ status: 404 });
});

test('a key needs a key of the space that it takes from', async () => {
  const writer = await of('empty').keys.add({ name: 'ci', scopes: ['write'] });
  const reader = await of('harbour').keys.add({ name: 'ci', scopes: ['read'] });
  const sender = await of('harbour').keys.add({ name: 'app', scopes: ['send'] });
  const client = createClient({ url: service.url, key: writer.key });
  const promote = (fromKey?: string): Promise<unknown> =>
    client.editions.promote({ number: 1, from: 'harbour', ...(fromKey === undefined ? {} : { fromKey }) });
  for (const wrong of [undefined, 'x', writer.key, sender.key])
    expect(await problemOf(promote(wrong))).toMatchObject({ status: 403, type: 'urn:verbalis:problem:other-space' });
  await promote(reader.key);
  await of('harbour').keys.revoke(reader.id);
  expect(await problemOf(promote(reader.key))).toMatchObject({ status: 403 });
});
