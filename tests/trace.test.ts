import { createServer, type IncomingHttpHeaders, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { booking, DEMO_FOLDER, OPERATOR, startTestService, until, type TestService } from './support/service.js';

// An app's trace goes with its message: to the provider, into the log, and to whoever is notified.

let all: TestService;
let client: Client;
let provider: Server;
let consumer: Server;
const asked: IncomingHttpHeaders[] = [];
const notified: { headers: IncomingHttpHeaders; event: Record<string, unknown> }[] = [];

const listening = async (server: Server): Promise<string> => {
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
};

beforeAll(async () => {
  provider = createServer((request, response) => {
    asked.push(request.headers);
    request.resume().on('end', () => response.setHeader('content-type', 'application/json').end('{"id":"L1"}'));
  });
  consumer = createServer((request, response) => {
    let body = '';
    request.on('data', (chunk: Buffer) => (body += chunk.toString()));
    request.on('end', () => {
      notified.push({ headers: request.headers, event: JSON.parse(body) as Record<string, unknown> });
      response.end();
    });
  });
  const [providerUrl, consumerUrl] = [await listening(provider), await listening(consumer)];
  all = await startTestService({
    change: {
      outside: { allow: [new URL(consumerUrl).host] },
      log: { level: 'info' },
      providers: {
        parcel: {
          kind: 'http',
          request: { url: `${providerUrl}/letters`, json: { to: '{{ message.recipient.address }}' } },
          answer: { id: '$.id' },
        },
      },
      spaces: { harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['parcel'] } },
    },
  });
  client = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
  await client.subscriptions.add({ name: 'traced', url: consumerUrl, handshake: false });
});
afterAll(async () => {
  await all.stop();
  provider.close();
  consumer.close();
});

const PARENT = '00-4bf92f3577b34da6a3ce929d0e0e4736-00f067aa0ba902b7-01';
async function send(headers: Record<string, string>, address: string): Promise<string> {
  const response = await fetch(`${all.service.url}/v1/messages`, {
    method: 'POST',
    headers: { authorization: `Bearer ${OPERATOR}`, 'content-type': 'application/json', ...headers },
    body: JSON.stringify(booking(address)),
  });
  expect(response.status).toBe(202);
  return ((await response.json()) as { id: string }).id;
}

test('the trace of a request is passed on as it is', async () => {
  const id = await send({ traceparent: PARENT, tracestate: 'shop=t61rcWkgMzE' }, 'a@post.example');
  const { event, headers } = await until(() => notified.find((call) => call.event['type'] === 'verbalis.delivery.accepted'));
  expect(event).toMatchObject({ traceparent: PARENT, tracestate: 'shop=t61rcWkgMzE' });
  expect(headers).toMatchObject({ traceparent: PARENT, tracestate: 'shop=t61rcWkgMzE' });
  expect(asked.at(-1)).toMatchObject({ traceparent: PARENT, tracestate: 'shop=t61rcWkgMzE' });
  expect((await client.messages.get(id)).traceparent).toBe(PARENT);
  expect(all.logs.find((line) => line.includes('attempt ended') && line.includes(PARENT))).toBeDefined();
});

test('one that is not valid is none, and refuses nothing', async () => {
  const wrong = [
    PARENT.toUpperCase(),
    '00-00000000000000000000000000000000-00f067aa0ba902b7-01',
    '00-4bf92f3577b34da6a3ce929d0e0e4736-0000000000000000-01',
    `ff${PARENT.slice(2)}`,
    `${PARENT}-more`,
    'x',
  ];
  const ids = await Promise.all(wrong.map((traceparent, i) => send({ traceparent }, `w${i}@post.example`)));
  for (const id of ids) expect((await client.messages.get(id)).traceparent).toBeUndefined();
  // A version to come may have more behind it.
  const later = await send({ traceparent: `cc${PARENT.slice(2)}-what-comes` }, 'later@post.example');
  expect((await client.messages.get(later)).traceparent).toBe(`cc${PARENT.slice(2)}-what-comes`);
});
