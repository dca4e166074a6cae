import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, RefusedError, type Client, type CloudEvent } from '@verbalis/client';
import { HTTP, type CloudEvent as SdkEvent } from 'cloudevents';
import { Webhook } from 'standardwebhooks';
import { movableClock } from './support/clock.js';
import { booking, DEMO_FOLDER, OPERATOR, ROOT, startTestService, until, type TestService } from './support/service.js';

interface Got {
  readonly path: string;
  readonly headers: IncomingMessage['headers'];
  readonly body: string;
  readonly event: CloudEvent;
}

/** A consumer whose manners a test sets. */
async function consumer(
  answer: (request: IncomingMessage, response: ServerResponse, got: Got) => void = (_request, response) => void response.end(),
) {
  const got: Got[] = [];
  const server: Server = createServer((request, response) => {
    const chunks: Buffer[] = [];
    request.on('data', (chunk: Buffer) => chunks.push(chunk));
    request.on('end', () => {
      if (request.method === 'OPTIONS') {
        response.setHeader(
          'WebHook-Allowed-Origin',
          request.url === '/mute' ? 'elsewhere.example' : String(request.headers['webhook-request-origin']),
        );
        response.end();
        return;
      }
      const body = Buffer.concat(chunks).toString();
      const one: Got = { path: request.url ?? '', headers: request.headers, body, event: JSON.parse(body) as CloudEvent };
      got.push(one);
      answer(request, response, one);
    });
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const stop = (): void => {
    server.closeAllConnections();
    server.close();
  };
  stops.push(stop);
  return { got, url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, stop };
}

let used = 0;
const refused = (): string => `refused${used++}@post.example`;
const stops: (() => void)[] = [];
let all: TestService;
let client: Client;
beforeAll(async () => {
  all = await startTestService({
    script: {
      // A refused address is suppressed after once, so each is used once.
      ...Object.fromEntries(Array.from({ length: 100 }, (_, i) => [`refused${i}@post.example`, 'refuse' as const])),
      'bounced@post.example': 'report-failed',
      'arrives@post.example': 'report-delivered',
    },
    change: {
      outside: { allow: ['127.0.0.1'] },
      publicUrl: 'https://mail.saltmarsh-ferries.example',
      alerts: {
        refusals: { of: ['failed'], by: 'template', percent: 20, minutes: 15, least: 3 },
        'many-bookings': { of: ['accepted'], count: 1000 },
      },
    },
  });
  client = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
});
afterAll(() => all.stop());
afterEach(async () => {
  for (const { id } of (await client.subscriptions.list()).subscriptions) await client.subscriptions.remove(id);
  for (const stop of stops.splice(0)) stop();
});

describe('a notification', () => {
  test('is a CloudEvent, signed, and independent libraries take it', async () => {
    const { got, url } = await consumer();
    const { secret = '', state } = await client.subscriptions.add({ url, filter: 'type = failed' });
    expect(state).toBe('active');
    await client.messages.send({ ...booking(refused(), 'SM-9501'), labels: { till: '4' } });
    const one = await until(() => got[0]);
    // Standard Webhooks' own verifier.
    const headers = Object.fromEntries(Object.entries(one.headers).map(([name, value]) => [name, String(value)]));
    expect(new Webhook(secret).verify(one.body, headers)).toEqual(one.event);
    expect(() => new Webhook(secret).verify(one.body.replace('SM-9501', 'SM-9502'), headers)).toThrow();
    // The CloudEvents SDK.
    const event = HTTP.toEvent({ headers, body: one.body }) as SdkEvent<Record<string, unknown>>;
    expect(event.validate()).toBe(true);
    expect(event).toMatchObject({
      type: 'verbalis.delivery.failed',
      source: 'urn:verbalis:space:harbour',
      dataschema: 'https://mail.saltmarsh-ferries.example/v1/events/schemas/delivery',
      data: {
        cause: 'mailbox-unknown',
        reference: 'SM-9501',
        labels: { till: '4' },
        provider: 'relay',
        template: 'booking-confirmed',
        topic: 'bookings',
      },
    });
    expect(one.headers['webhook-id']).toBe(event.id);
    expect(one.headers['content-type']).toMatch('application/cloudevents+json');
  });

  test('for all recipients of one message hangs together, and only what the filter lets through comes', async () => {
    const { got, url } = await consumer();
    await client.subscriptions.add({ url, filter: 'type in [accepted, failed] and reference = SM-9502' });
    await client.messages.send(booking('asa@post.example', 'SM-9503'));
    const { id } = await client.messages.send({
      ...booking('asa@post.example', 'SM-9502'),
      to: ['asa@post.example', refused()],
    });
    await until(() => (got.length >= 2 ? got : undefined));
    expect(got.map(({ event }) => event.data['messageId'])).toEqual([id, id]);
    expect(got.map(({ event }) => event.data['kind']).sort()).toEqual(['accepted', 'failed']);
  });

  test('may be shaped for a chat tool, have header fields of its own, and come in batches', async () => {
    const chat = await consumer();
    await client.subscriptions.add({
      url: chat.url,
      filter: 'type = failed',
      headers: { 'X-Room': 'harbour office' },
      payload: { text: 'Not delivered to {{ event.data.address }}: {{ event.data.cause | default "unknown" }}' },
    });
    const batch = await consumer();
    const batching = await client.subscriptions.add({ url: batch.url, filter: 'reference starts-with SM-951', batch: 10 });
    // All are there when it begins.
    await client.subscriptions.pause(batching.id);
    const { results } = await client.messages.sendBatch({
      mode: 'all',
      messages: Array.from({ length: 6 }, (_, i) => booking(`guest${i}@post.example`, `SM-951${i}`)),
    });
    for (const { id = '' } of results)
      await until(async () => ((await client.messages.get(id)).deliveries[0]!.state === 'accepted' ? true : undefined));
    await client.subscriptions.resume(batching.id);
    await client.messages.send(booking('refused99@post.example', 'SM-9504'));
    const one = await until(() => chat.got[0]);
    expect(JSON.parse(one.body)).toEqual({ text: 'Not delivered to refused99@post.example: mailbox-unknown' });
    expect(one.headers['x-room']).toBe('harbour office');
    const events = await until(() => {
      const found = batch.got.flatMap((each) => each.event as unknown as CloudEvent[]);
      return found.length >= 6 ? found : undefined;
    });
    expect(new Set(events.map((each) => each.id)).size).toBe(6);
    expect(batch.got.length).toBeLessThan(6);
    expect(batch.got[0]?.headers['content-type']).toMatch('application/cloudevents-batch+json');
  });

  test('a test arrives at once, also at a paused subscription', async () => {
    const { got, url } = await consumer();
    const { id } = await client.subscriptions.add({ url, name: 'office', filter: 'type = test' });
    await client.subscriptions.pause(id);
    expect(await client.subscriptions.test('office')).toMatchObject({ ok: true, status: 200 });
    expect(got[0]?.event).toMatchObject({ type: 'verbalis.test', data: { text: expect.stringContaining('all is well') } });
    const gone = await consumer();
    gone.stop();
    const other = await client.subscriptions.add({ url: gone.url, handshake: false });
    expect(await client.subscriptions.test(other.id)).toMatchObject({ ok: false, problem: 'Nothing listens there (connection refused).' });
    // Nobody stays behind the test, although it is for one subscription only.
    await client.subscriptions.resume(id);
    await client.subscriptions.test(id);
    await until(async () => ((await client.subscriptions.get(id)).behind === 0 ? true : undefined));
  });

  test('secrets change without a gap', async () => {
    const { got, url } = await consumer();
    const { id, secret = '' } = await client.subscriptions.add({ url, filter: 'type = test' });
    const renewed = (await client.subscriptions.renewSecret(id)).secret ?? '';
    await client.subscriptions.test(id);
    const headers = (request: Got) => Object.fromEntries(Object.entries(request.headers).map(([name, value]) => [name, String(value)]));
    for (const each of [secret, renewed]) expect(new Webhook(each).verify(got[0]!.body, headers(got[0]!))).toBeTruthy();
    await client.subscriptions.renewSecret(id);
    await client.subscriptions.test(id);
    expect(() => new Webhook(secret).verify(got[1]!.body, headers(got[1]!))).toThrow();
    expect(new Webhook(renewed).verify(got[1]!.body, headers(got[1]!))).toBeTruthy();
    expect(JSON.stringify(await client.subscriptions.list())).not.toContain('whsec_');
  });
});

describe('a consumer', () => {
  test('that does not say yes gets nothing', async () => {
    const { got, url } = await consumer();
    const made = await client.subscriptions.add({ url: `${url}/mute` });
    expect(made).toMatchObject({ state: 'unproven', reason: expect.stringContaining('WebHook-Allowed-Origin') });
    await client.messages.send(booking('asa@post.example', 'SM-9520'));
    await until(async () => ((await client.events.list({ filter: 'reference = SM-9520' })).events.length > 0 ? true : undefined));
    expect(got).toEqual([]);
    await expect(client.subscriptions.resume(made.id)).resolves.toMatchObject({ state: 'unproven' });
    // Nor by way of a pause.
    await expect(client.subscriptions.pause(made.id)).rejects.toMatchObject({
      problem: { status: 409, type: expect.stringMatching(/subscription-inactive$/) },
    });
    await expect(client.subscriptions.resume(made.id)).resolves.toMatchObject({ state: 'unproven' });
    expect(got).toEqual([]);
  });

  test('that fails now and then gets everything, in order for each delivery', async () => {
    const met = new Set<string>();
    const { got, url } = await consumer((request, response, { event }) => {
      // The first time, one of three gets an error and one of three no answer at all.
      const isNew = !met.has(event.id);
      met.add(event.id);
      if (isNew && met.size % 3 === 0) response.statusCode = 500;
      else if (isNew && met.size % 3 === 1) {
        request.socket.destroy();
        return;
      }
      response.end();
    });
    const { id } = await client.subscriptions.add({ url, filter: 'type in [accepted, delivered]' });
    const sent = await client.messages.sendBatch({
      mode: 'all',
      messages: Array.from({ length: 12 }, (_, i) => booking('arrives@post.example', `SM-953${i}`)),
    });
    expect(sent.results).toHaveLength(12);
    await until(async () => {
      const { delivered, waiting, behind } = await client.subscriptions.get(id);
      return delivered >= 24 && waiting === 0 && behind === 0 ? true : undefined;
    });
    const order = new Map<string, string[]>();
    const seen = new Set<string>();
    for (const { event } of got) {
      if (seen.has(event.id)) continue;
      seen.add(event.id);
      const delivery = String(event.data['deliveryId']);
      order.set(delivery, [...(order.get(delivery) ?? []), String(event.data['kind'])]);
    }
    expect([...order.values()]).toEqual(Array.from({ length: 12 }, () => ['accepted', 'delivered']));
  });

  test('that is dead holds up nobody, is left alone, and gets all of it when it lives again', async () => {
    let alive = false;
    const dead = await consumer((_request, response) => {
      response.statusCode = alive ? 200 : 503;
      response.end();
    });
    const well = await consumer();
    const sick = await client.subscriptions.add({ url: dead.url, filter: 'type = accepted' });
    await client.subscriptions.add({ url: well.url, filter: 'type = accepted' });
    await client.messages.sendBatch({
      mode: 'all',
      messages: Array.from({ length: 60 }, (_, i) => booking(`guest${i}@post.example`, `SM-954${i}`)),
    });
    await until(() => (well.got.length >= 60 ? true : undefined));
    const resting = await until(async () => {
      const found = await client.subscriptions.get(sick.id);
      return found.restingUntil === undefined ? undefined : found;
    });
    expect(resting.delivered).toBe(0);
    // It was tried a few times, not sixty.
    expect(dead.got.length).toBeLessThan(40);
    alive = true;
    // It is asked again within seconds, however many tries had failed at once.
    await until(async () => ((await client.subscriptions.get(sick.id)).delivered >= 60 ? true : undefined));
    expect(new Set(dead.got.map((got) => got.event.id)).size).toBe(60);
  });

  test('that fails for some for a while gets all there is, in order, also what came meanwhile', async () => {
    const drydock = createClient({ url: all.service.url, key: OPERATOR, space: 'drydock' });
    let isWell = false;
    const { url, got } = await consumer((_request, response, { event }) => {
      // Every fifth delivery, by the reference, which says its number.
      const isChosen = Number(String(event.data['reference']).slice(-2)) % 5 === 0;
      response.statusCode = isChosen && !isWell ? 503 : 200;
      if (response.statusCode === 503) response.setHeader('retry-after', '6');
      response.end();
    });
    const { id } = await drydock.subscriptions.add({ url, handshake: false, filter: 'type in [accepted, image-loaded]' });
    const { results } = await drydock.messages.sendBatch({
      mode: 'all',
      messages: Array.from({ length: 60 }, (_, i) => booking('asa@post.example', `SM-96${String(i).padStart(2, '0')}`)),
    });
    expect(results).toHaveLength(60);
    const mails = await until(async () => {
      const { captured } = await drydock.captured.list({ limit: 200 });
      return captured.length >= 60 && got.length >= 60 ? captured : undefined;
    });
    for (let n = 0; n < 5; n += 1) await Promise.all(mails.map((mail) => drydock.captured.simulate(mail, 'image-loaded')));
    // What follows an event that failed waits behind it: more than a worker looks at at once.
    await until(async () => ((await drydock.subscriptions.get(id)).waiting >= 72 ? true : undefined));
    isWell = true;
    const counts = await until(async () => {
      const found = await drydock.subscriptions.get(id);
      return found.waiting === 0 && found.behind === 0 && found.delivered >= 360 ? found : undefined;
    });
    expect(counts.delivered).toBe(360);
    const kinds = new Map<string, string[]>();
    for (const { event } of got) {
      const delivery = String(event.data['deliveryId']);
      kinds.set(delivery, [...(kinds.get(delivery) ?? []), String(event.data['kind'])]);
    }
    // The first event as often as it took, then what followed, each once.
    for (const list of kinds.values()) expect(list.join(' ')).toMatch(/^(accepted )+image-loaded( image-loaded){4}$/);
    await drydock.subscriptions.remove(id);
    await drydock.captured.clear({});
  });

  test('that never answers takes nothing from one that does', async () => {
    let givenUp = 0;
    const dead = await Promise.all(
      Array.from({ length: 8 }, () =>
        consumer((_request, response) => {
          response.on('close', () => {
            givenUp += 1;
          });
        }),
      ),
    );
    const well = await consumer();
    for (const { url } of dead) await client.subscriptions.add({ url, filter: 'type = accepted' });
    await client.subscriptions.add({ url: well.url, filter: 'type = accepted' });
    await client.messages.sendBatch({
      mode: 'all',
      messages: Array.from({ length: 60 }, (_, i) => booking(`guest${i}@post.example`, `SM-97${String(i).padStart(2, '0')}`)),
    });
    await until(() => (well.got.length >= 60 ? true : undefined));
    // It did not have to wait until one of the others was given up.
    expect(givenUp).toBe(0);
    expect(dead.every(({ got }) => got.length > 0 && got.length <= 16)).toBe(true);
    for (const { stop } of dead) stop();
  });

  test('that answers 410 is let go, and what was meant for it is set aside, not lost', async () => {
    const { url, got } = await consumer((_request, response) => {
      response.statusCode = 410;
      response.end();
    });
    const { id } = await client.subscriptions.add({ url, filter: 'type = accepted' });
    await client.messages.send(booking('asa@post.example', 'SM-9550'));
    await until(async () => ((await client.subscriptions.get(id)).state === 'gone' ? true : undefined));
    await client.messages.send(booking('asa@post.example', 'SM-9551'));
    expect(got).toHaveLength(1);
    const { notifications } = await until(async () => {
      const page = await client.subscriptions.notifications(id, { state: 'dead-letter' });
      return page.notifications.length > 0 ? page : undefined;
    });
    expect(notifications).toMatchObject([{ status: 410, problem: 'It answered 410.', type: 'verbalis.delivery.accepted' }]);
  });

  test('asks for what was, and gets it again', async () => {
    const { url, got } = await consumer();
    const since = new Date();
    await client.messages.send(booking('asa@post.example', 'SM-9560'));
    await until(async () => ((await client.events.list({ filter: 'reference = SM-9560' })).events.length > 0 ? true : undefined));
    const { id } = await client.subscriptions.add({ url, filter: 'reference = SM-9560' });
    expect(got).toEqual([]);
    await client.subscriptions.replay(id, { since: since.toISOString() });
    const first = await until(() => got[0]);
    await client.subscriptions.replay(id, { since: since.toISOString() });
    const second = await until(() => got[1]);
    expect(second.headers['webhook-id']).toBe(first.headers['webhook-id']);
  });

  test('in a private network is refused unless it is allowed, also by a name that leads there, and redirects are not followed', async () => {
    const strict = await startTestService();
    const own = createClient({ url: strict.service.url, key: OPERATOR, space: 'harbour' });
    for (const url of [
      'http://127.0.0.1:9/',
      'http://[::1]:9/',
      'http://localhost:9/',
      'http://10.0.0.8/',
      'http://169.254.169.254/latest',
    ])
      expect(await own.subscriptions.add({ url })).toMatchObject({ state: 'unproven', reason: expect.stringMatching(/private network/) });
    await strict.stop();
    const { url } = await consumer((_request, response) => {
      response.writeHead(302, { Location: 'http://127.0.0.1:9/' }).end();
    });
    const { id } = await client.subscriptions.add({ url });
    expect(await client.subscriptions.test(id)).toMatchObject({ ok: false, status: 302, problem: expect.stringContaining('not followed') });
  });
});

/** A service whose clock the test moves, and a consumer that answers with a status of the test's. */
async function onMovedClock(more: Pick<Parameters<typeof startTestService>[0] & object, 'script'> = {}, grid = 1) {
  const clock = movableClock(Date.parse('2026-11-20T08:00:00Z'), { grid });
  const own = await startTestService({ clock, ...more, change: { outside: { allow: ['127.0.0.1'] } } });
  clock.busy = own.service.busy;
  const operator = createClient({ url: own.service.url, key: OPERATOR, space: 'harbour' });
  const answers = { status: 503 };
  const { got, url } = await consumer((_request, response) => {
    response.statusCode = answers.status;
    response.end();
  });
  return { clock, own, operator, got, url, answers };
}

describe('with a clock that is moved', () => {
  test('a consumer that is dead for a day gets all of it after; for four days, what is too old is set aside and sent again when asked', async () => {
    const { clock, own, operator, got, url, answers } = await onMovedClock({}, 10 * 60_000);
    const { id } = await operator.subscriptions.add({ url, filter: 'type = accepted' });
    const send = (n: number) =>
      operator.messages.sendBatch({
        mode: 'all',
        messages: Array.from({ length: n }, (_, i) => booking(`guest${i}@post.example`, `SM-960${i}`)),
      });
    await send(30);
    await clock.move(24 * 3_600_000);
    expect(await operator.subscriptions.get(id)).toMatchObject({ delivered: 0, deadLetters: 0 });
    const tries = got.length;
    expect(tries).toBeGreaterThan(10);
    answers.status = 200;
    await clock.move(8 * 3_600_000);
    expect(await operator.subscriptions.get(id)).toMatchObject({ delivered: 30, deadLetters: 0, waiting: 0 });
    answers.status = 503;
    await send(5);
    await clock.move(4 * 24 * 3_600_000);
    expect(await operator.subscriptions.get(id)).toMatchObject({ delivered: 30, deadLetters: 5, waiting: 0 });
    answers.status = 200;
    expect((await operator.subscriptions.again(id)).count).toBe(5);
    await clock.move(3_600_000);
    expect(await operator.subscriptions.get(id)).toMatchObject({ delivered: 35, deadLetters: 0, behind: 0 });
    expect(new Set(got.map(({ event }) => event.id)).size).toBe(35);
    await own.stop();
  });
});

test('what waits behind a failed notification is not late when the date is set back before anybody notices', async () => {
  const { clock, own, operator, got, url, answers } = await onMovedClock({ script: { 'bo@post.example': 'report-delivered' } });
  const { id } = await operator.subscriptions.add({ url, filter: 'type = accepted or type = delivered' });
  await operator.messages.send(booking('bo@post.example'));
  await until(async () => {
    await clock.move(100);
    return (await operator.subscriptions.get(id)).waiting === 2 ? true : undefined;
  });
  answers.status = 200;
  clock.jump(-20 * 3_600_000, { isNoticed: false });
  await clock.move(60_000);
  expect(await operator.subscriptions.get(id)).toMatchObject({ delivered: 2, waiting: 0 });
  expect(got.map(({ event }) => event.type)).toEqual([
    'verbalis.delivery.accepted',
    'verbalis.delivery.accepted',
    'verbalis.delivery.delivered',
  ]);
  await own.stop();
});

describe('at the door', () => {
  test.each<[string, Record<string, unknown>, string, RegExp]>([
    ['a filter with a fault', { filter: 'typ = failed' }, 'filter', /no field "typ" *.*character 1/],
    ['a payload with a fault', { payload: { text: '{{ evnt.id }}' } }, 'payload', /evnt/],
    ['a payload of one event for a batch', { payload: { text: '{{ event.id }}' }, batch: 5 }, 'payload', /one event only/],
    ['a field of ours', { headers: { 'Webhook-Id': 'x' } }, 'headers', /set by the service/],
    ['a field that breaks out', { headers: { 'X-A': 'a\r\nB: c' } }, 'headers.X-A', /no header field may hold/],
    ['no web address', { url: 'ftp://x.example' }, 'url', /./],
    ['an unknown key', { colour: 'red' }, 'colour', /not a field/],
  ])('%s', async (_words, wanted, path, message) => {
    const fault = await client.subscriptions.add({ url: 'https://x.example', ...wanted }).catch((error: unknown) => error);
    expect(fault).toBeInstanceOf(RefusedError);
    expect((fault as RefusedError).problem.problems).toEqual(
      expect.arrayContaining([expect.objectContaining({ path, message: expect.stringMatching(message) })]),
    );
  });

  test('only the operator may leave the question out', async () => {
    const { key } = await client.keys.add({ name: 'w', scopes: ['write', 'read'] });
    const own = createClient({ url: all.service.url, key });
    await expect(own.subscriptions.add({ url: 'https://x.example', handshake: false })).rejects.toThrow(/Only the scope/);
  });

  test('one space sees nothing of another', async () => {
    const { url } = await consumer();
    const { id } = await client.subscriptions.add({ url });
    const drydock = createClient({ url: all.service.url, key: OPERATOR, space: 'drydock' });
    await expect(drydock.subscriptions.get(id)).rejects.toThrow(/No subscription/);
    expect((await client.events.list()).events.length).toBeGreaterThan(0);
    const { events } = await drydock.events.list();
    expect(events.filter(({ source }) => source !== 'urn:verbalis:space:drydock')).toEqual([]);
  });
});

describe('events', () => {
  test('are listed, tried with a filter, and followed live from what was seen last', async () => {
    const end = new AbortController();
    const seen: CloudEvent[] = [];
    const following = (async () => {
      for await (const one of client.events.follow({ filter: 'labels.live = yes' }, { signal: end.signal })) {
        seen.push(one);
        if (seen.length === 3) return;
      }
    })();
    await until(async () => {
      await client.messages.send({ ...booking('asa@post.example', 'SM-9570'), labels: { live: 'yes' } });
      return seen.length > 0 ? true : undefined;
    });
    for (let i = 0; i < 2; i += 1) await client.messages.send({ ...booking('asa@post.example', 'SM-9571'), labels: { live: 'yes' } });
    await following;
    end.abort();
    expect(seen.every(({ type }) => type === 'verbalis.delivery.accepted')).toBe(true);
    const page = await client.events.list({ filter: 'labels.live = yes', limit: 2 });
    expect(page.events).toHaveLength(2);
    const next = await client.events.list({ filter: 'labels.live = yes', limit: 2, cursor: page.nextCursor });
    expect(next.events.map((event) => event.id)).not.toContain(page.events[0]?.id);
    const tried = await client.events.tryFilter({ filter: 'labels.live = yes' });
    expect(tried.passed).toBeGreaterThanOrEqual(3);
    expect(tried.kinds).toEqual({ accepted: tried.passed });
    await expect(client.events.tryFilter({ filter: 'type =' })).rejects.toMatchObject({
      problem: { problems: [{ path: 'filter', message: expect.stringContaining('character 7') }] },
    });
  });

  test('are the same however a filter is looked up, page by page', async () => {
    const { id } = await client.messages.send({ ...booking('asa@post.example', 'SM-9572'), labels: { live: 'no' } });
    await all.ended(id, 'accepted');
    const every: CloudEvent[] = [];
    const walk = async (filter?: string, deliveryId?: string): Promise<CloudEvent[]> => {
      const found: CloudEvent[] = [];
      for (let cursor: string | undefined, more = true; more;) {
        const page = await client.events.list({ filter, deliveryId, limit: filter === undefined ? 200 : 3, cursor });
        found.push(...page.events);
        cursor = page.nextCursor;
        more = cursor !== undefined;
      }
      return found;
    };
    // Events that come meanwhile are newer than all of these.
    every.push(...(await walk()));
    const newest = every[0]?.id;
    const textOf = ({ data }: CloudEvent, name: string): unknown => data[name];
    const isOf =
      (...kinds: string[]) =>
      (event: CloudEvent) =>
        kinds.some((kind) => event.type === `verbalis.${kind}`);
    const cases: [string, (event: CloudEvent) => boolean][] = [
      ['type = failed', isOf('delivery.failed')],
      ['type in [failed, accepted]', isOf('delivery.failed', 'delivery.accepted')],
      ['type = failed or type = audited', isOf('delivery.failed', 'audit.recorded')],
      ['type = failed and type = accepted', () => false],
      ['not type = accepted', (event) => !isOf('delivery.accepted')(event)],
      ['reference = SM-9572', (event) => textOf(event, 'reference') === 'SM-9572'],
      ['reference = SM-9572 and type = accepted', (event) => textOf(event, 'reference') === 'SM-9572' && isOf('delivery.accepted')(event)],
      ['reference = SM-9572 or reference = SM-9571', (event) => ['SM-9572', 'SM-9571'].includes(String(textOf(event, 'reference')))],
      ['reference = nothing', () => false],
      ['template = booking-confirmed', (event) => textOf(event, 'template') === 'booking-confirmed'],
      [
        'template = booking-confirmed and type = failed',
        (event) => textOf(event, 'template') === 'booking-confirmed' && isOf('delivery.failed')(event),
      ],
      [
        'domain = "post.example" and topic = bookings',
        (event) => textOf(event, 'domain') === 'post.example' && textOf(event, 'topic') === 'bookings',
      ],
      ['cause = mailbox-unknown', (event) => textOf(event, 'cause') === 'mailbox-unknown'],
      ['address = "asa@post.example"', (event) => textOf(event, 'address') === 'asa@post.example'],
      [`messageId = ${id}`, (event) => textOf(event, 'messageId') === id],
      ['labels.live = no', (event) => (textOf(event, 'labels') as Record<string, string> | undefined)?.['live'] === 'no'],
    ];
    for (const [filter, fits] of cases) {
      const found = await walk(filter);
      const from = found.findIndex((event) => event.id === newest || every.some(({ id: known }) => known === event.id));
      const known = from === -1 ? [] : found.slice(from);
      expect([filter, known.map((event) => event.id)]).toEqual([filter, every.filter(fits).map((event) => event.id)]);
    }
    const [{ id: deliveryId } = { id: '' }] = (await client.messages.get(id)).deliveries;
    expect((await walk(undefined, deliveryId)).map((event) => event.data['deliveryId'])).toEqual(expect.arrayContaining([deliveryId]));
    expect(await walk('type = audited', deliveryId)).toEqual([]);
  });

  test('have JSON Schemas that they fit', async () => {
    const { default: Ajv } = createRequire(join(ROOT, 'packages/core/package.json'))('ajv/dist/2020.js') as {
      default: new (options: object) => { compile: (schema: object) => ((data: unknown) => boolean) & { errors: unknown } };
    };
    const ajv = new Ajv({ strict: false, validateFormats: false });
    const { events } = await client.events.list({ limit: 200 });
    expect(events.length).toBeGreaterThan(20);
    for (const event of events) {
      const schema = (await (
        await fetch(event.dataschema.replace('https://mail.saltmarsh-ferries.example', all.service.url))
      ).json()) as object;
      const fits = ajv.compile(schema);
      expect({ ok: fits(event.data), errors: fits.errors }).toEqual({ ok: true, errors: null });
    }
  });
});

describe('figures and alerts', () => {
  test('counts say what became of the emails, by what they are and over time, and correct themselves', async () => {
    const { id } = await client.messages.send(booking('bounced@post.example', 'SM-9580'));
    await all.ended(id, 'failed');
    const states: Record<string, number> = {};
    for (let cursor: string | undefined, more = true; more;) {
      const page = await client.messages.list({ limit: 200, cursor });
      for (const message of page.messages)
        for (const delivery of message.deliveries) states[delivery.state] = (states[delivery.state] ?? 0) + 1;
      cursor = page.nextCursor;
      more = cursor !== undefined;
    }
    // Each is counted in the state it is in, also those that were counted in another before.
    const { total } = await until(async () => {
      const found = await client.figures.get();
      const counted = Object.fromEntries(Object.entries(found.total.states).filter(([, n]) => n > 0));
      return JSON.stringify(Object.entries(counted).sort()) === JSON.stringify(Object.entries(states).sort()) ? found : undefined;
    });
    expect(total.created).toBe(Object.values(states).reduce((sum, n) => sum + n, 0));
    expect(total.toAccepted.median).toBeGreaterThan(0);
    const causes = await client.figures.get({ by: 'cause' });
    expect(causes.by?.find(({ value }) => value === 'mailbox-unknown')?.counts.states['failed']).toBeGreaterThan(0);
    expect(await client.figures.csv({ by: 'template' })).toMatch(/^template,created,[\s\S]*booking-confirmed,/);
    for (const by of ['topic', 'provider', 'domain'] as const) expect((await client.figures.get({ by })).by?.length).toBeGreaterThan(0);
    await expect(client.figures.get({ from: '2026-01-02T00:00:00Z', to: '2026-01-01T00:00:00Z' })).rejects.toThrow();
  });

  test('a rule that begins to hold makes an event, and so any subscription can carry it', async () => {
    const chat = await consumer();
    await client.subscriptions.add({
      url: chat.url,
      filter: 'type in [alert-firing, alert-resolved]',
      payload: { text: '{{ event.data.text }}' },
    });
    // A template that no other test has failures of, so that its alert begins here.
    const data = JSON.parse(readFileSync(join(DEMO_FOLDER, 'templates/refund-receipt/samples/typical.json'), 'utf8')) as Record<
      string,
      unknown
    >;
    await client.messages.sendBatch({
      mode: 'all',
      messages: Array.from({ length: 20 }, () => ({ template: 'refund-receipt', to: [refused()], data })),
    });
    const { alerts, rules } = await until(async () => {
      const found = await client.alerts.list();
      return found.alerts.some((alert) => alert.group === 'refund-receipt') ? found : undefined;
    });
    expect(rules.map((rule) => rule.name)).toEqual(['refusals', 'many-bookings', 'runaway']);
    expect(alerts.find((alert) => alert.group === 'refund-receipt')).toMatchObject({ rule: 'refusals' });
    await until(() => chat.got.find((got) => /% failed in 15 minutes for template refund-receipt/.test(got.body)));
  });
});
