import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient } from '@verbalis/client';
import { booking, OPERATOR, startTestService, type TestService } from './support/service.js';

let all: TestService;
beforeAll(async () => {
  all = await startTestService({ change: { limits: { bodyBytes: 1_000_000 } } });
});
afterAll(() => all.stop());

interface ProblemBody {
  type: string;
  title: string;
  status: number;
  detail?: string;
  hint?: string;
  problems?: { path: string; message: string; hint?: string }[];
}

async function ask(method: string, path: string, body?: unknown, headers: Record<string, string> = {}) {
  const response = await fetch(all.service.url + path, {
    method,
    headers: { authorization: `Bearer ${all.key}`, 'content-type': 'application/json', ...headers },
    ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }),
  });
  const text = await response.text();
  return {
    status: response.status,
    type: response.headers.get('content-type') ?? '',
    headers: response.headers,
    body: (text === '' ? {} : JSON.parse(text)) as ProblemBody & Record<string, any>,
  };
}

const good = booking('asa@post.example');
const count = async () => (await all.client.messages.list({ limit: 200 })).messages.length;

test('an idle connection stays open for longer than proxies and clients keep theirs', async () => {
  expect((await ask('GET', '/v1/messages')).headers.get('keep-alive')).toBe('timeout=75');
});

describe('bad requests are refused with every fault at once, and nothing is stored', () => {
  // body, the paths of the faults, a piece of message or hint
  const cases: [string, unknown, string[], string][] = [
    ['wrong types', { template: 7, to: 'asa@post.example', data: [] }, ['template', 'to', 'data'], 'must be a'],
    ['missing fields', {}, ['to'], 'is missing'],
    ['an unknown field', { ...good, subjekt: 'x', referense: 'y' }, ['subjekt', 'referense'], 'Did you mean "reference"?'],
    ['no recipients', { ...good, to: [] }, ['to'], 'at least one'],
    ['a line break in an address', { ...good, to: ['asa@post.example\r\nBcc: x@y.example'] }, ['to[0]'], 'line break'],
    ['a line break in a name', { ...good, to: [{ name: 'a\r\nb', address: 'asa@post.example' }] }, ['to[0].name'], 'line break'],
    ['wrong addresses', { ...good, to: ['asa', 'a@b.example', { address: 'x y@z.example' }] }, ['to[0]', 'to[2].address'], 'no address'],
    ['a recipient twice', { ...good, to: ['asa@post.example', 'asa@POST.example'] }, ['to[1]'], 'second time'],
    ['a line break in a reference', { ...good, reference: 'a\nb' }, ['reference'], 'line breaks'],
    ['an unknown template', { ...good, template: 'booking-confirm' }, ['template'], 'Did you mean "booking-confirmed"?'],
    [
      'data that does not fit',
      { ...good, data: { ...good.data, passenger: { givenname: 'x' }, booking: { ...good.data.booking, total: '12' } } },
      ['data.passenger.givenname', 'data.booking.total'],
      'Did you mean "givenName"?',
    ],
    [
      'data that makes a link of a forbidden scheme',
      { ...good, data: { ...good.data, links: { manage: 'javascript:alert(1)' } } },
      ['data'],
      'cannot link',
    ],
    [
      'data that nests without end',
      `{"template":"booking-confirmed","to":["asa@post.example"],"data":{"a":${'['.repeat(50_000)}${']'.repeat(50_000)}}}`,
      [''],
      'nests deeper',
    ],
    [
      'an amount in an unknown currency',
      { ...good, data: { ...good.data, booking: { ...good.data.booking, currency: 'QQQ' } } },
      ['data.booking.currency'],
      'must be a valid currency',
    ],
  ];
  test.each(cases)('%s', async (_name, body, paths, words) => {
    const before = await count();
    const answer = await ask('POST', '/v1/messages', body);
    expect(answer.status).toBe(422);
    expect(answer.type).toContain('application/problem+json');
    expect(answer.body.problems?.map((problem) => problem.path)).toEqual(paths);
    expect(JSON.stringify(answer.body.problems).replaceAll('\\"', '"')).toContain(words);
    expect(await count()).toBe(before);
  });

  test('CR and LF in data come out on one line of the subject', async () => {
    const sailing = { ...good.data.sailing, from: 'Brack\r\nBcc: x@y.example\r\nwater' };
    const { id } = await all.client.messages.send({ ...good, data: { ...good.data, sailing } });
    await all.ended(id, 'accepted');
    const mail = await all.client.messages.mail(id);
    expect(mail.subject).toBe('Booking SM-1042: Brack Bcc: x@y.example water to Tern Island');
    expect(mail.headers.map((header) => header.name)).not.toContain('bcc');
  });
});

