import { createServer, type Server } from 'node:http';
import { connect, type AddressInfo } from 'node:net';
import { gzipSync } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import express from 'express';
import { pino } from 'pino';
import * as z from 'zod';
import {
  bytesBody,
  content,
  empty,
  endpointRoutes,
  endpointsOf,
  invalid,
  json,
  jsonBody,
  NumberCursor,
  problemHandler,
  Refusal,
  Reply,
  serve,
  textParams,
  type Caller,
} from './index.js';

interface Notes {
  readonly notes: Map<string, string>;
}
const endpoint = endpointsOf<Notes>();
const Note = z.strictObject({ text: z.string().min(2), to: z.array(z.string()).default([]) });
const ENDPOINTS = [
  endpoint({
    name: 'notes.list',
    method: 'get',
    path: '/v1/notes',
    summary: 'Notes',
    scope: 'read',
    query: z.strictObject({ cursor: NumberCursor, limit: z.coerce.number().int().max(5).default(5) }),
    answers: { 200: json('All.', z.object({ notes: z.array(z.string()), cursor: z.number().optional() })) },
    run: ({ query: { cursor } }, { notes }) => ({ notes: [...notes.values()], cursor }),
  }),
  endpoint({
    name: 'notes.add',
    method: 'post',
    path: '/v1/notes',
    summary: 'Add a note',
    scope: 'write',
    body: jsonBody(Note),
    answers: { 201: json('Added.', z.object({ id: z.string() })) },
    check: ({ body }) => refuseAddresses(body.to),
    run({ body: { text, to } }, { notes }) {
      refuseAddresses(to);
      notes.set(String(notes.size), text);
      return new Reply({ id: String(notes.size - 1) }, { headers: { Location: '/x' } });
    },
  }),
  endpoint({
    name: 'notes.batch',
    method: 'post',
    path: '/v1/notes/batch',
    summary: 'Many, as bytes',
    scope: 'write',
    body: bytesBody<Notes>(['text/plain'], () => 10),
    answers: { 200: content('How many bytes.', 'text/plain') },
    run: ({ body }) => new Reply(String(body.length)),
  }),
  endpoint({
    name: 'notes.get',
    method: 'get',
    path: '/v1/notes/{id}',
    summary: 'A note',
    scope: 'read',
    params: textParams('id'),
    answers: { 200: json('It.', z.object({ text: z.string() })) },
    run({ params: { id } }, { notes }) {
      const text = notes.get(id);
      if (text === undefined) throw new Refusal(404, 'unknown-note', 'There is no such note');
      return { text };
    },
  }),
  endpoint({
    name: 'notes.remove',
    method: 'delete',
    path: '/v1/notes/{id}',
    summary: 'Remove a note',
    scope: 'write',
    params: textParams('id'),
    answers: { 204: empty('Removed.') },
    run({ params: { id } }, { notes }) {
      notes.delete(id);
      return undefined;
    },
  }),
];

function refuseAddresses(to: readonly string[]): void {
  const bad = to.flatMap((address, i) => (address.includes('@') ? [] : [{ path: `to[${i}]`, message: 'is not a valid address' }]));
  if (bad.length > 0) throw invalid(bad);
}

