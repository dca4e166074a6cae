import { cpSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createClient, RefusedError, type Client } from '@verbalis/client';
import { movableClock, type MovableClock } from './support/clock.js';
import { DEMO_FOLDER, OPERATOR, startTestService, temporaryFolder, until, type TestService } from './support/service.js';

// How long a topic lets its messages be kept.

const MINUTE = 60_000;
const copy = temporaryFolder();
let all: TestService;
let clock: MovableClock;
let client: Client;

beforeAll(async () => {
  const mail = join(copy.path, 'mail');
  cpSync(DEMO_FOLDER, mail, { recursive: true });
  const settings = join(mail, 'mail.yaml');
  const text = readFileSync(settings, 'utf8');
  writeFileSync(
    settings,
    text.replace(/( {2}account:\n {4}label: Account\n)/, '$1    keep: { bodyDays: 0.01, dataDays: 0.03, factDays: 0.05 }\n'),
  );
  // Sensitive data go by rules of their own.
  const schema = join(mail, 'templates/sign-in-code/data.schema.json');
  writeFileSync(schema, readFileSync(schema, 'utf8').replace('"x-sensitive": true,', ''));
  clock = movableClock(Date.parse('2026-11-28T08:00:00Z'));
  all = await startTestService({
    clock,
    change: (port) => ({
      providers: { relay: { kind: 'smtp', host: '127.0.0.1', port } },
      spaces: { harbour: { mode: 'deliver', mailFolder: mail, route: ['relay'] } },
    }),
  });
  clock.busy = all.service.busy;
  client = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
});
afterAll(async () => {
  await all.stop();
  copy.remove();
});

const send = (address: string, code: string): Promise<{ id: string }> =>
  client.messages.send({ template: 'sign-in-code', to: [address], data: { name: 'Ása', code, validMinutes: 10 } });
const accepted = (id: string): Promise<unknown> =>
  until(async () => ((await client.messages.get(id)).deliveries[0]!.state === 'accepted' ? true : undefined));
async function problemOf(call: Promise<unknown>): Promise<unknown> {
  const error = await call.catch((fault: unknown) => fault);
  if (!(error instanceof RefusedError)) return undefined;
  return [error.problem.status, error.problem.type.replace('urn:verbalis:problem:', '')];
}
/** Whether a text stands anywhere in the file of the database or its log. */
const stands = (text: string): boolean =>
  ['', '-wal'].some((suffix) => readFileSync(join(all.folder, `verbalis.sqlite${suffix}`)).includes(text));

test('bodies go first, then data, then all that is known; what waits stays', async () => {
  const { id } = await send('a@post.example', '493-627');
  await accepted(id);
  expect((await client.messages.mail(id)).text).toContain('493-627');
  expect(stands('493-627')).toBe(true);
  await clock.move(31 * MINUTE);
  await until(async () => ((await client.messages.get(id)).dropped === 'body' ? true : undefined));
  expect(await problemOf(client.messages.mail(id))).toEqual([410, 'body-gone']);
  expect((await client.messages.get(id)).subject).not.toBe('');

  await client.providers.pause('relay');
  const waiting = await send('b@post.example', '111-222');
  await clock.move(29 * MINUTE);
  await until(async () => ((await client.messages.get(id)).dropped === 'data' ? true : undefined));
  expect(await client.messages.get(id)).toMatchObject({ subject: '', deliveries: [{ state: 'accepted', address: 'a@post.example' }] });
  expect((await client.messages.get(waiting.id)).dropped).toBeUndefined();
  await client.messages.cancel(waiting.id);
  await client.providers.resume('relay');

  await clock.move(30 * MINUTE);
  await until(async () => ((await problemOf(client.messages.get(id))) === undefined ? undefined : true));
  expect(await problemOf(client.messages.get(id))).toEqual([404, 'unknown-message']);
});

test('what is held keeps its body and its data, however long', async () => {
  const hold = await client.holds.add({ template: 'sign-in-code' });
  const { id } = await send('held@post.example', '333-444');
  await clock.move(2 * 60 * MINUTE);
  expect((await client.messages.get(id)).dropped).toBeUndefined();
  await client.holds.release({ id: hold.id });
  await accepted(id);
  expect((await client.messages.mail(id)).text).toContain('333-444');
});

test('what is removed stands nowhere in the file', async () => {
  const { id } = await send('c@post.example', '775-881');
  await accepted(id);
  await clock.move(61 * MINUTE);
  await until(async () => ((await client.messages.get(id)).dropped === 'data' ? true : undefined));
  // The log is written into the file by and by; stopping does it at once.
  await all.service.stop();
  expect(readFileSync(join(all.folder, 'verbalis.sqlite')).includes('775-881')).toBe(false);
});