describe('who may', () => {
  test.each([
    ['no key', { authorization: '' }, 401, 'keys add'],
    ['a wrong key', { authorization: 'Bearer verbalis-nonsense' }, 401, 'cut or a space'],
    ['an unknown space', { authorization: `Bearer ${OPERATOR}`, 'verbalis-space': 'harbor' }, 404, 'harbour'],
    ['a key without the scope', {}, 403, 'send'],
  ])('%s', async (name, headers, status, words) => {
    const path = name.includes('scope') ? '/v1/keys' : '/v1/messages';
    const answer = await ask('POST', path, name.includes('scope') ? { name: 'x', scopes: ['read'] } : good, headers);
    expect(answer.status).toBe(status);
    expect(JSON.stringify(answer.body)).toContain(words);
  });

  test('a key sees its own space only', async () => {
    const drydock = createClient({ url: all.service.url, key: OPERATOR, space: 'drydock' });
    const { id } = await drydock.messages.send(good);
    expect((await ask('GET', `/v1/messages/${id}`)).status).toBe(404);
    expect((await ask('GET', `/v1/messages/${id}`, undefined, { 'verbalis-space': 'drydock' })).status).toBe(403);
  });
});

test.each([
  ['a body that is no JSON', '{"template": }', 400, 'Line 1, column 14: a value is expected here'],
  ['a body over the limit', JSON.stringify({ data: 'x'.repeat(1_100_000) }), 413, 'limits.bodyBytes'],
])('%s', async (_name, body, status, words) => {
  const answer = await ask('POST', '/v1/messages', body);
  expect(answer.status).toBe(status);
  expect(JSON.stringify(answer.body)).toContain(words);
});

test('an address that is none, a message that is none, a filter that is none', async () => {
  expect((await ask('GET', '/v1/mesages')).body).toMatchObject({ status: 404, type: 'urn:verbalis:problem:not-found' });
  expect((await ask('GET', '/v1/messages/m0')).body.detail).toContain('harbour');
  expect((await ask('GET', '/v1/messages?stat=failed')).body.problems).toEqual([
    { path: 'stat', message: 'is not a field here', hint: 'Did you mean "state"?' },
  ]);
  expect((await ask('GET', '/v1/messages?limit=0')).status).toBe(422);
});

describe('the same idempotency key', () => {
  const post = (key: string, body: unknown) => ask('POST', '/v1/messages', body, { 'idempotency-key': key });
  test('with the same body gives the first answer, also at the same time', async () => {
    const answers = await Promise.all([1, 2, 3, 4].map(() => post('one', good)));
    expect(new Set(answers.map((answer) => answer.body['id'])).size).toBe(1);
    expect(answers.map((answer) => answer.status)).toEqual([202, 202, 202, 202]);
    expect(answers[0]!.headers.get('location')).toBe(`/v1/messages/${answers[0]!.body['id'] as string}`);
  });
  test('with another body is refused', async () => {
    await post('two', good);
    expect((await post('two', { ...good, reference: 'other' })).body).toMatchObject({
      status: 409,
      type: 'urn:verbalis:problem:idempotency-conflict',
    });
    expect((await post('two words', good)).status).toBe(400);
  });
});

test('pages are stable and filters find', async () => {
  for (const n of [1, 2, 3, 4, 5]) await all.client.messages.send(booking(`page${n}@post.example`, `SM-700${n}`));
  const first = await all.client.messages.list({ limit: 2 });
  await all.client.messages.send(good);
  const second = await all.client.messages.list({ limit: 2, cursor: first.nextCursor });
  expect([...first.messages, ...second.messages].map(({ reference }) => reference)).toEqual(['SM-7005', 'SM-7004', 'SM-7003', 'SM-7002']);
  expect((await all.client.messages.list({ address: 'page3@post.example' })).messages.map((message) => message.reference)).toEqual([
    'SM-7003',
  ]);
  expect((await all.client.messages.list({ reference: 'SM-7004', template: 'booking-confirmed' })).messages).toHaveLength(1);
});

