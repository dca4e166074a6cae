import { createRequire } from 'node:module';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { openApiDocument } from '@verbalis/service/endpoints';
import { booking, OPERATOR, ROOT, startTestService, until, type TestService } from './support/service.js';

// What the OpenAPI document promises of each answer holds, and what it does not name is not there.

interface Operation {
  readonly operationId: string;
  readonly security?: readonly unknown[];
  readonly responses: Readonly<Record<string, { readonly content?: Readonly<Record<string, { readonly schema: object }>> }>>;
}
const METHODS = ['get', 'post', 'put', 'patch', 'delete'] as const;
const document = openApiDocument() as unknown as {
  paths: Record<string, Partial<Record<(typeof METHODS)[number], Operation>>>;
  components: object;
};
const operations = Object.entries(document.paths).flatMap(([path, methods]) =>
  METHODS.flatMap((method) => {
    const operation = methods[method];
    return operation === undefined ? [] : [{ path, method, operation }];
  }),
);

// Formats are said for people; the service itself checks what it takes.
interface Validator {
  (value: unknown): boolean;
  readonly errors: unknown;
}
const { default: Ajv } = createRequire(join(ROOT, 'packages/core/package.json'))('ajv/dist/2020.js') as {
  default: new (options: object) => { addSchema: (schema: object) => void; compile: (schema: object) => Validator };
};
const ajv = new Ajv({ strict: false, validateFormats: false, allErrors: true });
ajv.addSchema({ $id: 'document', components: document.components });
/** References within the document, as references to it. */
const within = (schema: object): object =>
  JSON.parse(JSON.stringify(schema).replaceAll('"#/components/', '"document#/components/')) as object;

let all: TestService;
let client: Client;
const ids: Record<string, string> = {};
beforeAll(async () => {
  all = await startTestService({
    script: { 'bounced@post.example': 'report-failed' },
    change: { outside: { allow: ['127.0.0.1'] }, alerts: { any: { of: ['failed'], count: 1, least: 1 } } },
  });
  client = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
  const { id } = await client.messages.send({ ...booking('bounced@post.example', 'SM-8801'), labels: { till: '4' } });
  await all.ended(id, 'failed');
  const message = await client.messages.get(id);
  const drydock = createClient({ url: all.service.url, key: OPERATOR, space: 'drydock' });
  await drydock.messages.send(booking('asa@post.example', 'SM-8802'));
  const captured = await until(async () => (await drydock.captured.list({})).captured[0]);
  const { id: subscription } = await client.subscriptions.add({ url: 'http://127.0.0.1:9/', handshake: false, name: 'nobody' });
  const back = await until(async () => (await client.returns.list({})).returns[0]);
  const { id: suppression } = await client.suppressions.list({}).then(({ suppressions }) => suppressions[0] ?? { id: '' });
  Object.assign(ids, {
    '/v1/messages/{id}': id,
    '/v1/deliveries/{id}': message.deliveries[0]?.id,
    '/v1/captured/{id}': captured.id,
    '/v1/subscriptions/{id}': subscription,
    '/v1/returns/{id}': back.id,
    '/v1/suppressions/{id}': suppression,
    '/v1/templates/{name}': 'booking-confirmed',
    '/v1/editions/{number}': '1',
    '/v1/events/schemas/{name}': 'delivery',
  });
  await until(async () => ((await client.figures.get()).total.created > 0 ? true : undefined));
});
afterAll(() => all.stop());

/** An address of a path, with what stands for its parameters; undefined where nothing does. */
function addressOf(path: string): { url: string; space: string } | undefined {
  const known = Object.entries(ids).find(([start]) => path === start || path.startsWith(`${start}/`));
  const [start, id] = known ?? [undefined, undefined];
  const filled = start === undefined ? path : path.replace(start, start.replace(/\{[^}]+\}/, encodeURIComponent(id ?? '')));
  if (filled.includes('{') || /\/(?:stream|wait|follow)$/.test(filled)) return undefined;
  return { url: filled, space: path.startsWith('/v1/captured') ? 'drydock' : 'harbour' };
}

const ask = (method: string, url: string, headers: Record<string, string>, body?: string) =>
  fetch(all.service.url + url, {
    method: method.toUpperCase(),
    headers: { 'content-type': 'application/json', ...headers },
    ...(body === undefined ? {} : { body }),
  });
const operator = (space: string) => ({ authorization: `Bearer ${OPERATOR}`, 'verbalis-space': space });