const notes = new Map<string, string>();
const reader: Caller = {
  space: 'harbour',
  scopes: new Set(['read']),
  operator: false,
  actor: { kind: 'key', id: 'k1', name: 'shop' },
  readsContent: true,
};
const writer: Caller = {
  space: 'harbour',
  scopes: new Set(['read', 'write']),
  operator: false,
  actor: { kind: 'key', id: 'k1', name: 'shop' },
  readsContent: true,
};
let server: Server;
let base = '';
beforeAll(async () => {
  const app = express();
  app.set('etag', false);
  const { direct, router } = endpointRoutes({
    endpoints: serve(ENDPOINTS, { notes }),
    access: (request) => {
      const { authorization } = request.headers;
      if (authorization === undefined) throw new Refusal(401, 'no-key', 'A key is needed');
      return authorization === 'reader' ? reader : writer;
    },
    bodyBytes: 1000,
  });
  app.use(direct);
  app.use(router);
  app.use(problemHandler(pino({ level: 'silent' })));
  server = createServer(app).listen(0, '127.0.0.1');
  await new Promise((resolve) => server.once('listening', resolve));
  base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => {
  server.closeAllConnections();
  server.close();
});

const ask = async (method: string, path: string, body?: string, headers: Record<string, string> = {}) => {
  const response = await fetch(base + path, {
    method,
    headers: { authorization: 'writer', ...(body === undefined ? {} : { 'content-type': 'application/json' }), ...headers },
    ...(body === undefined ? {} : { body }),
  });
  return { status: response.status, headers: response.headers, text: await response.text() };
};
const problems = (text: string): unknown => (JSON.parse(text) as { problems?: unknown }).problems;

describe('an endpoint', () => {
  test('answers with its first status, its headers and its media type', async () => {
    const { status, headers, text } = await ask('POST', '/v1/notes', '{"text":"low tide"}');
    expect([status, headers.get('location'), headers.get('content-type'), text]).toEqual([
      201,
      '/x',
      'application/json; charset=utf-8',
      '{"id":"0"}',
    ]);
    expect((await ask('DELETE', '/v1/notes/9')).status).toBe(204);
    const bytes = await ask('POST', '/v1/notes/batch', 'abc', { 'content-type': 'text/plain' });
    expect([bytes.status, bytes.headers.get('content-type'), bytes.text]).toEqual([200, 'text/plain; charset=utf-8', '3']);
  });

  test('is kept from those who may not use it, before its body is read', async () => {
    expect((await ask('POST', '/v1/notes', '{', { authorization: 'reader' })).status).toBe(403);
    expect((await fetch(`${base}/v1/notes`)).status).toBe(401);
  });

  test('says which methods its address has (RFC 9110, 15.5.6)', async () => {
    const list = await ask('PUT', '/v1/notes', '{}');
    expect([list.status, list.headers.get('allow')]).toEqual([405, 'GET, HEAD, POST']);
    // "batch" is no id.
    expect((await ask('GET', '/v1/notes/batch')).headers.get('allow')).toBe('POST');
  });

  test('says which media types it takes', async () => {
    const given = await ask('POST', '/v1/notes', 'a=b', { 'content-type': 'application/x-www-form-urlencoded' });
    expect([given.status, JSON.parse(given.text)]).toMatchObject([415, { hint: 'Send application/json.' }]);
    expect((await ask('POST', '/v1/notes', '{"text":"ab"}', { 'content-type': 'application/merge-patch+json' })).status).toBe(201);
    expect((await ask('POST', '/v1/notes/batch', '{}')).status).toBe(415);
  });

  test('names its limit when a body is too large', async () => {
    const large = await ask('POST', '/v1/notes/batch', 'x'.repeat(11), { 'content-type': 'text/plain' });
    expect([large.status, JSON.parse(large.text)]).toMatchObject([413, { detail: 'A request to this address has at most 10 bytes.' }]);
    expect((await ask('POST', '/v1/notes', JSON.stringify({ text: 'x'.repeat(1000) }))).status).toBe(413);
  });

  test('reads a body however it comes', async () => {
    const text = '{"text":"low tide"}';
    const bodies: [string, Record<string, string>, Buffer | ReadableStream][] = [
      ['with the charset', { 'content-type': 'application/json; charset=utf-8' }, Buffer.from(text)],
      ['with a byte order mark', {}, Buffer.from(`\uFEFF${text}`)],
      ['compressed', { 'content-encoding': 'gzip' }, gzipSync(text)],
      ['in pieces, without its length', {}, new Blob([text]).stream()],
      ['in UTF-16', { 'content-type': 'application/json; charset=utf-16le' }, Buffer.from(text, 'utf16le')],
    ];
    for (const [how, headers, body] of bodies) {
      const init = { method: 'POST', headers: { authorization: 'writer', 'content-type': 'application/json', ...headers } };
      const answer = await fetch(`${base}/v1/notes`, { ...init, body: body as Uint8Array<ArrayBuffer>, duplex: 'half' } as RequestInit);
      expect([how, answer.status]).toEqual([how, 201]);
    }
    // What is read in another way is refused in the same words.
    const broken = async (headers: Record<string, string>, body: Buffer) =>
      (
        await fetch(`${base}/v1/notes`, {
          method: 'POST',
          headers: { authorization: 'writer', 'content-type': 'application/json', ...headers },
          body: new Uint8Array(body),
        })
      ).text();
    expect(await broken({ 'content-encoding': 'gzip' }, gzipSync('{"text": tide}'))).toBe(await broken({}, Buffer.from('{"text": tide}')));
    expect(await broken({ 'content-encoding': 'gzip' }, gzipSync(`"${'x'.repeat(2000)}"`))).toBe(
      await broken({}, Buffer.from(`"${'x'.repeat(2000)}"`)),
    );
  });

  test('that is cut off on its way is not run, and holds nothing', async () => {
    const before = notes.size;
    const socket = connect(Number(new URL(base).port), '127.0.0.1');
    await new Promise<void>((done) => socket.once('connect', done));
    const ended = new Promise<void>((done) => socket.once('close', () => done()));
    socket.resume();
    socket.write(
      'POST /v1/notes HTTP/1.1\r\nHost: x\r\nAuthorization: writer\r\nContent-Type: application/json\r\nContent-Length: 90\r\n\r\n{"text":',
    );
    socket.end();
    await ended;
    expect((await ask('POST', '/v1/notes', '{"text":"ab"}')).status).toBe(201);
    expect(notes.size).toBe(before + 1);
  });

  test('answers HEAD like GET, without the body', async () => {
    const head = await ask('HEAD', '/v1/notes/0');
    expect([head.status, head.headers.get('content-length'), head.text]).toEqual([200, '19', '']);
  });
});

describe('faults', () => {
  test('are all named at once, of the query and of the body', async () => {
    const { status, text } = await ask('GET', '/v1/notes?limit=9&colour=red');
    expect([status, problems(text)]).toMatchObject([422, [{ path: 'limit' }, { path: 'colour', message: 'is not a field here' }]]);
  });

  test('of meaning are named beside a field that is not known', async () => {
    const { status, text } = await ask('POST', '/v1/notes', '{"text":"tide","to":["a@b","x"],"form":1}');
    expect([status, problems(text)]).toMatchObject([422, [{ path: 'form' }, { path: 'to[1]', message: 'is not a valid address' }]]);
    expect(JSON.parse(text)).toMatchObject({
      detail: 'The request has 2 problems: "form" is not a field here; "to[1]" is not a valid address.',
    });
  });

  test('of a broken cursor are a request that cannot be read', async () => {
    expect((await ask('GET', '/v1/notes?cursor=%00')).status).toBe(400);
    expect(JSON.parse((await ask('GET', '/v1/notes?cursor=zz&space=harbour')).text)).toMatchObject({ cursor: 1295 });
  });

  test('of JSON name the place; nothing that nests without end is read', async () => {
    expect(JSON.parse((await ask('POST', '/v1/notes', '{\n"text": tide}')).text)).toMatchObject({
      status: 400,
      detail: expect.stringContaining('Line 2'),
    });
    expect((await ask('POST', '/v1/notes', '['.repeat(400) + ']'.repeat(400))).status).toBe(422);
  });
});

describe('what a client holds already', () => {
  test('is not sent again', async () => {
    const tag = (await ask('GET', '/v1/notes/0')).headers.get('etag') ?? '';
    const again = await ask('GET', '/v1/notes/0', undefined, { 'if-none-match': `"other", W/${tag}` });
    expect([again.status, again.text, again.headers.get('etag')]).toEqual([304, '', tag]);
    notes.set('0', 'high tide');
    expect((await ask('GET', '/v1/notes/0', undefined, { 'if-none-match': tag })).status).toBe(200);
  });

  test('of a list is always sent, and compressed when it is large', async () => {
    expect((await ask('GET', '/v1/notes')).headers.get('etag')).toBe(null);
    notes.set('large', 'tide '.repeat(4000));
    const { headers, text } = await ask('GET', '/v1/notes', undefined, { 'accept-encoding': 'gzip' });
    expect([headers.get('content-encoding'), text.length > 20_000]).toEqual(['gzip', true]);
  });
});
