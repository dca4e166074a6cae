import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, RefusedError, type Client } from '@verbalis/client';
import { readMail, shownText } from '@verbalis/core/mime';
import { movableClock, type MovableClock } from './support/clock.js';
import { DEMO_FOLDER, OPERATOR, startTestService, temporaryFolder, until, type TestService } from './support/service.js';

// What a data schema marks as sensitive: who sees it, where it is kept, and until when.

const HOUR = 3_600_000;
const MASK = '•••';
const copy = temporaryFolder();
const mail = join(copy.path, 'mail');

let all: TestService;
let clock: MovableClock;
let operator: Client;
/** A key that reads and manages, but not what is sensitive. */
let plain: Client;
let cleared: Client;
let drydock: Client;

function writeFolder(): void {
  cpSync(DEMO_FOLDER, mail, { recursive: true });
  const template = join(mail, 'templates/reset');
  mkdirSync(template);
  writeFileSync(
    join(template, 'data.schema.json'),
    JSON.stringify({
      type: 'object',
      required: ['name', 'link', 'tries', 'until'],
      properties: {
        name: { type: 'string' },
        link: { type: 'string', format: 'uri', 'x-sensitive': true },
        tries: { type: 'integer', 'x-sensitive': true },
        until: { type: 'string', format: 'date-time', 'x-sensitive': true },
      },
    }),
  );
  writeFileSync(
    join(template, 'message.md'),
    '---\nsubject: "{{ name }}, {{ tries }} tries are left"\ntopic: account\n---\n# Hello {{ name }}\n\n::action "Reset" to="{{ link }}"\n\nUntil {{ until | date }}.\n',
  );
  mkdirSync(join(mail, 'schemas'), { recursive: true });
  writeFileSync(
    join(mail, 'schemas/code-wanted.schema.json'),
    JSON.stringify({
      type: 'object',
      required: ['email', 'code'],
      properties: { email: { type: 'string', format: 'email' }, code: { type: 'string', 'x-sensitive': true } },
    }),
  );
  writeFileSync(
    join(mail, 'signals/code-wanted.yaml'),
    'on: code.wanted\ndata: ../schemas/code-wanted.schema.json\nafter: PT2H\nsend:\n  template: sign-in-code\n  to: "{{ data.email }}"\n  data: { code: "{{ data.code }}", validMinutes: 10 }\n',
  );
}

async function start(): Promise<void> {
  all = await startTestService({
    clock,
    script: { 'gone@post.example': 'report-failed' },
    change: (port) => ({
      providers: { relay: { kind: 'smtp', host: '127.0.0.1', port } },
      spaces: {
        harbour: { mode: 'deliver', mailFolder: mail, route: ['relay'], archive: 'archive@saltmarsh-ferries.example' },
        staging: { mode: 'deliver', mailFolder: mail, route: ['relay'], recipients: { allowed: ['qa@saltmarsh-ferries.example'] } },
        drydock: { mode: 'capture', mailFolder: mail },
      },
    }),
  });
  clock.busy = all.service.busy;
  const url = all.service.url;
  operator = createClient({ url, key: OPERATOR, space: 'harbour' });
  drydock = createClient({ url, key: OPERATOR, space: 'drydock' });
  const keyOf = async (scopes: string[]): Promise<Client> =>
    createClient({ url, key: (await operator.keys.add({ name: scopes.join(), scopes: scopes as never })).key });
  plain = await keyOf(['manage']);
  cleared = await keyOf(['read', 'read-sensitive']);
}

beforeAll(async () => {
  writeFolder();
  clock = movableClock(Date.parse('2026-11-28T15:00:00Z'));
  await start();
});
afterAll(async () => {
  await all.stop();
  copy.remove();
});

const code = (address: string, text: string, more: object = {}) => ({
  template: 'sign-in-code',
  to: [address],
  data: { name: 'Ása', code: text, validMinutes: 10 },
  ...more,
});
const at = (ms: number): string => new Date(clock.now() + ms).toISOString();

async function problemOf(call: Promise<unknown>): Promise<unknown> {
  const error = await call.catch((fault: unknown) => fault);
  if (!(error instanceof RefusedError)) return error;
  return [error.problem.status, error.problem.type.replace('urn:verbalis:problem:', '')];
}

