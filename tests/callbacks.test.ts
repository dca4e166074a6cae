import { createHmac } from 'node:crypto';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, type Client, type Message } from '@verbalis/client';
import { movableClock, type MovableClock } from './support/clock.js';
import { booking, DEMO_FOLDER, OPERATOR, startTestService, until, type TestService } from './support/service.js';

// What a provider may say by its calls, and what becomes of calls that say nothing.

const SECRET = 'what only the provider knows';
let all: TestService;
let clock: MovableClock;
let api: Server;
/** Hand-overs that wait for an answer, by the id of the letter. */
const unanswered = new Map<string, () => void>();
let letters = 0;
const of = (space: string): Client => createClient({ url: all.service.url, key: OPERATOR, space });

beforeAll(async () => {
  api = createServer((request, response) => {
    let body = '';
    request.on('data', (chunk: Buffer) => (body += chunk.toString()));
    request.on('end', () => {
      letters += 1;
      const id = `L${letters}`;
      const end = (): void => {
        response.setHeader('content-type', 'application/json').end(JSON.stringify({ letter: { id } }));
      };
      if (body.includes('slow@')) unanswered.set(id, end);
      else end();
    });
  });
  await new Promise<void>((done) => api.listen(0, '127.0.0.1', done));
  clock = movableClock(Date.parse('2026-11-28T08:00:00Z'));
  all = await startTestService({
    clock,
    space: 'parcel',
    change: (port) => ({
      providers: {
        relay: { kind: 'smtp', host: '127.0.0.1', port },
        parcel: {
          kind: 'http',
          request: {
            url: `http://127.0.0.1:${(api.address() as AddressInfo).port}/letters`,
            json: { to: '{{ message.recipient.address }}' },
          },
          answer: { id: '$.letter.id' },
          callbacks: {
            signature: {
              kind: 'hmac',
              secret: SECRET,
              signature: 'header:x-parcel-signature',
              timestamp: 'header:x-parcel-time',
              signed: '{{ timestamp }}.{{ body }}',
            },
            events: '$.news',
            fields: {
              id: '$.nr',
              type: '$.what',
              mail: '$.letter',
              delivery: '$.ours',
              messageId: '$.mid',
              at: '$.when',
              code: '$.code',
              url: '$.link',
            },
            words: { arrived: 'delivered', back: 'failed', opened: 'ignored', followed: 'link-followed' },
          },
        },
      },
      spaces: Object.fromEntries(['relay', 'parcel'].map((name) => [name, { mode: 'deliver', mailFolder: DEMO_FOLDER, route: [name] }])),
    }),
  });
  clock.busy = all.service.busy;
});
afterAll(async () => {
  await all.stop();
  api.close();
});

let nr = 0;
/** Calls as the provider does; every event has an id of its own. */
async function call(news: readonly object[], key = 'news'): Promise<{ status: number; type?: string; detail?: string }> {
  const events = news.map((event) => ({ nr: `n${(nr += 1)}`, ...event }));
  const body = JSON.stringify({ [key]: events });
  const time = String(Math.floor(clock.now() / 1000));
  const headers = { 'x-parcel-time': time, 'x-parcel-signature': createHmac('sha256', SECRET).update(`${time}.${body}`).digest('hex') };
  const response = await fetch(`${all.service.url}/v1/callbacks/parcel`, { method: 'POST', headers, body });
  return { ...((await response.json()) as object), status: response.status };
}

async function accepted(space: string, address: string): Promise<Message> {
  const { id } = await of(space).messages.send(booking(address));
  return until(async () => {
    const found = await of(space).messages.get(id);
    return found.deliveries[0]!.state === 'accepted' ? found : undefined;
  });
}
const deliveryOf = async (space: string, id: string): Promise<Message['deliveries'][number]> =>
  (await of(space).messages.get(id)).deliveries[0]!;
const handled = (): Promise<unknown> =>
  until(async () => (/verbalis_callbacks_waiting 0/.test(await (await fetch(`${all.service.url}/metrics`)).text()) ? true : undefined));

