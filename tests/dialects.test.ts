import { createHmac, generateKeyPairSync, sign } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import { createServer as createSecureServer } from 'node:https';
import type { AddressInfo, Server } from 'node:net';
import { join } from 'node:path';
import { afterAll, beforeAll, describe as group, expect, test } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { startHttpProvider, type HttpSimulator } from '@verbalis/simulators';
import { freePort } from './support/postfix.js';
import { makeCertificates } from './support/secure.js';
import { booking, DEMO_FOLDER, OPERATOR, ROOT, startTestService, temporaryFolder, until, type TestService } from './support/service.js';

// Six invented HTTP mail APIs that have nothing in common, each described by YAML alone, spoken to over sockets in both directions.
const NAMES = ['parcel', 'postbox', 'slip', 'ledger', 'courier', 'teletype'] as const;
const PROFILES: Readonly<Record<(typeof NAMES)[number], string>> = {
  parcel: join(ROOT, 'demo/profiles/packet-api'),
  postbox: join(ROOT, 'tests/profiles/postbox'),
  slip: join(ROOT, 'demo/profiles/harbour-box'),
  ledger: join(ROOT, 'tests/profiles/ledger'),
  courier: join(ROOT, 'tests/profiles/courier'),
  teletype: join(ROOT, 'tests/profiles/teletype'),
};
const SCRIPT = { 'bounced@post.example': 'report-failed', 'fine@post.example': 'report-delivered', 'mira@post.example': 'refuse' } as const;
const SEALING = 'what only the provider knows';
const KEY = 'sesame-opens';

interface Asked {
  readonly method: string;
  readonly url: string;
  readonly headers: IncomingMessage['headers'];
  readonly body: string;
}

const all: { service?: TestService; simulators: HttpSimulator[]; servers: Server[] } = { simulators: [], servers: [] };
const clients: Record<string, Client> = {};
const certificates = temporaryFolder();
const rsa = generateKeyPairSync('rsa', { modulusLength: 2048 });
const ec = generateKeyPairSync('ec', { namedCurve: 'P-256' });
const boxKeys = generateKeyPairSync('ed25519');
const pem = { type: 'spki', format: 'pem' } as const;
const courier = { asked: [] as Asked[], tokens: 0, refused: new Set<string>(), port: 0, confirmed: 0 };
const teletype = { asked: [] as Asked[], port: 0, client: '' };
let url = '';

async function listening<T extends Server>(server: T): Promise<number> {
  all.servers.push(server);
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  return (server.address() as AddressInfo).port;
}

function serving(answer: (asked: Asked, response: ServerResponse, request: IncomingMessage) => void) {
  return (request: IncomingMessage, response: ServerResponse): void => {
    const chunks: Buffer[] = [];
    request.on('data', (chunk: Buffer) => chunks.push(chunk));
    request.on('end', () => {
      const { method = '', url: path = '', headers } = request;
      answer({ method, url: path, headers, body: Buffer.concat(chunks).toString('utf8') }, response, request);
    });
  };
}

/** JSON behind an access token; its keys and its confirmation are at addresses of its own. */
function answerCourier(asked: Asked, response: ServerResponse): void {
  const json = (status: number, value: unknown): void => {
    response.writeHead(status, { 'Content-Type': 'application/json' }).end(JSON.stringify(value));
  };
  if (asked.url === '/keys') response.end(rsa.publicKey.export(pem));
  else if (asked.url === '/confirm') {
    courier.confirmed += 1;
    response.end('yes');
  } else if (asked.url === '/token') {
    // Both are form-encoded before they are put together (RFC 6749 2.3.1).
    const given = Buffer.from((asked.headers.authorization ?? '').replace('Basic ', ''), 'base64').toString();
    if (decodeURIComponent(given.replace(/\+/g, ' ')) !== `a 7:${KEY}`) {
      json(401, { error: 'invalid_client' });
      return;
    }
    courier.tokens += 1;
    json(200, { access_token: `t${courier.tokens}`, token_type: 'Bearer', expires_in: 3600 });
  } else if (courier.refused.has(asked.headers.authorization ?? '') || !/^Bearer t\d+$/.test(asked.headers.authorization ?? ''))
    json(401, {});
  else {
    courier.asked.push(asked);
    const [{ address } = { address: '' }] = (JSON.parse(asked.body) as { recipients: { address: string }[] }).recipients;
    const result = address.startsWith('mira')
      ? { address, state: 'rejected', message: 'mailbox does not exist' }
      : { address, state: 'queued', ticket: `c${courier.asked.length}` };
    json(200, { results: [{ address: 'other@post.example', state: 'queued', ticket: 'no' }, result] });
  }
}

