import { createServer, type RequestListener, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, RefusedError, UnreachableError } from '@verbalis/client';
import { startTestService, type TestService } from './support/service.js';

// The client library against a service, and against servers that are none, are slow, or break off.

const servers: Server[] = [];
afterEach(() => {
  for (const server of servers.splice(0)) {
    server.closeAllConnections();
    server.close();
  }
});

async function serve(listener: RequestListener): Promise<string> {
  const server = createServer(listener);
  servers.push(server);
  await new Promise<void>((ready) => server.listen(0, '127.0.0.1', ready));
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
}

const caught = async (asked: Promise<unknown>): Promise<Error> => {
  try {
    await asked;
  } catch (error) {
    return error as Error;
  }
  throw new Error('It did not reject.');
};

describe('a service', () => {
  let all: TestService;
  beforeAll(async () => {
    all = await startTestService({});
  });
  afterAll(() => all.stop());

  test('a refusal names every problem with its place', async () => {
    const client = createClient({ url: all.service.url, key: all.key });
    const error = await caught(client.messages.send({ template: 'booking-confirmd', to: ['nobody'], data: {} }));
    expect(error).toBeInstanceOf(RefusedError);
    expect(error.message.split('\n').length).toBeGreaterThan(1);
    const { problems = [] } = error instanceof RefusedError ? error.problem : {};
    expect(problems.length).toBeGreaterThan(1);
    for (const { path, message } of problems) expect(error.message).toContain(`${path}: ${message}`);
  });

  test('a batch of one template, and of several', async () => {
    const client = createClient<{ 'refund-receipt': { amount: number }; other: { name: string } }>({ url: all.service.url, key: all.key });
    const result = await client.messages.sendBatch({
      template: 'refund-receipt',
      mode: 'each',
      messages: [{ to: ['asa@post.example'], data: { amount: 3 } }],
    });
    expect(result.results).toHaveLength(1);
    // @ts-expect-error data of another template
    const wrong = await client.messages.sendBatch({
      template: 'refund-receipt',
      messages: [{ to: ['asa@post.example'], data: { name: '' } }],
    });
    expect(wrong).toMatchObject({ accepted: 0, refused: 1 });
    // @ts-expect-error a template that does not exist
    const unknown = await client.messages.sendBatch({ messages: [{ template: 'no-such', to: ['asa@post.example'], data: { name: '' } }] });
    expect(unknown.results[0]?.problems).toHaveLength(1);
  });
});

describe('what is not a service', () => {
  test.each([
    ['a page', 200, 'text/html', '<h1>Hello</h1>'],
    ['an error page', 404, 'text/html; charset=utf-8', 'nothing here'],
    ['an error of a gateway', 502, 'text/html', 'bad gateway'],
    ['JSON of something else', 401, 'application/json', '{"error":"no"}'],
  ])('%s is named', async (_name, status, type, body) => {
    const url = await serve((_request, response) => response.writeHead(status, { 'content-type': type }).end(body));
    const error = await caught(createClient({ url, key: 'k', tries: 1 }).messages.list());
    expect(error).toBeInstanceOf(UnreachableError);
    expect(error.message).toContain('is not a Verbalis service, or a proxy in front of it answered: status ');
    expect(error.message).toContain(`${status}, ${type.split(';')[0] ?? ''}`);
  });
});

describe('time', () => {
  test('a try is given up after the timeout of the client, or of the call; a safe one is repeated', async () => {
    let asked = 0;
    const url = await serve(() => undefined);
    // A busy machine may end a try before the server knows of it: what counts is what was called.
    const counted: typeof fetch = (input, init) => {
      asked += 1;
      return fetch(input, init);
    };
    const client = createClient({ url, key: 'k', tries: 2, timeout: 30, fetch: counted });
    expect((await caught(client.messages.list())).message).toBe(`No answer from ${url} within 0.03 s`);
    expect(asked).toBe(2);
    const patient = createClient({ url, key: 'k', tries: 1, timeout: Infinity });
    expect((await caught(patient.messages.get('m1', { timeout: 20 }))).message).toContain('within 0.02 s');
  });

  test('an abort ends a call, a wait between tries, and rejects with its reason', async () => {
    const stop = new AbortController();
    const url = await serve(() => stop.abort(new Error('the page was left')));
    expect((await caught(createClient({ url, key: 'k' }).messages.list({}, { signal: stop.signal }))).message).toBe('the page was left');

    const between = new AbortController();
    let asked = 0;
    const busy = await serve((_request, response) => {
      asked += 1;
      response.writeHead(503, { 'retry-after': '3600' }).end();
      setImmediate(() => between.abort(new Error('enough')));
    });
    expect((await caught(createClient({ url: busy, key: 'k' }).messages.list({}, { signal: between.signal }))).message).toBe('enough');
    expect(asked).toBe(1);
    // Nothing is asked with a signal that has ended.
    await caught(createClient({ url: busy, key: 'k' }).messages.list({}, { signal: between.signal }));
    expect(asked).toBe(1);
  });
});