/** Files of the service in which a text stands, also in the log that people read. */
function placesOf(text: string): string[] {
  const forms = [text, Buffer.from(text).toString('base64').slice(0, -4), encodeURIComponent(text)];
  const files = readdirSync(all.folder, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile())
    .map((entry) => join(entry.parentPath, entry.name));
  const found = files.filter((file) => {
    const bytes = readFileSync(file);
    return forms.some((form) => bytes.includes(form));
  });
  return all.logs.some((line) => line.includes(text)) ? [...found, 'log'] : found;
}

async function received(address: string): Promise<string> {
  const bytes = await until(() => all.simulator.seen.get(address)?.mail);
  return shownText(readMail(bytes), 'plain') ?? '';
}

const keysOfDays = (): string[] => (existsSync(join(all.folder, 'day-keys')) ? readdirSync(join(all.folder, 'day-keys')).sort() : []);

describe('in a space that delivers', () => {
  test('the recipient gets it, and nobody else sees it', async () => {
    const { id } = await operator.messages.send(code('asa@post.example', '7481 0093'));
    await until(async () => ((await operator.messages.get(id)).deliveries[0]?.state === 'accepted' ? true : undefined));
    expect(await received('asa@post.example')).toContain('7481 0093');

    const shown = await plain.messages.get(id);
    expect(shown).toMatchObject({ data: { name: 'Ása', code: MASK, validMinutes: 10 }, sensitive: 'kept' });
    expect(shown.subject).toContain(MASK);
    expect((await plain.messages.list({ address: 'asa@post.example' })).messages[0]?.subject).toContain(MASK);
    const page = await plain.messages.mail(id);
    expect(page).toMatchObject({ masked: true, subject: shown.subject });
    expect(page.html).toContain(MASK);
    expect(JSON.stringify([shown, page])).not.toContain('7481');
    expect(await problemOf(operator.messages.source(id))).toEqual([403, 'sensitive']);
    for (const call of ['mail', 'html', 'source'] as const)
      expect(await problemOf(plain.messages[call](id, { sensitive: 'yes' }))).toEqual([403, 'missing-scope']);
    expect((await cleared.messages.mail(id, { sensitive: 'yes' })).text).toContain('7481 0093');
    expect(await problemOf(plain.messages.data(id))).toEqual([403, 'missing-scope']);
    const events = await plain.events.list({ limit: 100 });
    expect(JSON.stringify(events)).not.toContain('7481');
    expect(placesOf('asa@post.example')).not.toEqual([]);
    expect(placesOf('7481 0093')).toEqual([]);
    // No copy is archived.
    expect(shown.deliveries).toHaveLength(1);
  });

  test('a key with "read-sensitive" sees it while something waits, and only that long', async () => {
    const { id } = await operator.messages.send(code('later@post.example', '5520 1177', { notBefore: at(2 * HOUR) }));
    expect((await cleared.messages.get(id)).data).toMatchObject({ code: MASK });
    const whole = await cleared.messages.data(id);
    expect(whole).toMatchObject({ data: { code: '5520 1177' } });
    expect(whole.subject).toContain('5520 1177');
    expect(placesOf('5520 1177')).toEqual([]);
    await clock.move(90 * 60_000);
    expect((await cleared.messages.get(id)).sensitive).toBe('kept');
    await operator.messages.cancel(id);
    await clock.move(HOUR);
    await until(async () => ((await cleared.messages.get(id)).sensitive === 'removed' ? true : undefined));
    expect(await problemOf(cleared.messages.data(id))).toEqual([410, 'sensitive-gone']);
    expect((await cleared.messages.get(id)).data).toMatchObject({ name: 'Ása', code: MASK });
    const { entries } = await operator.audit.list({ limit: 50 });
    expect(entries.filter((entry) => entry.action === 'messages.data' && entry.target === id)).not.toEqual([]);
  });

  test('a key that manages cannot give itself the scope, nor rotate one that has it', async () => {
    expect(await problemOf(plain.keys.add({ name: 'more', scopes: ['read-sensitive'] }))).toEqual([403, 'missing-scope']);
    const { keys } = await operator.keys.list();
    const other = keys.find(({ scopes }) => scopes.includes('read-sensitive'));
    expect(await problemOf(plain.keys.rotate(other?.id ?? '', {}))).toEqual([403, 'missing-scope']);
  });

  test('values of every type are masked; a subject that depends on them says nothing', async () => {
    const { id } = await operator.messages.send({
      template: 'reset',
      to: ['reset@post.example'],
      data: { name: 'Odd', link: 'https://saltmarsh-ferries.example/reset/tok-9f3', tries: 3, until: '2026-11-29T08:00:00Z' },
    });
    await until(async () => ((await operator.messages.get(id)).deliveries[0]?.state === 'accepted' ? true : undefined));
    expect(await received('reset@post.example')).toContain('https://saltmarsh-ferries.example/reset/tok-9f3');
    const shown = await plain.messages.get(id);
    expect(shown).toMatchObject({ subject: MASK, data: { name: 'Odd', link: MASK, tries: MASK, until: MASK } });
    const page = await plain.messages.mail(id);
    expect(page.html).toContain('https://masked.invalid/');
    expect(page.html).toContain('Hello Odd');
    expect(placesOf('tok-9f3')).toEqual([]);
  });

  test('what a rule of the space keeps here is kept masked', async () => {
    const staging = createClient({ url: all.service.url, key: OPERATOR, space: 'staging' });
    await staging.messages.send(code('someone@post.example', '3141 5926'));
    const found = await until(async () => (await staging.captured.list({})).captured[0]);
    expect(found.subject).toContain(MASK);
    expect(found.code ?? '').not.toContain('3141');
    expect(placesOf('3141 5926')).toEqual([]);
    await staging.messages.send(code('qa@saltmarsh-ferries.example', '2718 2818'));
    expect(await received('qa@saltmarsh-ferries.example')).toContain('2718 2818');
  });

  test('of what comes back no copy is kept', async () => {
    const { id } = await operator.messages.send(code('gone@post.example', '8675 3090'));
    await until(async () => ((await operator.messages.get(id)).deliveries[0]?.state === 'failed' ? true : undefined));
    const [back] = (await plain.returns.list({ message: id })).returns;
    expect(back).toMatchObject({ kind: 'delivery-status', recipients: [{ cause: 'mailbox-unknown' }] });
    expect(back?.subject).toBeUndefined();
    expect(await problemOf(operator.returns.source(back?.id ?? ''))).toEqual([410, 'source-gone']);
    expect(placesOf('8675 3090')).toEqual([]);
  });

  test('the same request is the same message, and another code under its key is refused', async () => {
    const once = code('twice@post.example', '1111 2222', { notBefore: at(3 * HOUR) });
    const first = await operator.messages.send(once, { idempotencyKey: 'one-code' });
    expect((await operator.messages.send(once, { idempotencyKey: 'one-code' })).id).toBe(first.id);
    const other = { ...once, data: { ...once.data, code: '3333 4444' } };
    expect(await problemOf(operator.messages.send(other, { idempotencyKey: 'one-code' }))).toEqual([409, 'idempotency-conflict']);
    await operator.messages.cancel(first.id);
  });

  test('a signal keeps it as long as its email waits', async () => {
    const { id } = await operator.signal('code.wanted', { email: 'signal@post.example', code: '9090 8080' }, { source: '/app' });
    await until(async () => ((await operator.signals.get(id)).rules.length > 0 ? true : undefined));
    expect((await operator.signals.get(id)).data).toEqual({ email: 'signal@post.example', code: MASK });
    expect(placesOf('9090 8080')).toEqual([]);
    await clock.move(2 * HOUR + 60_000);
    expect(await received('signal@post.example')).toContain('9090 8080');
    expect(placesOf('9090 8080')).toEqual([]);
  });

  test.each([
    [
      'a bulk send',
      (): Promise<unknown> =>
        operator.bulkSends.start({ template: 'sign-in-code', essential: true, recipients: { list: [{ to: 'a@post.example' }] } }),
      [422, 'sensitive-bulk'],
    ],
    [
      'a permit that fixes it',
      (): Promise<unknown> =>
        operator.permits.add({
          template: 'sign-in-code',
          to: ['a@post.example'],
          data: { code: '1234', validMinutes: 3 },
          times: 1,
        }),
      [422, 'sensitive-permit'],
    ],
  ])('%s is refused, since its data are kept as they are', async (_, call, wanted) => {
    expect(await problemOf(call())).toEqual(wanted);
  });
});

