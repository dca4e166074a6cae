import { readFileSync } from 'node:fs';
import { createServer } from 'node:http';
import { createServer as createSecureServer, type Server } from 'node:https';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createClient } from '@verbalis/client';
import { movableClock, type MovableClock } from './support/clock.js';
import { makeCertificates, makeExpired } from './support/secure.js';
import { booking, DEMO_FOLDER, OPERATOR, startTestService, temporaryFolder, until, type TestService } from './support/service.js';

// What an operator sees when a provider fails in each of its ways: on the message, in the list of providers, in events, in metrics. No recipient is
// at fault in any of them, and each email is sent in the end, once.
const START = Date.parse('2026-11-28T08:00:00Z');
const certificates = temporaryFolder();
const api = { answer: { status: 200, body: '{"id":"x"}', headers: {} as Record<string, string> }, calls: [] as string[] };
let clock: MovableClock;
let all: TestService;
let plain: ReturnType<typeof createServer>;
let secure: Server;
let good: ReturnType<typeof makeCertificates>;
let expired: ReturnType<typeof makeExpired>;

beforeAll(async () => {
  clock = movableClock(START);
  good = makeCertificates(certificates.path, 'localhost');
  expired = makeExpired(certificates.path, 'localhost');
  const handle: Parameters<typeof createServer>[1] = (request, response) => {
    let body = '';
    request.on('data', (chunk: Buffer) => (body += chunk.toString()));
    request.on('end', () => {
      api.calls.push((JSON.parse(body) as { to: string }).to);
      const { status, headers, body: text } = api.answer;
      response.writeHead(status, headers).end(text);
    });
  };
  plain = createServer(handle);
  secure = createSecureServer({ key: readFileSync(expired.keyFile), cert: readFileSync(expired.certFile) }, handle);
  for (const server of [plain, secure]) await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const port = (server: typeof plain | Server): number => (server.address() as AddressInfo).port;
  const provider = (url: string, more: object = {}) => ({
    kind: 'http',
    request: { url, json: { to: '{{ message.recipient.address }}' } },
    answer: { id: '$.id', reason: '$.why' },
    ...more,
  });
  all = await startTestService({
    clock,
    change: {
      providers: {
        letters: provider(`http://127.0.0.1:${port(plain)}/`),
        sealed: provider(`https://localhost:${port(secure)}/`, { tls: { caFile: good.caFile } }),
      },
      spaces: {
        harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['letters'] },
        quay: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['sealed'] },
      },
    },
  });
  clock.busy = all.service.busy;
});
afterAll(async () => {
  await all.stop();
  for (const server of [plain, secure]) server.close();
  certificates.remove();
});

const operator = () => createClient({ url: all.service.url, key: OPERATOR });
const inSpace = (space: string) => createClient({ url: all.service.url, key: OPERATOR, space });

async function delivery(space: string, id: string) {
  return (await inSpace(space).messages.get(id)).deliveries[0]!;
}

/** Sends an email and waits until its first attempt has ended. */
async function sent(space: string, address: string): Promise<string> {
  const { id } = await inSpace(space).messages.send(booking(address));
  await until(async () => ((await delivery(space, id)).attempts[0]?.outcome === undefined ? undefined : true));
  return id;
}

test.each([
  ['out of order', 503, {}, /503 closed for the day/],
  ['too often', 429, { 'Retry-After': '120' }, /429 closed for the day/],
  ['our key is not known any more', 401, {}, /401 closed for the day/],
  ['our account is at its limit', 402, {}, /402 closed for the day/],
])('%s: nobody’s recipient is at fault; it is left alone, one email tries it, then all go', async (name, status, headers, words) => {
  const address = `${status}@post.example`;
  api.answer = { status, headers: headers, body: '{"why":"closed for the day"}' };
  const id = await sent('harbour', address);
  expect(await delivery('harbour', id)).toMatchObject({
    state: 'queued',
    attempts: [{ outcome: 'trouble', phase: 'answer', diagnostic: expect.stringMatching(words) }],
    facts: [],
  });
  // One answer of 503 may be chance: several in a row are not.
  const first = [id];
  const isResting = async (): Promise<boolean> => (await operator().providers.list()).providers[0]?.state === 'resting';
  while (!(await isResting()) && first.length < 10) first.push(await sent('harbour', `${first.length}-${address}`));
  const before = api.calls.length;
  const { id: next } = await inSpace('harbour').messages.send(booking(`after-${address}`));
  await clock.move(500);
  // The provider rests, and what waits says for what.
  expect(api.calls).toHaveLength(before);
  const [provider] = (await operator().providers.list()).providers;
  expect(provider).toMatchObject({ name: 'letters', state: 'resting', why: expect.stringContaining('closed for the day') });
  expect((await delivery('harbour', next)).waitsFor).toBe('letters is in trouble: closed for the day');
  const { events } = await inSpace('harbour').events.list({ filter: 'type = provider-trouble' });
  expect(events[0]).toMatchObject({ type: 'verbalis.provider.trouble', data: { provider: 'letters' } });
  if (name === 'too often') {
    await clock.move(100_000);
    expect(api.calls).toHaveLength(before);
  }
  api.answer = { status: 200, body: '{"id":"x"}', headers: {} };
  for (const waiting of [next, ...first])
    await until(async () => {
      await clock.move(60_000);
      return (await delivery('harbour', waiting)).state === 'accepted' ? true : undefined;
    });
  expect(api.calls.filter((to) => to === `after-${address}`)).toHaveLength(1);
  const metrics = await (await fetch(`${all.service.url}/metrics`)).text();
  expect(metrics).toMatch(/verbalis_\w+\{[^}]*provider="letters"[^}]*\}/);
});

test('a certificate that has expired is the provider’s trouble, says so, and the email goes when there is a new one', async () => {
  api.answer = { status: 200, body: '{"id":"x"}', headers: {} };
  const id = await sent('quay', 'sealed@post.example');
  expect(await delivery('quay', id)).toMatchObject({
    state: 'queued',
    attempts: [{ outcome: 'trouble', phase: 'connect', diagnostic: expect.stringMatching(/CERT|certificate/i) }],
  });
  secure.setSecureContext({ key: readFileSync(good.keyFile), cert: readFileSync(good.certFile) });
  await until(async () => {
    await clock.move(60_000);
    return (await delivery('quay', id)).state === 'accepted' ? true : undefined;
  });
  expect(api.calls.filter((to) => to === 'sealed@post.example')).toHaveLength(1);
});