describe('a provider', () => {
  test('speaks only of deliveries that it was given', async () => {
    const foreign = await accepted('relay', 'a@post.example');
    const { id } = foreign.deliveries[0]!;
    expect((await call([{ what: 'back', ours: id }])).status).toBe(200);
    expect((await call([{ what: 'back', mid: `<${foreign.id}@saltmarsh-ferries.example>` }])).status).toBe(200);
    await handled();
    expect(await deliveryOf('relay', foreign.id)).toMatchObject({ state: 'accepted' });
    const { returns } = await of('parcel').returns.list({ matched: 'no' });
    expect(returns.map(({ problem }) => problem)).toEqual([
      `The delivery ${id} was never handed to parcel.`,
      `The delivery ${id} was never handed to parcel.`,
    ]);
    const own = await accepted('parcel', 'b@post.example');
    await call([{ what: 'back', ours: own.deliveries[0]!.id, code: 550 }]);
    await until(async () => ((await deliveryOf('parcel', own.id)).state === 'failed' ? true : undefined));
  });

  test('cannot date what it says before the email or after now', async () => {
    const { id, createdAt, deliveries } = await accepted('parcel', 'c@post.example');
    await clock.move(60_000);
    await call([
      { what: 'arrived', ours: deliveries[0]!.id, when: '1971-01-01T00:00:00Z' },
      { what: 'arrived', ours: deliveries[0]!.id, when: '2999-01-01T00:00:00Z' },
      { what: 'arrived', ours: deliveries[0]!.id, when: 'the day before yesterday' },
    ]);
    const told = await until(async () => {
      const facts = (await deliveryOf('parcel', id)).facts.filter(({ source }) => source === 'return');
      return facts.length === 3 ? facts : undefined;
    });
    const now = new Date(clock.now()).toISOString();
    expect(told.map(({ at }) => at).sort()).toEqual([createdAt, now, now]);
  });

  test('says words that mean nothing to a delivery, or that nobody knows: they are kept, and found by the message', async () => {
    const { id, deliveries } = await accepted('parcel', 'd@post.example');
    const ours = deliveries[0]!.id;
    expect(
      await call([
        { what: 'opened', ours },
        { what: 'teleported', ours },
      ]),
    ).toMatchObject({ status: 200, events: 2 });
    await handled();
    const { returns } = await of('parcel').returns.list({ message: id });
    expect(returns.map(({ subject, problem, matched }) => ({ subject, problem, matched }))).toEqual([
      { subject: 'teleported', problem: 'The profile has no word for "teleported".', matched: true },
      { subject: 'opened', problem: undefined, matched: true },
    ]);
    expect((await of('parcel').returns.list({ message: 'm01none' })).returns).toEqual([]);
  });

  test('says nothing of sensitive data that would be kept', async () => {
    const { id } = await of('parcel').messages.send({
      template: 'sign-in-code',
      to: ['e@post.example'],
      data: { code: '9274 1100', validMinutes: 10 },
    });
    const { deliveries } = await until(async () => {
      const found = await of('parcel').messages.get(id);
      return found.deliveries[0]!.state === 'accepted' ? found : undefined;
    });
    await call([{ what: 'followed', ours: deliveries[0]!.id, link: 'https://a.example/?code=9274-1100', title: 'Your code is 9274-1100' }]);
    const fact = await until(async () => (await deliveryOf('parcel', id)).facts.find(({ kind }) => kind === 'link-followed'));
    expect(fact.link).toBeUndefined();
    const back = fact.returnId ?? '';
    expect(
      (await of('parcel')
        .returns.source(back)
        .catch((error: unknown) => error)) as object,
    ).toMatchObject({ problem: { status: 410 } });
    expect(JSON.stringify(await of('parcel').returns.get(back))).not.toContain('9274');
  });

  test('may call before its answer to the hand-over is on our disk', async () => {
    const { id } = await of('parcel').messages.send(booking('slow@post.example'));
    const [letter, answer] = await until(() => [...unanswered][0]);
    await call([{ what: 'arrived', letter }]);
    answer();
    await until(async () => ((await deliveryOf('parcel', id)).state === 'accepted' ? true : undefined));
    await clock.move(6_000);
    await until(async () => ((await deliveryOf('parcel', id)).state === 'delivered' ? true : undefined));
  });
});

test('calls that mean nothing are answered with 422, kept, counted, and someone is alerted', async () => {
  expect(await call([{ what: 'arrived' }], 'changes')).toMatchObject({
    status: 422,
    type: 'urn:verbalis:problem:call-means-nothing',
    detail: 'The path "$.news" finds nothing in this call.',
  });
  expect(await call([{ happened: 'arrived' }, 7 as unknown as object])).toMatchObject({
    status: 422,
    detail: 'None of its 2 events has anything at $.what.',
  });
  expect(await call([])).toMatchObject({ status: 200, events: 0 });
  expect(await call([{ happened: 'arrived' }, { what: 'arrived' }])).toMatchObject({ status: 200, events: 2 });
  expect(await (await fetch(`${all.service.url}/metrics`)).text()).toMatch(/verbalis_callbacks_meaningless_total\{provider="parcel"\} 2/);
  const firing = async (): Promise<string | undefined> =>
    (await of('parcel').alerts.list()).alerts.find(({ rule, resolvedAt }) => rule === 'callbacks' && resolvedAt === undefined)?.text;
  await clock.move(31_000);
  expect(await until(firing)).toBe('The profile of parcel finds nothing in its calls: None of its 2 events has anything at $.what.');
  await clock.move(3_600_000);
  await until(async () => ((await firing()) === undefined ? true : undefined));
  // What had no events is in quarantine in the end, where it can be read again after the profile is mended.
  await until(async () => ((await of('parcel').quarantine.list({})).items.some(({ worker }) => worker === 'callbacks') ? true : undefined));
});
