import { createServer, type IncomingHttpHeaders, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterEach, describe, expect, test } from '@jest/globals';
import { createClient, type Client, type Message } from '@verbalis/client';
import { movableClock } from './support/clock.js';
import { scriptedSmtp, type ScriptedSmtp, type SmtpScript } from './support/scripted-smtp.js';
import { booking, DEMO_FOLDER, OPERATOR, startTestService, until, type TestService } from './support/service.js';

// What is slow, hangs or refuses costs only itself, and what no recipient is at fault for fails no recipient.

const opened: { readonly close: () => unknown }[] = [];
afterEach(async () => {
  for (const one of opened.splice(0).reverse()) await one.close();
});

async function smtp(script: SmtpScript = {}): Promise<ScriptedSmtp> {
  const server = await scriptedSmtp(script);
  opened.push(server);
  return server;
}

const relay = ({ port }: { readonly port: number }, more = {}) => ({
  kind: 'smtp',
  host: '127.0.0.1',
  port,
  tls: { mode: 'none' },
  waits: { connectSeconds: 20, replySeconds: 300 },
  ...more,
});

async function service(
  providers: Record<string, unknown>,
  routes: Readonly<Record<string, readonly string[]>>,
  { dispatch, ...options }: Parameters<typeof startTestService>[0] & { readonly dispatch?: unknown } = {},
): Promise<TestService & { readonly of: (space: string) => Client }> {
  const spaces = Object.fromEntries(
    Object.entries(routes).map(([name, route]) => [name, { mode: 'deliver', mailFolder: DEMO_FOLDER, route }]),
  );
  const all = await startTestService({
    change: { log: { level: 'warn' }, providers, spaces, ...(dispatch === undefined ? {} : { dispatch }) },
    space: Object.keys(spaces)[0]!,
    ...options,
  });
  opened.push({ close: all.stop });
  return { ...all, of: (space) => createClient({ url: all.service.url, key: OPERATOR, space }) };
}

const deliveryOf = async (client: Client, id: string): Promise<Message['deliveries'][number]> =>
  (await client.messages.get(id)).deliveries[0]!;
const accepted = (client: Client, id: string) =>
  until(async () => {
    const delivery = await deliveryOf(client, id);
    return delivery.state === 'accepted' ? delivery : undefined;
  });

test('one domain that does not answer: emails to others are delivered all the same', async () => {
  const server = await smtp({ at: (line) => (/^RCPT TO:<[^>]*@tarpit/.test(line) ? 'hang' : undefined) });
  const { client } = await service({ relay: relay(server) }, { harbour: ['relay'] });
  for (let i = 0; i < 40; i += 1) await client.messages.send(booking(`guest${i}@tarpit.example`));
  await until(() => (server.hanging() > 0 ? true : undefined));
  const ids: string[] = [];
  for (let i = 0; i < 20; i += 1) ids.push((await client.messages.send(booking(`guest${i}@post${i % 3}.example`))).id);
  for (const id of ids) await accepted(client, id);
  // No answer has come from the other in the meantime, and it has no more than its share of the five connections.
  expect(server.received).toHaveLength(20);
  expect(server.hanging()).toBeGreaterThan(0);
  expect(server.hanging()).toBeLessThanOrEqual(4);
});

interface ApiRequest {
  readonly headers: IncomingHttpHeaders;
  readonly body: Buffer;
}