beforeAll(async () => {
  const listen = await freePort();
  const calls = (name: string, secret: string) => ({ url: `http://127.0.0.1:${listen}/v1/callbacks/${name}`, secret, afterMs: 20 });
  const boxPrivate = boxKeys.privateKey.export({ type: 'pkcs8', format: 'pem' }).toString();
  for (const dialect of ['parcel', 'postbox', 'slip', 'ledger'] as const)
    all.simulators.push(
      await startHttpProvider({
        dialect,
        host: '127.0.0.1',
        port: 0,
        key: KEY,
        script: SCRIPT,
        callsTo: calls(dialect, dialect === 'postbox' ? boxPrivate : SEALING),
      }),
    );
  courier.port = await listening(createServer(serving(answerCourier)));
  const made = makeCertificates(certificates.path, 'localhost');
  teletype.port = await listening(
    createSecureServer(
      {
        key: readFileSync(made.keyFile),
        cert: readFileSync(made.certFile),
        ca: readFileSync(made.caFile),
        requestCert: true,
        rejectUnauthorized: true,
      },
      serving((asked, response, request) => {
        teletype.asked.push(asked);
        teletype.client = (
          request.socket as unknown as { getPeerCertificate: () => { subject: { CN: string } } }
        ).getPeerCertificate().subject.CN;
        if (asked.url.includes('mira')) response.writeHead(400).end('550 5.1.1 no such user');
        else response.end(`250 ok, queued as T${teletype.asked.length}\r\n`);
      }),
    ),
  );
  const [parcelApi, boxApi, slipApi, ledgerApi] = all.simulators;
  const at = (port: number | undefined): string => `http://127.0.0.1:${port ?? 0}`;
  const providers = {
    parcel: { request: { url: `${at(parcelApi?.port)}/v2/letters` }, secrets: { token: KEY, sealing: SEALING } },
    postbox: {
      secrets: { base: at(boxApi?.port), key: KEY },
      callbacks: { signature: { publicKey: boxKeys.publicKey.export(pem).toString() } },
    },
    slip: { request: { url: `${at(slipApi?.port)}/slips` }, secrets: { box: KEY, sealing: SEALING } },
    ledger: { secrets: { base: at(ledgerApi?.port), key: KEY, sealing: SEALING } },
    courier: { secrets: { base: at(courier.port), account: 'a 7', key: KEY } },
    teletype: {
      secrets: { port: String(teletype.port), key: KEY },
      tls: { caFile: made.caFile, certificateFile: made.certFile, keyFile: made.keyFile },
      callbacks: { signature: { publicKey: ec.publicKey.export(pem).toString() } },
    },
  };
  all.service = await startTestService({
    change: {
      listen: { port: listen },
      outside: { allow: ['127.0.0.1'] },
      providers: Object.fromEntries(NAMES.map((name) => [name, { kind: 'http', profile: PROFILES[name], ...providers[name] }])),
      spaces: Object.fromEntries(NAMES.map((name) => [name, { mode: 'deliver', mailFolder: DEMO_FOLDER, route: [name] }])),
    },
    space: 'parcel',
  });
  ({ url } = all.service.service);
  for (const space of NAMES) {
    const { key } = await createClient({ url, key: OPERATOR, space }).keys.add({ name: 'test', scopes: ['send', 'read'] });
    clients[space] = createClient({ url, key });
  }
});
afterAll(async () => {
  await all.service?.stop();
  for (const simulator of all.simulators) await simulator.close();
  for (const server of all.servers) server.close();
  certificates.remove();
});

async function sent(space: string, address: string): Promise<string> {
  const attachments = [{ name: 'Größe ✓.txt', content: Buffer.from('5 € wide').toString('base64') }];
  return (await clients[space]!.messages.send({ ...booking({ name: 'Ása Þórsdóttir', address }), attachments })).id;
}

async function ended(space: string, id: string, state: string) {
  return until(async () => {
    const [delivery] = (await clients[space]!.messages.get(id)).deliveries;
    return delivery?.state === state ? delivery : undefined;
  });
}

test.each(NAMES)('%s: accepted with an id, with an attachment; refused with its words', async (space) => {
  await ended(space, await sent(space, 'accepted@post.example'), 'accepted');
  const failed = await ended(space, await sent(space, 'mira@post.example'), 'failed');
  expect(failed.cause).toBe(space === 'slip' ? 'withheld-by-provider' : 'mailbox-unknown');
  // What a provider withholds is between it and the recipient: we ask it again.
  await ended(space, await sent(space, 'mira@post.example'), space === 'slip' ? 'failed' : 'withheld');
});