test('in a space that captures, all is shown', async () => {
  const { id } = await drydock.messages.send(code('dev@post.example', '4444 5555'));
  const found = await until(async () => (await drydock.captured.list({})).captured[0]);
  expect(found.code).toContain('4444');
  expect((await drydock.messages.get(id)).data).toMatchObject({ code: '4444 5555' });
});

test('the key of a day goes when the day is over and nothing of it waits; what waits is still sent', async () => {
  const today = new Date(clock.now()).toISOString().slice(0, 10);
  const hold = await operator.holds.add({ template: 'sign-in-code' });
  const { id } = await operator.messages.send(code('held@post.example', '6060 7070'));
  expect(keysOfDays()).toContain(`${today}.key`);
  expect(statSync(join(all.folder, 'day-keys', `${today}.key`)).mode & 0o777).toBe(0o600);
  expect(statSync(join(all.folder, 'day-keys')).mode & 0o777).toBe(0o700);
  // Into the next day, and long enough that what is over was looked at.
  await clock.move(Date.parse(`${today}T00:00:00Z`) + 25 * HOUR - clock.now());
  expect(keysOfDays()).toEqual([`${today}.key`]);
  await operator.holds.release({ id: hold.id });
  await clock.move(HOUR);
  expect(await received('held@post.example')).toContain('6060 7070');
  await until(() => (keysOfDays().length === 0 ? true : undefined));
  expect((await operator.messages.get(id)).sensitive).toBe('removed');
});

