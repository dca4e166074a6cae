import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, RefusedError, type Client } from '@verbalis/client';
import { booking, DEMO_FOLDER, OPERATOR, startTestService, until, type TestService } from './support/service.js';

// The edges of the HTTP interface: streams, metrics, proxies, sign-in links.

const TOKEN = 'what the monitor knows';
let all: TestService;
let operator: Client;
beforeAll(async () => {
  all = await startTestService({
    change: (port) => ({
      listen: { port: 0, trustProxy: ['127.0.0.0/8'] },
      metrics: { port: 0, token: TOKEN.replaceAll(' ', '-') },
      limits: { streams: { perKey: 2, all: 3 } },
      providers: { relay: { kind: 'smtp', host: '127.0.0.1', port } },
      spaces: {
        harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'] },
        drydock: { mode: 'capture', mailFolder: DEMO_FOLDER },
      },
    }),
  });
  operator = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
});
afterAll(() => all.stop());

const problemOf = async (response: Response): Promise<string> => {
  const { type, detail } = (await response.json()) as { type: string; detail?: string };
  return `${response.status} ${type.replace('urn:verbalis:problem:', '')} ${detail ?? ''}`.trim();
};

describe('streams', () => {
  const open = async (key: string, space?: string): Promise<{ response: Response; close: () => void }> => {
    const end = new AbortController();
    const response = await fetch(`${all.service.url}/v1/events/stream`, {
      signal: end.signal,
      headers: { authorization: `Bearer ${key}`, ...(space === undefined ? {} : { 'verbalis-space': space }) },
    });
    return {
      response,
      close: () => {
        end.abort();
      },
    };
  };
  /** Opens one as soon as one before it has been noticed to be closed. */
  const openAgain = async (key: string): Promise<{ response: Response; close: () => void }> => {
    for (;;) {
      const stream = await open(key);
      if (stream.response.status !== 429) return stream;
      stream.close();
    }
  };

  test('a key has so many, all keys together so many, and the operator gets in all the same', async () => {
    const [a, b] = [await operator.keys.add({ name: 'a', scopes: ['read'] }), await operator.keys.add({ name: 'b', scopes: ['read'] })];
    const [first, second] = [await open(a.key), await open(a.key)];
    expect([first.response.status, second.response.status]).toEqual([200, 200]);
    const third = await open(a.key);
    expect(third.response.headers.get('retry-after')).toBe('15');
    expect(await problemOf(third.response)).toBe('429 too-many-streams This key has 2 open, as many as a key may have.');
    const other = await open(b.key);
    expect(other.response.status).toBe(200);
    expect(await problemOf((await open(b.key)).response)).toBe('429 too-many-streams 3 are open, as many as the service allows.');
    const operators = await open(OPERATOR, 'harbour');
    expect(operators.response.status).toBe(200);
    first.close();
    const again = await openAgain(b.key);
    expect(again.response.status).toBe(200);
    for (const { close } of [second, other, operators, again]) close();
  });
});

describe('metrics', () => {
  const ask = (authorization?: string, path = '/metrics'): Promise<Response> =>
    fetch(`http://127.0.0.1:${all.service.metricsPort ?? 0}${path}`, { headers: authorization === undefined ? {} : { authorization } });

  test('have a listener of their own, for who has the token, and name no space', async () => {
    expect((await fetch(`${all.service.url}/metrics`)).status).toBe(404);
    for (const wrong of [undefined, 'Bearer x', `Basic ${TOKEN}`, 'Bearer ']) {
      const response = await ask(wrong);
      expect([response.status, await response.text()]).toEqual([401, expect.stringContaining('metrics.token')]);
    }
    await operator.messages.send(booking('a@post.example'));
    const response = await ask(`Bearer ${TOKEN.replaceAll(' ', '-')}`);
    const text = await response.text();
    expect(response.headers.get('x-content-type-options')).toBe('nosniff');
    expect(text).toMatch(/verbalis_messages_accepted_total\{space=""\} 1/);
    expect(text).not.toMatch(/harbour|drydock/);
    expect((await ask(`Bearer ${TOKEN.replaceAll(' ', '-')}`, '/v1/messages')).status).toBe(404);
  });
});

describe('behind a proxy that is trusted', () => {
  test('the address that it names is the one that counts', async () => {
    const { key } = await operator.keys.add({ name: 'far', scopes: ['read'], bounds: { usedFrom: ['198.51.100.0/24'] } });
    const list = (forwarded?: string): Promise<Response> =>
      fetch(`${all.service.url}/v1/messages`, {
        headers: { authorization: `Bearer ${key}`, ...(forwarded === undefined ? {} : { 'x-forwarded-for': forwarded }) },
      });
    expect((await list('198.51.100.7')).status).toBe(200);
    // What the caller itself wrote before it is not believed: the last one that no proxy of ours is.
    expect(await problemOf(await list('198.51.100.7, 203.0.113.9'))).toContain('403 key-address The request came from 203.0.113.9.');
    expect(await problemOf(await list())).toContain('key-address');
    await until(async () =>
      (await operator.keys.list()).keys.find(({ name, lastUsedFrom }) => name === 'far' && lastUsedFrom === '198.51.100.7'),
    );
  });

  test('wrong secrets make the address wait from which they come, not the proxy', async () => {
    const guess = (from: string): Promise<Response> =>
      fetch(`${all.service.url}/v1/messages`, { headers: { authorization: 'Bearer a-guess', 'x-forwarded-for': from } });
    for (let i = 0; i < 6; i++) expect((await guess('203.0.113.1')).status).toBe(401);
    expect((await guess('203.0.113.1')).status).toBe(429);
    expect((await guess('203.0.113.2')).status).toBe(401);
  });

  test('the scheme that it names makes the cookie of a session secure', async () => {
    const signIn = async (proto: string): Promise<string> => {
      const token = (await all.service.signInLink()).split('#token=')[1] ?? '';
      const response = await fetch(`${all.service.url}/console/session`, {
        method: 'POST',
        headers: {
          'content-type': 'application/json',
          'verbalis-console': '1',
          'x-forwarded-proto': proto,
          'x-forwarded-host': 'mail.saltmarsh-ferries.example',
          origin: 'https://mail.saltmarsh-ferries.example',
        },
        body: JSON.stringify({ token }),
      });
      expect(response.status).toBe(200);
      return response.headers.get('set-cookie') ?? '';
    };
    expect(await signIn('https')).toContain('Secure');
    expect(await signIn('http')).not.toContain('Secure');
  });
});

test('a link to sign in is made for operators when they ask, and opens the console once', async () => {
  const { url } = await createClient({ url: all.service.url, key: OPERATOR }).session.link();
  expect(url).toMatch(/^http:\/\/127\.0\.0\.1:\d+\/sign-in#token=[\w-]{40,}$/);
  const use = (): Promise<Response> =>
    fetch(`${all.service.url}/console/session`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', 'verbalis-console': '1' },
      body: JSON.stringify({ token: url.split('#token=')[1] }),
    });
  expect((await use()).status).toBe(200);
  expect((await use()).status).toBe(401);
  const { key } = await operator.keys.add({ name: 'manager', scopes: ['manage'] });
  await expect(createClient({ url: all.service.url, key, tries: 1 }).session.link()).rejects.toThrow(RefusedError);
});