test('what the simulators have understood is what was sent', () => {
  const subject = expect.stringContaining('SM-1042') as unknown;
  for (const simulator of [all.simulators[0], all.simulators[2], all.simulators[3]])
    expect(simulator?.taken[0]).toMatchObject({ to: 'accepted@post.example', subject, attachments: [{ name: 'Größe ✓.txt', bytes: 10 }] });
  expect(all.simulators[1]?.taken[0]).toMatchObject({ to: 'accepted@post.example', subject });
  const [letter] = courier.asked;
  expect(letter?.url).toBe('/accounts/a%207/send');
  expect(JSON.parse(letter?.body ?? '{}')).toMatchObject({
    recipients: [{ address: 'accepted@post.example', name: 'Ása Þórsdóttir' }],
    files: [`data:text/plain;base64,${Buffer.from('5 € wide').toString('base64')}`],
  });
  expect(letter?.body).not.toContain('"copies"');
  expect(teletype.asked[0]).toMatchObject({
    method: 'PUT',
    url: `/queue/accepted%40post.example?key=${KEY}`,
    headers: { 'content-type': 'message/rfc822' },
    body: expect.stringMatching(/^DKIM-Signature|^[A-Z][\w-]+: /),
  });
  expect(teletype.client).toBe('localhost');
});

test.each(['parcel', 'postbox', 'slip', 'ledger'] as const)('%s calls back in its own way: delivered and failed', async (space) => {
  const fine = await sent(space, 'fine@post.example');
  const bounced = await sent(space, 'bounced@post.example');
  await ended(space, fine, 'delivered');
  expect(await ended(space, bounced, 'failed')).toMatchObject({ cause: 'mailbox-unknown' });
});

group('an access token', () => {
  test('is fetched once for many, and once more when it is refused', async () => {
    const before = courier.tokens;
    for (const id of await Promise.all(
      ['a1@post.example', 'a2@post.example', 'a3@post.example'].map((address) => sent('courier', address)),
    ))
      await ended('courier', id, 'accepted');
    expect(courier.tokens).toBe(before);
    courier.refused.add(`Bearer t${courier.tokens}`);
    const delivery = await ended('courier', await sent('courier', 'a4@post.example'), 'accepted');
    expect(delivery.attempts).toHaveLength(1);
    expect(courier.tokens).toBe(before + 1);
  });
});

group('courier calls with a signature in the body, by a key at an address', () => {
  const post = (envelope: Record<string, unknown>) =>
    fetch(`${url}/v1/callbacks/courier`, { method: 'POST', body: JSON.stringify(envelope), headers: { 'Content-Type': 'text/plain' } });
  const signed = (type: string, message: string, more: Record<string, unknown> = {}): Record<string, unknown> => {
    const time = new Date().toISOString();
    const signature = sign('sha256', Buffer.from(`${type}\n${time}\n${message}\n`), rsa.privateKey).toString('base64');
    return { Type: type, Time: time, Message: message, Signature: signature, KeyAddress: `http://127.0.0.1:${courier.port}/keys`, ...more };
  };
  test('an envelope with nested lists', async () => {
    const id = await sent('courier', 'nested@post.example');
    await ended('courier', id, 'accepted');
    const ticket = `c${courier.asked.length}`;
    const steps = [
      { id: 's1', what: 'handed', when: Date.now(), public: true },
      { id: 's2', what: 'lost', when: Date.now(), public: false },
    ];
    const response = await post(signed('News', JSON.stringify({ shipments: [{ ticket, steps }] })));
    expect([response.status, await response.json()]).toEqual([200, { events: 1 }]);
    await ended('courier', id, 'delivered');
  });
  test('an address is fetched to confirm ours, when the call is signed and the host is allowed', async () => {
    const confirm = { Address: `http://127.0.0.1:${courier.port}/confirm` };
    expect((await post({ ...signed('Confirm', ''), ...confirm, Signature: 'AAAA' })).status).toBe(401);
    expect(courier.confirmed).toBe(0);
    expect((await post(signed('Confirm', '', confirm))).status).toBe(200);
    expect(courier.confirmed).toBe(1);
    expect((await post(signed('Confirm', '', { Address: 'https://elsewhere.example/' }))).status).toBe(403);
  });
  test.each([
    ['another key', { KeyAddress: 'http://127.0.0.1.evil.example/keys' }, 'not at a host that the profile allows'],
    ['no key', { KeyAddress: undefined }, 'There is no address of a key'],
    ['an address without a key', { KeyAddress: 'http://127.0.0.1:1/keys' }, 'could not be fetched'],
    ['another message', { Message: '{"shipments":[]}' }, 'The signature is not right'],
    ['an old time', { Time: '2020-01-01T00:00:00Z' }, 'too old'],
  ])('%s is refused', async (_name, change, why) => {
    const response = await post({ ...signed('News', '{}'), ...change });
    expect([response.status, ((await response.json()) as { detail: string }).detail]).toEqual([401, expect.stringContaining(why)]);
  });
});