test('the OpenAPI document describes what is there', async () => {
  const document = (await ask('GET', '/v1/openapi.json')).body;
  expect(document['openapi']).toBe('3.1.0');
  expect(Object.keys(document['paths'])).toContain('/v1/messages');
});

describe('the console’s session', () => {
  const session = (method: string, body?: unknown, headers: Record<string, string> = {}) =>
    ask(method, '/console/session', body, { authorization: '', 'verbalis-console': '1', ...headers });
  const cookieOf = (answer: Awaited<ReturnType<typeof session>>) => (answer.headers.get('set-cookie') ?? '').split(';')[0]!;

  test('a secret or a one-time token opens it; the cookie is out of a script’s reach', async () => {
    expect((await session('POST', { secret: 'wrong' })).status).toBe(401);
    const answer = await session('POST', { secret: OPERATOR });
    expect(answer.body['spaces']).toEqual([
      { name: 'harbour', mode: 'deliver', role: 'operator', content: true },
      { name: 'drydock', mode: 'capture', role: 'operator', content: true },
    ]);
    expect(answer.headers.get('set-cookie')).toMatch(/HttpOnly; SameSite=Strict/);
    const token = (await all.service.signInLink()).split('#token=')[1];
    expect((await session('POST', { token })).status).toBe(200);
    expect((await session('POST', { token })).status).toBe(401);
  });

  test('what another site asks for is refused', async () => {
    const cookie = cookieOf(await session('POST', { secret: OPERATOR }));
    const post = (headers: Record<string, string>) =>
      ask('POST', '/v1/messages', good, { authorization: '', 'verbalis-space': 'harbour', cookie, ...headers });
    expect((await post({})).status).toBe(403);
    expect((await post({ 'verbalis-console': '1', origin: 'https://elsewhere.example' })).status).toBe(403);
    expect((await post({ 'verbalis-console': '1', 'sec-fetch-site': 'cross-site' })).status).toBe(403);
    expect((await post({ 'verbalis-console': '1' })).status).toBe(202);
    expect((await session('DELETE', undefined, { cookie })).status).toBe(204);
    expect((await post({ 'verbalis-console': '1' })).status).toBe(401);
  });

  test('guessing is slowed down', async () => {
    const tries = await Promise.all(Array.from({ length: 12 }, () => session('POST', { secret: 'guess' })));
    expect(tries.some((attempt) => attempt.status === 429 && attempt.headers.get('retry-after') === '1')).toBe(true);
  });
});

describe('the language of an email', () => {
  test.each([
    ['fr', 'fr', undefined],
    ['FR', 'fr', undefined],
    ['fr-CA', 'fr', undefined],
    ['mt-MT', 'en', 'mt-MT'],
    ['ja', 'en', 'ja'],
  ])('%s: the mail is in %s', async (asked, locale, localeAsked) => {
    const { status, body } = await ask('POST', '/v1/messages', { ...good, locale: asked });
    expect([status, body['locale'], body['localeAsked']]).toEqual([202, locale, localeAsked]);
    expect((await ask('GET', `/v1/messages/${String(body['id'])}`)).body['localeAsked']).toBe(localeAsked);
  });
  test.each([
    ['de_DE', 'did you mean "de-DE"?'],
    ['!', 'must be a BCP 47 tag'],
    ['zz-ZZ', 'there is no language "zz"'],
    ['en-QQ', 'there is no region "QQ"'],
    ['english', 'there is no language "english"'],
  ])('%s is refused', async (locale, words) => {
    const { status, body } = await ask('POST', '/v1/messages', { ...good, locale });
    expect(status).toBe(422);
    expect(body.problems).toEqual([expect.objectContaining({ path: 'locale', message: expect.stringContaining(words) })]);
  });
});