const QUERIES: Readonly<Record<string, string>> = { '/v1/search': '?q=SM-8801', '/v1/consents': '?address=asa@post.example' };

describe('an answer is what the document says', () => {
  test.each(operations.filter(({ method }) => method === 'get').map((operation) => [operation.operation.operationId, operation] as const))(
    '%s',
    async (_name, { path, operation }) => {
      const address = addressOf(path);
      // What needs a file's path or never ends is looked at by tests of its own.
      const isStream = Object.values(operation.responses).some(({ content }) => content?.['text/event-stream'] !== undefined);
      if (address === undefined || isStream) return;
      const response = await ask('get', `${address.url}${QUERIES[path] ?? ''}`, operator(address.space));
      const text = await response.text();
      const described = operation.responses[String(response.status)];
      if (response.status === 422 || response.status === 400) throw new Error(`${path}: ${text}`);
      expect({
        path,
        status: response.status,
        isDescribed: described !== undefined || operation.responses['default'] !== undefined,
      }).toEqual({
        path,
        status: response.status,
        isDescribed: true,
      });
      const content = (described ?? operation.responses['default'])?.content ?? {};
      const type = (response.headers.get('content-type') ?? '').split(';')[0] ?? '';
      const schema = content[type]?.schema;
      if (type !== 'application/json' && type !== 'application/problem+json') return;
      expect({ path, type, schema: schema !== undefined }).toEqual({ path, type, schema: true });
      const fits = ajv.compile(within(schema as object));
      const good = fits(JSON.parse(text));
      expect({ path, good, errors: fits.errors }).toEqual({ path, good: true, errors: null });
    },
  );
});

describe('who may not ask is told so, as a problem', () => {
  test.each(
    operations
      .filter(({ operation, path }) => operation.security === undefined && path.startsWith('/v1/'))
      .map((operation) => [operation.operation.operationId, operation] as const),
  )('%s', async (_name, { path, method }) => {
    const url = path.replace(/\{[^}]+\}/g, 'x');
    for (const headers of [{}, { authorization: 'Bearer verbalis-wrong' }] as Record<string, string>[]) {
      const response = await ask(method, url, headers, method === 'get' || method === 'delete' ? undefined : '{}');
      const text = await response.text();
      expect({ path, status: response.status }).toEqual({ path, status: 401 });
      expect(response.headers.get('content-type')).toContain('application/problem+json');
      expect(JSON.parse(text)).toMatchObject({ status: 401, title: expect.any(String), hint: expect.any(String) });
    }
  });
});

describe('what is not there is told so', () => {
  test.each(operations.filter(({ path, method }) => method === 'get' && /\{(?:id|name|number)\}$/.test(path)).map(({ path }) => [path]))(
    '%s',
    async (path) => {
      const response = await ask('get', path.replace(/\{[^}]+\}/g, '99999'), operator('harbour'));
      expect({ path, status: response.status }).toEqual({ path, status: 404 });
      expect(await response.json()).toMatchObject({ title: expect.any(String) });
    },
  );

  test('an address that the document does not name', async () => {
    const response = await ask('get', '/v1/nothing-here', operator('harbour'));
    expect(response.status).toBe(404);
    expect(await response.json()).toMatchObject({ hint: expect.stringContaining('openapi.json') });
  });
});

test('every list takes its space in the query, as links do, and shows no other', async () => {
  for (const list of [
    'messages',
    'returns',
    'suppressions',
    'events',
    'subscriptions',
    'figures',
    'alerts',
    'captured',
    'editions',
    'templates',
    'queue',
    'providers',
  ]) {
    const response = await ask('get', `/v1/${list}?space=drydock`, { authorization: `Bearer ${OPERATOR}` });
    expect({ list, status: response.status }).toEqual({ list, status: 200 });
    expect({ list, leaks: (await response.text()).includes('SM-8801') }).toEqual({ list, leaks: false });
  }
});

test('every operation has a name of its own, a summary, and an answer for what goes wrong', () => {
  const names = operations.map(({ operation }) => operation.operationId);
  expect(new Set(names).size).toBe(names.length);
  for (const { path, operation } of operations) {
    expect({ path, summary: (operation as { summary?: string }).summary }).toEqual({ path, summary: expect.any(String) });
    expect({ path, answers: Object.keys(operation.responses).some((status) => /^(?:2|3)/.test(status)) }).toEqual({ path, answers: true });
  }
});