test('teletype proves our address by HMAC, and calls with a form, signed by ECDSA', async () => {
  const greeting = await fetch(`${url}/v1/callbacks/teletype?challenge=abc`);
  expect(await greeting.json()).toEqual({ response_token: `sha256=${createHmac('sha256', KEY).update('abc').digest('base64')}` });
  expect((await fetch(`${url}/v1/callbacks/teletype?other=abc`)).status).toBe(404);
  expect((await fetch(`${url}/v1/callbacks/ledger?challenge=abc`)).status).toBe(404);
  expect((await fetch(`${url}/v1/callbacks/nobody?challenge=abc`)).status).toBe(401);
  const id = await sent('teletype', 'wired@post.example');
  await ended('teletype', id, 'accepted');
  const body = new URLSearchParams({ event: 'OK', id: 'w1', queue: `T${teletype.asked.length}` }).toString();
  const time = String(Date.now());
  const seal = sign('sha256', Buffer.from(time + body), { key: ec.privateKey, dsaEncoding: 'ieee-p1363' }).toString('base64url');
  const call = (given: string) =>
    fetch(`${url}/v1/callbacks/teletype`, { method: 'POST', body, headers: { 'X-Time': time, 'X-Seal': given } });
  expect((await call(seal.replace(/.$/, (sign_) => (sign_ === 'A' ? 'B' : 'A')).slice(0, -4))).status).toBe(401);
  expect((await call(seal)).status).toBe(200);
  await ended('teletype', id, 'delivered');
});

group('tried, and nothing is sent', () => {
  const operator = () => createClient({ url, key: OPERATOR, space: 'parcel' });
  const recorded = (text: string): string => Buffer.from(text).toString('base64');
  test.each(NAMES)('%s: the request of a test email, without anything secret', async (name) => {
    const before = courier.asked.length + teletype.asked.length;
    const { request } = await operator().providers.try(name, { to: 'mira@post.example' });
    expect(request?.body.length).toBeGreaterThan(100);
    expect(JSON.stringify(request)).not.toContain(KEY);
    expect(JSON.stringify(request)).not.toContain(Buffer.from(`box:${KEY}`).toString('base64'));
    expect(courier.asked.length + teletype.asked.length).toBe(before);
  });
  test('of a message that was sent, an answer, a call', async () => {
    const id = await sent('parcel', 'shown@post.example');
    const { request } = await operator().providers.try('courier', { message: id });
    expect(JSON.parse(request?.body ?? '{}')).toMatchObject({
      recipients: [{ address: 'shown@post.example' }],
      files: [expect.stringMatching(/^data:text/)],
    });
    const { answer } = await operator().providers.try('slip', {
      answer: recorded('HTTP/1.1 200 OK\nVerbalis-Address: a@b.example\n\n{"results":[{"who":"a@b.example","state":"queued","slip":7}]}\n'),
    });
    expect(answer).toMatchObject({ outcome: 'accepted', providerId: '7', values: { state: 'queued' } });
    const { call } = await operator().providers.try('ledger', {
      call: recorded(
        `POST /v1/callbacks/ledger?seal=${encodeURIComponent(SEALING)} HTTP/1.1\n\n{"n":1,"sort":"bounce.soft","box":"a@b.example"}\n`,
      ),
    });
    expect(call).toMatchObject({ signature: 'right', events: [{ meaning: 'failed', cause: 'mailbox-unknown', address: 'a@b.example' }] });
    const refused = await operator().providers.try('ledger', { call: recorded('POST /x HTTP/1.1\n\nnot JSON\n') });
    expect(refused.call).toMatchObject({ signature: 'The secret is not right.', problem: 'It is not JSON.', events: [] });
  });
  test.each<[string, object, string]>([
    ['nobody', {}, 'unknown-provider'],
    ['parcel', { message: 'm01nothing' }, 'unknown-message'],
    ['parcel', { to: 'no address' }, 'invalid'],
    ['parcel', { answer: recorded('hello') }, 'invalid'],
    ['parcel', { answer: recorded('POST /x HTTP/1.1\n\n') }, 'invalid'],
  ])('%s with %j is refused', async (name, body, type) => {
    await expect(operator().providers.try(name, body)).rejects.toMatchObject({ problem: { type: expect.stringContaining(type) } });
  });
});