test('without its key an email is not sent with masks in it; it waits, and says why', async () => {
  const today = new Date(clock.now()).toISOString().slice(0, 10);
  const hold = await operator.holds.add({ reason: 'a test', template: 'sign-in-code' });
  const { id } = await operator.messages.send(code('lost@post.example', '2020 3030'));
  // As on another machine to which only the database was brought.
  const { folder } = all;
  const rescued = temporaryFolder();
  cpSync(folder, rescued.path, { recursive: true });
  rmSync(join(folder, 'day-keys', `${today}.key`));
  all.rewrite((settings) => {
    settings['log'] = { level: 'warn' };
  });
  await all.service.reload();
  await operator.holds.release({ id: hold.id });
  const message = await until(async () => {
    await clock.move(HOUR);
    const found = await operator.messages.get(id);
    return (await operator.quarantine.list({})).items.length > 0 ? found : undefined;
  });
  expect(all.simulator.seen.get('lost@post.example')).toBeUndefined();
  const [item] = (await operator.quarantine.list({})).items;
  expect(item?.error).toMatch(`the key of ${today} is not in the folder of day keys`);
  expect(message.sensitive).toBe('kept');
  // Once the key is back, it is sent.
  cpSync(join(rescued.path, 'day-keys'), join(folder, 'day-keys'), { recursive: true });
  await operator.quarantine.retry(item?.id ?? '');
  await clock.move(HOUR);
  expect(await received('lost@post.example')).toContain('2020 3030');
  rescued.remove();
});

test('while no key can be written, such email is refused and nothing else is', async () => {
  await until(async () => {
    await clock.move(25 * HOUR);
    return keysOfDays().length === 0 ? true : undefined;
  });
  const keys = join(all.folder, 'day-keys');
  rmSync(keys, { recursive: true });
  writeFileSync(keys, 'in the way');
  const outcomes = await Promise.all([
    problemOf(operator.messages.send(code('refused@post.example', '1212 3434'))),
    operator.messages.send({ subject: 'Plain', text: 'Plain', to: ['plain@post.example'] }).then(() => 'accepted'),
    problemOf(operator.messages.send(code('refused@post.example', '5656 7878'))),
  ]);
  expect(outcomes).toEqual([[503, 'store-unavailable'], 'accepted', [503, 'store-unavailable']]);
  expect(await received('plain@post.example')).toContain('Plain');
  expect((await operator.messages.list({ address: 'refused@post.example' })).messages).toEqual([]);
  rmSync(keys);
  await operator.messages.send(code('refused@post.example', '9898 7676'));
  expect(await received('refused@post.example')).toContain('9898 7676');
});