/** An HTTP provider that answers as a test says. */
async function api(
  answer: (response: ServerResponse, n: number) => unknown,
): Promise<{ readonly port: number; readonly asked: () => number; readonly requests: readonly ApiRequest[] }> {
  let n = 0;
  const requests: ApiRequest[] = [];
  const server: Server = createServer((request, response) => {
    const chunks: Buffer[] = [];
    request.on('data', (chunk: Buffer) => chunks.push(chunk));
    request.on('end', () => {
      requests.push({ headers: request.headers, body: Buffer.concat(chunks) });
      n += 1;
      answer(response, n);
    });
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  opened.push({
    close: () => {
      server.closeAllConnections();
      return new Promise((done) => server.close(done));
    },
  });
  return { port: (server.address() as AddressInfo).port, asked: () => n, requests };
}
const profile = ({ port }: { readonly port: number }, more = {}) => ({
  kind: 'http',
  request: { url: `http://127.0.0.1:${port}/`, json: { to: '{{ message.recipient.address }}' } },
  ...more,
});

test('a provider that hangs: other spaces notice nothing, and what waits for it goes to the next of the route', async () => {
  const hung: ServerResponse[] = [];
  const hanging = await api((response) => hung.push(response));
  const standby = await smtp();
  const good = await smtp();
  const all = await service(
    { parcel: profile(hanging, { waitSeconds: 600 }), standby: relay(standby), relay: relay(good) },
    { harbour: ['parcel', 'standby'], pier: ['relay'] },
  );
  const [harbour, pier] = [all.of('harbour'), all.of('pier')];
  for (let i = 0; i < 60; i += 1) await harbour.messages.send(booking(`guest${i}@post.example`));
  await until(() => (hanging.asked() >= 4 ? true : undefined));
  const { id } = await pier.messages.send(booking('asa@post.example'));
  await accepted(pier, id);
  // All but those that it may have accepted.
  await until(() => (standby.received.length >= 55 ? true : undefined));
  expect(hanging.asked()).toBeLessThanOrEqual(5);
  const { providers } = await harbour.providers.list();
  expect(providers.find(({ name }) => name === 'parcel')).toMatchObject({ state: 'stalled', underWay: hanging.asked() });
  for (const response of hung) response.end('{}');
});

test('429 with Retry-After: the provider is left alone as long as it asks, whatever the domains', async () => {
  const clock = movableClock(Date.parse('2026-11-28T08:00:00Z'));
  let isBusy = true;
  const busy = await api((response) => {
    if (isBusy) response.writeHead(429, { 'Retry-After': '60' }).end('{}');
    else response.end('{}');
  });
  const all = await service({ parcel: profile(busy) }, { harbour: ['parcel'] }, { clock });
  clock.busy = all.service.busy;
  const ids: string[] = [];
  for (let i = 0; i < 20; i += 1) ids.push((await all.client.messages.send(booking(`guest@post${i}.example`))).id);
  await clock.move(59_000);
  // Those that were on their way when the first answer came.
  const first = busy.asked();
  expect(first).toBeGreaterThan(0);
  expect(first).toBeLessThanOrEqual(5);
  expect(await deliveryOf(all.client, ids[19]!)).toMatchObject({
    state: 'queued',
    attempts: [],
    waitsFor: expect.stringContaining('parcel is in trouble'),
  });
  // Then one goes ahead.
  await clock.move(2000);
  expect(busy.asked()).toBe(first + 1);
  isBusy = false;
  await clock.move(61_000);
  for (const id of ids) expect((await deliveryOf(all.client, id)).state).toBe('accepted');
});

const PLAIN = { tls: { mode: 'none' } };
// What a relay answers, and that the email comes through all the same: by the same relay in another way, or by the next one.
const troubles: readonly [name: string, script: SmtpScript, by: 'relay' | 'standby', to?: string][] = [
  ['relay access denied', { at: (line) => (line.startsWith('RCPT') ? '554 5.7.1 <x>: Relay access denied' : undefined) }, 'standby'],
  ['a login is wanted', { at: (line) => (line.startsWith('MAIL') ? '530 5.7.0 Authentication required' : undefined) }, 'standby'],
  ['555 to the parameters of DSN', { at: (line) => (line.includes('NOTIFY=') ? '555 5.5.4 Unsupported parameter' : undefined) }, 'relay'],
  ['501 to SIZE', { at: (line) => (line.includes(' SIZE=') ? '501 Syntax error in parameters' : undefined) }, 'relay'],
  ['503 at MAIL', { at: (line) => (line.startsWith('MAIL') ? '503 5.5.1 Bad sequence of commands' : undefined) }, 'standby'],
  ['addresses beyond ASCII are not accepted', { extensions: ['PIPELINING'] }, 'standby', 'ása@post.example'],
  ['it accepts small emails only', { extensions: ['SIZE 900'] }, 'standby'],
  ['too large, at MAIL', { at: (line) => (line.startsWith('MAIL') ? '552 5.3.4 Message too big' : undefined) }, 'standby'],
  ['no room for our sender', { at: (line) => (line.startsWith('MAIL') ? '550 5.7.1 Sender rejected' : undefined) }, 'standby'],
  ['it closes', { at: (line) => (line.startsWith('RCPT') ? '421 4.3.2 Shutting down' : undefined) }, 'standby'],
];

describe('trouble that is no recipient’s', () => {
  test.each(troubles)('%s', async (_name, script, by, to = 'guest@post.example') => {
    const [first, second] = [await smtp(script), await smtp({ extensions: ['SMTPUTF8', '8BITMIME', 'PIPELINING'] })];
    const { client } = await service({ relay: relay(first, PLAIN), standby: relay(second, PLAIN) }, { harbour: ['relay', 'standby'] });
    const { id } = await client.messages.send(booking(to));
    const delivery = await accepted(client, id);
    expect(delivery.attempts.at(-1)).toMatchObject({ provider: by, outcome: 'accepted' });
    for (const attempt of delivery.attempts.slice(0, -1)) expect(attempt).toMatchObject({ provider: 'relay', outcome: 'trouble' });
    expect(delivery.facts.map(({ kind }) => kind)).toEqual(['accepted']);
    expect(delivery.mayHaveBeenSent).toBeUndefined();
  });

  test('503 to BDAT: the same relay gets it by DATA', async () => {
    let chunks = 0;
    const first = await smtp({
      extensions: ['CHUNKING', 'PIPELINING'],
      at: (line) => {
        if (line !== '.' || chunks > 0) return undefined;
        chunks += 1;
        return '503 5.5.1 No BDAT here';
      },
    });
    const { client } = await service({ relay: relay(first, PLAIN) }, { harbour: ['relay'] });
    const { id } = await client.messages.send(booking('guest@post.example'));
    const delivery = await accepted(client, id);
    expect(delivery.attempts).toMatchObject([{ outcome: 'accepted' }]);
    expect(first.received).toHaveLength(2);
  });

  test('TLS that fails is trouble, not doubt', async () => {
    const plain = await api((response) => response.end('{}'));
    const second = await smtp();
    const secured = { ...profile(plain), request: { url: `https://127.0.0.1:${plain.port}/`, json: {} } };
    const { client } = await service({ parcel: secured, standby: relay(second, PLAIN) }, { harbour: ['parcel', 'standby'] });
    const { id } = await client.messages.send(booking('guest@post.example'));
    expect((await accepted(client, id)).attempts).toMatchObject([
      { provider: 'parcel', outcome: 'trouble', phase: 'connect' },
      { provider: 'standby', outcome: 'accepted' },
    ]);
  });
});

test('a request whose answer was lost is repeated byte for byte, with the key that the provider knows it by', async () => {
  const parcel = await api((response, n) => (n < 3 ? response.destroy() : response.writeHead(202).end('{}')));
  const form = [
    { name: 'to', value: '{{ message.recipient.address }}' },
    { name: 'mail', file: { name: 'mail.eml', type: 'message/rfc822', content: '{{ message.raw }}' } },
  ];
  const wait = { firstSeconds: 0.05, growth: 1, mostSeconds: 0.05 };
  const { client } = await service(
    {
      parcel: {
        kind: 'http',
        request: { url: `http://127.0.0.1:${parcel.port}/`, form, idempotency: { header: 'Idempotency-Key', hours: 24 } },
      },
    },
    { harbour: ['parcel'] },
    { dispatch: { retry: wait, retryByCause: { unreachable: wait } } },
  );
  const { id } = await client.messages.send(booking('asa@post.example'));
  const delivery = await accepted(client, id);
  const [first, ...others] = parcel.requests;
  expect(first!.headers['idempotency-key']).toBe(delivery.id);
  expect(others).toHaveLength(2);
  for (const other of others) {
    expect(other.body.equals(first!.body)).toBe(true);
    expect(other.headers).toMatchObject({ 'idempotency-key': delivery.id, 'content-type': first!.headers['content-type'] });
  }
});

test('after the time that the operator sets, what may have been sent goes to another provider', async () => {
  const clock = movableClock(Date.parse('2026-06-01T09:00:00Z'));
  const parcel = await api((response) => response.destroy());
  const standby = await smtp();
  const all = await service(
    { parcel: profile(parcel), standby: relay(standby) },
    { harbour: ['parcel', 'standby'] },
    { clock, dispatch: { uncertainElsewhereHours: 6 } },
  );
  clock.busy = all.service.busy;
  const { id } = await all.client.messages.send(booking('asa@post.example'));
  await clock.move(3 * 3_600_000);
  expect(standby.received).toHaveLength(0);
  await clock.move(9 * 3_600_000);
  expect(standby.received).toHaveLength(1);
  expect(await deliveryOf(all.client, id)).toMatchObject({ state: 'accepted', mayHaveBeenSent: true });
});

test('an answer that was lost: the email stays with its provider and never goes to another', async () => {
  let isLosing = true;
  const first = await smtp({ at: (line) => (line === '.' && isLosing ? 'close' : undefined) });
  const second = await smtp();
  const { client } = await service({ relay: relay(first, PLAIN), standby: relay(second, PLAIN) }, { harbour: ['relay', 'standby'] });
  const { id } = await client.messages.send(booking('guest@post.example'));
  // Also when the provider is left alone for what goes to this domain.
  const doubtful = await until(async () => {
    const delivery = await deliveryOf(client, id);
    return delivery.waitsFor?.startsWith('relay does not accept') === true ? delivery : undefined;
  });
  expect(doubtful).toMatchObject({ mayHaveBeenSent: true, state: 'delayed' });
  expect(doubtful.attempts.map(({ outcome }) => outcome)).toEqual(['uncertain', 'uncertain', 'uncertain']);
  isLosing = false;
  const other = await client.messages.send(booking('other@post.example'));
  expect((await accepted(client, other.id)).attempts.at(-1)).toMatchObject({ provider: 'standby' });
  const delivery = await accepted(client, id);
  expect(delivery).toMatchObject({ mayHaveBeenSent: true });
  expect(new Set(delivery.attempts.map(({ provider }) => provider))).toEqual(new Set(['relay']));
  expect(second.received.map(({ to }) => to)).toEqual(['other@post.example']);
  // The recipient can recognise the duplicate.
  const ids = first.received.map(({ text }) => /^Message-ID: (.*)$/m.exec(text)?.[1]);
  expect(new Set(ids).size).toBe(1);
});

test('a request that no provider can accept is held for a person, and the recipient has not failed', async () => {
  const parcel = await api((response) => response.writeHead(422).end('{"error":"the field \\"from\\" is missing"}'));
  const { client, of } = await service({ parcel: profile(parcel) }, { harbour: ['parcel'] });
  const { id } = await client.messages.send(booking('guest@post.example'));
  const delivery = await until(async () => {
    const found = await deliveryOf(client, id);
    return found.state === 'delayed' ? found : undefined;
  });
  expect(delivery).toMatchObject({ cause: 'system', attempts: [{ outcome: 'rejected' }] });
  expect(delivery.nextAttemptAt).toBeUndefined();
  const { items } = await of('harbour').quarantine.list();
  expect(items).toMatchObject([{ title: 'Email to guest@post.example', error: expect.stringContaining('"from') }]);
  // With a word about the recipient it is a refusal of the recipient.
  const other = await api((response) => response.writeHead(400).end('{"error":"no such user: guest@post.example"}'));
  const again = await service({ parcel: profile(other) }, { harbour: ['parcel'] });
  const refused = await again.client.messages.send(booking('guest@post.example'));
  await again.ended(refused.id, 'failed');
  expect(await deliveryOf(again.client, refused.id)).toMatchObject({ cause: 'mailbox-unknown' });
});

describe('a clock that jumps', () => {
  test('forward by a day with emails under way: each is sent once', async () => {
    const clock = movableClock(Date.parse('2026-11-28T08:00:00Z'));
    const server = await smtp({ at: (line) => (line.startsWith('RCPT') ? 'hang' : undefined) });
    const all = await service({ relay: relay(server, { ...PLAIN, connections: 20 }) }, { harbour: ['relay'] }, { clock });
    const ids: string[] = [];
    for (let i = 0; i < 10; i += 1) ids.push((await all.client.messages.send(booking(`guest${i}@post${i}.example`))).id);
    await until(() => (server.hanging() === 10 ? true : undefined));
    clock.jump(24 * 3_600_000);
    await clock.move(5000);
    expect(server.hanging()).toBe(10);
    server.goOn('250 2.1.5 OK');
    for (const id of ids) expect((await accepted(all.client, id)).attempts).toHaveLength(1);
    expect(server.received).toHaveLength(10);
  });

  test('back by a day: a wait goes on for as long as it would have, and what has a date waits for its date', async () => {
    const clock = movableClock(Date.parse('2026-11-28T08:00:00Z'));
    let isBusy = true;
    const server = await smtp({ at: (line) => (isBusy && line.startsWith('RCPT') ? '450 4.2.1 later' : undefined) });
    const wait = { firstSeconds: 600, growth: 1, mostSeconds: 600 };
    const all = await service(
      { relay: relay(server, PLAIN) },
      { harbour: ['relay'] },
      { clock, dispatch: { retry: wait, retryByCause: { 'rate-or-greylist': wait } } },
    );
    clock.busy = all.service.busy;
    const { id } = await all.client.messages.send(booking('later@post.example'));
    const dated = await all.client.messages.send({ ...booking('dated@post.example'), notBefore: '2026-11-28T09:00:00Z' });
    await clock.move(1000);
    expect((await deliveryOf(all.client, id)).state).toBe('delayed');
    isBusy = false;
    clock.jump(-24 * 3_600_000);
    // What is accepted now is sent now.
    const next = await all.client.messages.send(booking('next@post.example'));
    await clock.move(1000);
    expect((await deliveryOf(all.client, next.id)).state).toBe('accepted');
    await clock.move(800_000);
    expect((await deliveryOf(all.client, id)).state).toBe('accepted');
    expect(await deliveryOf(all.client, dated.id)).toMatchObject({ state: 'queued', nextAttemptAt: '2026-11-28T09:00:00.000Z' });
    await clock.move(25 * 3_600_000);
    expect((await deliveryOf(all.client, dated.id)).state).toBe('accepted');
    expect(all.logs.join('')).toContain('the clock jumped');
  });
});

test('a provider in trouble is an event and an alert for the spaces that send through it, until it works again', async () => {
  const server = await smtp();
  const all = await service({ relay: relay(server, PLAIN), other: relay(server, PLAIN) }, { harbour: ['relay'], pier: ['other'] });
  const [harbour, pier] = [all.of('harbour'), all.of('pier')];
  const { port } = server;
  await server.close();
  const { id } = await harbour.messages.send(booking('asa@post.example'));
  const kindsOf = async (client: Client): Promise<string[]> => (await client.events.list({ limit: 50 })).events.map(({ type }) => type);
  await until(async () => ((await kindsOf(harbour)).includes('verbalis.alert.firing') ? true : undefined));
  const { events } = await harbour.events.list({ limit: 50 });
  expect(events.find(({ type }) => type === 'verbalis.provider.trouble')).toMatchObject({
    data: {
      provider: 'relay',
      scope: 'provider',
      why: expect.stringContaining('Connection refused'),
      text: expect.stringContaining('relay is in trouble'),
    },
  });
  const { alerts } = await harbour.alerts.list();
  expect(alerts).toMatchObject([{ rule: 'provider', group: 'relay', text: expect.stringContaining('Connection refused') }]);
  expect(await kindsOf(pier)).toEqual([]);
  // The message itself has not changed its state, and names what it waits for.
  const waiting = await until(async () => {
    const delivery = await deliveryOf(harbour, id);
    return delivery.waitsFor?.includes('relay is in trouble') === true ? delivery : undefined;
  });
  expect(waiting).toMatchObject({ state: 'queued', facts: [] });
  opened.push(await scriptedSmtp({ port }));
  await accepted(harbour, id);
  await until(async () => ((await kindsOf(harbour)).includes('verbalis.alert.resolved') ? true : undefined));
  expect(await kindsOf(harbour)).toContain('verbalis.provider.recovered');
});
