import { afterAll, beforeAll, beforeEach, describe as group, expect, test } from '@jest/globals';
import { createClient, type Client, type NewPermit } from '@verbalis/client';
import { runCli } from './support/cli.js';
import { movableClock, type MovableClock } from './support/clock.js';
import { startIssuer, type Issuer } from './support/issuer.js';
import { booking, DEMO_FOLDER, OPERATOR, startTestService, type TestService } from './support/service.js';

// Emails that a browser may ask for.

const PAGE = 'https://app.saltmarsh-ferries.example';
const OTHER = 'https://pages.curlew-charters.example';
const START = Date.UTC(2026, 10, 25, 9);

let all: TestService;
let clock: MovableClock;
let issuer: Issuer;
let operator: Client;
let n = 0;

beforeAll(async () => {
  clock = movableClock(START);
  issuer = await startIssuer(() => clock.now());
  const identity = { issuer: issuer.url, jwksUrl: issuer.jwksUrl, audience: 'ferry-app' };
  const space = { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'], runaway: false };
  all = await startTestService({
    clock,
    change: {
      spaces: {
        harbour: { ...space, browser: { origins: [PAGE], identity } },
        drydock: { ...space, mode: 'capture', browser: { origins: [OTHER] } },
      },
    },
  });
  clock.busy = all.service.busy;
  operator = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
});
afterAll(async () => {
  await all.stop();
  await issuer.close();
});
beforeEach(() => {
  n += 1;
});

/** A permit for a booking of its own. */
async function permit(more: Partial<NewPermit> = {}, client = all.client) {
  const { template, data, to } = booking(`guest${n}@post.example`, `SM-${1000 + n}`);
  return client.permits.add({ template, to, data, times: 1, minutes: 15, reference: `SM-${1000 + n}`, ...more });
}

interface Answer {
  readonly status: number;
  readonly headers: Headers;
  readonly body: {
    readonly id?: string;
    readonly left?: number;
    readonly type?: string;
    readonly detail?: string;
    readonly problems?: readonly object[];
  };
}

/** What a page does. */
async function ask(body: Record<string, unknown>, headers: Record<string, string> = { origin: PAGE }): Promise<Answer> {
  const response = await fetch(`${all.service.url}/v1/permitted-messages`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', ...headers },
    body: JSON.stringify(body),
  });
  return { status: response.status, headers: response.headers, body: (await response.json()) as Answer['body'] };
}

const problem = (type: string) => `urn:verbalis:problem:${type}`;
const sent = async (reference: string): Promise<string[]> =>
  (await all.client.messages.list({ reference })).messages.flatMap(({ to }) => to.map(({ address }) => address));

group('a permit', () => {
  test('is one email, with the data that was fixed', async () => {
    const made = await permit();
    expect(made).toMatchObject({ state: 'open', times: 1, used: 0, expiresAt: new Date(clock.now() + 15 * 60_000).toISOString() });
    expect((await ask({ permit: made.permit })).body).toEqual({ id: expect.any(String), left: 0 });
    expect(await sent(`SM-${1000 + n}`)).toEqual([`guest${n}@post.example`]);
    expect(await ask({ permit: made.permit })).toMatchObject({
      status: 403,
      body: { type: problem('permit-ended'), detail: 'It was used as often as it allows.' },
    });
    expect((await all.client.permits.list()).permits[0]).toMatchObject({ id: made.id, state: 'used', used: 1 });
    // Nowhere is it written down.
    expect(JSON.stringify(await all.client.permits.list())).not.toContain(made.permit.split('.')[1]);
  });

  test('lets the browser add what it names, and nothing else', async () => {
    const { data } = booking('x@post.example');
    const { passenger, ...fixed } = data;
    const mayAdd = {
      type: 'object',
      required: ['passenger'],
      properties: { passenger: { type: 'object', properties: { givenName: { type: 'string', maxLength: 20 } } } },
    };
    const { permit: shown } = await permit({ data: fixed, mayAdd, times: 5 });
    const asked = (added: unknown) => ask({ permit: shown, data: added });
    expect(await asked({ passenger, booking: { total: 1 } })).toMatchObject({
      status: 422,
      body: { problems: [{ path: 'data.booking', message: 'cannot be added with this permit' }] },
    });
    expect(await asked({ passenger: { givenName: 'x'.repeat(21) } })).toMatchObject({
      status: 422,
      body: { problems: [{ path: 'data.passenger.givenName' }] },
    });
    expect(await asked(undefined)).toMatchObject({ status: 422, body: { problems: [{ path: 'data.passenger', message: 'is missing' }] } });
    expect(await ask({ permit: shown, data: { passenger }, to: ['mallory@post.example'] })).toMatchObject({
      status: 422,
      body: { problems: [{ path: 'to' }] },
    });
    // What would be the prototype of a record is no field of it.
    expect(await asked(JSON.parse('{"__proto__": {"booking": 7}, "passenger": {"givenName": "Ása"}}'))).toMatchObject({
      status: 202,
      body: { left: 4 },
    });
    expect(await asked({ passenger: { givenName: '<b>Ása</b>' } })).toMatchObject({ status: 202, body: { left: 3 } });
    const [message] = (await all.client.messages.list({ reference: `SM-${1000 + n}` })).messages;
    await all.ended(message!.id, 'accepted');
    expect((await all.client.messages.mail(message!.id)).html).toContain('&lt;b&gt;Ása');
  });

  test('is used as often as it allows, also at once; and the same request again is the same email', async () => {
    const { permit: shown } = await permit({ times: 3 });
    const answers = await Promise.all(Array.from({ length: 10 }, () => ask({ permit: shown })));
    expect(answers.map(({ status }) => status).sort()).toEqual([202, 202, 202, ...Array.from({ length: 7 }, () => 403)]);
    expect(await sent(`SM-${1000 + n}`)).toHaveLength(3);
    const other = await permit({ reference: 'again' });
    const same = await Promise.all(
      Array.from({ length: 5 }, () => ask({ permit: other.permit }, { origin: PAGE, 'idempotency-key': 'click-1' })),
    );
    expect(new Set(same.map(({ body }) => body.id)).size).toBe(1);
    expect((await ask({ permit: other.permit }, { origin: PAGE, 'idempotency-key': 'click-1' })).body.id).toBe(same[0]!.body.id);
    expect((await ask({ permit: other.permit }, { origin: PAGE, 'idempotency-key': 'click-2' })).status).toBe(403);
  });

  test('ends with its time, with its key, and when it is revoked', async () => {
    const late = await permit({ minutes: 5 });
    clock.jump(5 * 60_000);
    expect((await ask({ permit: late.permit })).body).toMatchObject({ type: problem('permit-ended'), detail: 'It has expired.' });
    const revoked = await permit();
    await all.client.permits.revoke(revoked.id);
    expect((await ask({ permit: revoked.permit })).body.detail).toBe('It was revoked.');
    const { key, id } = await operator.keys.add({ name: 'for a while', scopes: ['send'] });
    const keyed = await permit({}, createClient({ url: all.service.url, key }));
    await operator.keys.revoke(id);
    expect((await ask({ permit: keyed.permit })).body.detail).toBe('The key that it was made with has ended.');
    await expect(createClient({ url: all.service.url, key: OPERATOR, space: 'drydock' }).permits.revoke(late.id)).rejects.toThrow(
      /There is no/,
    );
  });

  test('cannot do what its key may not', async () => {
    const { key } = await operator.keys.add({ name: 'codes', scopes: ['send'], bounds: { templates: ['sign-in-code'] } });
    const made = await permit({}, createClient({ url: all.service.url, key }));
    expect(await ask({ permit: made.permit })).toMatchObject({ status: 422 });
    expect(await sent(`SM-${1000 + n}`)).toEqual([]);
  });

  test.each([
    ['nothing', ''],
    ['nonsense', 'x01k.nothing'],
    ['an id alone', undefined],
  ])('is not %s', async (_, shown) => {
    const { id, permit: real } = await permit();
    expect(await ask({ permit: shown ?? id })).toMatchObject({ status: 401, body: { type: problem('permit-not-valid') } });
    expect(await ask({ permit: `${real}x` })).toMatchObject({ status: 401 });
    expect((await ask({ permit: real, data: 'x'.repeat(70_000) })).status).toBe(413);
  });

  test.each<readonly [string, Partial<NewPermit>, RegExp]>([
    ['a template that is not there', { template: 'booking-confirmd' }, /no template "booking-confirmd"/],
    ['data that is not right', { data: { booking: 7 } }, /"data.booking" must be an object/],
    ['additions that are not a schema of fields', { mayAdd: { type: 'string' } }, /"mayAdd" must be a JSON Schema of type object/],
    [
      'a schema that is none',
      { mayAdd: { type: 'object', properties: { note: { type: 'sting' } } } },
      /"mayAdd" is not a valid JSON Schema/,
    ],
    [
      'what is fixed and added',
      { mayAdd: { type: 'object', properties: { sailing: {} } } },
      /"mayAdd.properties.sailing" is fixed by data/,
    ],
    ['too long', { minutes: 2000 }, /"minutes"/],
  ])('is not made for %s', async (_, more, message) => {
    await expect(permit(more)).rejects.toThrow(message);
  });
});

group('a page', () => {
  test('may ask where the space names its origin', async () => {
    const preflight = (origin: string) =>
      fetch(`${all.service.url}/v1/permitted-messages`, {
        method: 'OPTIONS',
        headers: { origin, 'access-control-request-method': 'POST', 'access-control-request-headers': 'content-type' },
      });
    const allowed = await preflight(PAGE);
    expect([
      allowed.status,
      allowed.headers.get('access-control-allow-origin'),
      allowed.headers.get('access-control-allow-methods'),
    ]).toEqual([204, PAGE, 'POST']);
    const foreign = await preflight('https://evil.example');
    expect(foreign.headers.get('access-control-allow-origin')).toBeNull();
    const made = await permit();
    expect((await ask({ permit: made.permit }, { origin: 'https://evil.example' })).body.type).toBe(problem('origin-not-allowed'));
    // One of another space may not use permits of this one.
    expect((await ask({ permit: made.permit }, { origin: OTHER })).body.type).toBe(problem('origin-not-allowed'));
    const right = await ask({ permit: made.permit });
    expect([right.status, right.headers.get('access-control-allow-origin'), right.headers.get('vary')]).toEqual([
      202,
      PAGE,
      expect.stringContaining('Origin'),
    ]);
    // A page may read why it was refused.
    expect((await ask({ permit: made.permit })).headers.get('access-control-allow-origin')).toBe(PAGE);
    // Nothing else is open to pages.
    expect(
      (await fetch(`${all.service.url}/v1/messages`, { headers: { origin: PAGE } })).headers.get('access-control-allow-origin'),
    ).toBeNull();
  });
});

group('who is signed in', () => {
  const identified = () => permit({ to: 'identity', times: 50 });

  test('gets the email, at the verified address of the token', async () => {
    const { permit: shown } = await identified();
    expect(await ask({ permit: shown, identity: await issuer.token() })).toMatchObject({ status: 202, body: { left: 49 } });
    expect(await sent(`SM-${1000 + n}`)).toEqual(['asa@post.example']);
  });

  test('is proved by a right token only', async () => {
    const { permit: shown } = await identified();
    const stranger = await startIssuer(() => clock.now());
    const asked = async (identity: string | Promise<string>) => {
      const { status, body } = await ask({ permit: shown, identity: await identity });
      return [status, body.detail];
    };
    const seconds = Math.floor(clock.now() / 1000);
    try {
      const good = await issuer.token();
      const [header = '', , signature = ''] = good.split('.');
      const forged = Buffer.from(
        JSON.stringify({ iss: issuer.url, aud: 'ferry-app', exp: seconds + 300, email: 'mallory@post.example', email_verified: true }),
      ).toString('base64url');
      expect(await asked(`${header}.${forged}.${signature}`)).toEqual([401, 'Its signature is not valid.']);
      const none = Buffer.from('{"alg":"none"}').toString('base64url');
      expect(await asked(`${none}.${forged}.`)).toEqual([401, expect.any(String)]);
      expect(
        await asked(issuer.token({}, { key: new TextEncoder().encode('a secret that both know, long enough'), alg: 'HS256' })),
      ).toEqual([401, 'It is signed in a way that is not accepted.']);
      expect(await asked(stranger.token())).toEqual([401, expect.stringMatching(/no key of the issuer|signature is not valid/)]);
      expect(await asked(stranger.token({ iss: issuer.url }))).toEqual([
        401,
        expect.stringMatching(/no key of the issuer|signature is not valid/),
      ]);
      expect(await asked(issuer.token({ iss: stranger.url }))).toEqual([401, 'It is of another issuer.']);
      expect(await asked(issuer.token({ aud: 'another-app' }))).toEqual([401, 'It is for another audience.']);
      expect(await asked(issuer.token({ exp: seconds - 60 }))).toEqual([401, 'It has expired.']);
      expect(await asked(issuer.token({ exp: undefined }))).toEqual([401, expect.stringContaining('exp')]);
      expect(await asked(issuer.token({ email_verified: false }))).toEqual([
        401,
        'Its address is not verified: "email_verified" is not true.',
      ]);
      expect(await asked(issuer.token({ email: undefined }))).toEqual([401, 'It has no "email".']);
      expect(await asked(issuer.token({ email: 'a@post.example, b@post.example' }))).toEqual([401, 'Its "email" is not an address.']);
      expect(await asked(issuer.token({ email: 'You won <a@post.example>' }))).toEqual([401, 'Its "email" is not an address.']);
      expect(await asked('nonsense')).toEqual([401, 'It is not a valid token.']);
      expect((await ask({ permit: shown })).body.problems).toMatchObject([{ path: 'identity' }]);
      expect(await sent(`SM-${1000 + n}`)).toEqual([]);
    } finally {
      await stranger.close();
    }
  });

  test('is of no use to a permit that names its recipients, or in a space that knows no issuer', async () => {
    const named = await permit();
    expect((await ask({ permit: named.permit, identity: await issuer.token() })).body.problems).toMatchObject([
      { path: 'identity', message: expect.stringContaining('not wanted') },
    ]);
    await expect(permit({ to: 'identity' }, createClient({ url: all.service.url, key: OPERATOR, space: 'drydock' }))).rejects.toThrow(
      /whose tokens/,
    );
  });
});

test('keys of an issuer that change are asked for again, but not for every token', async () => {
  const { permit: shown } = await permit({ to: 'identity', times: 50 });
  await issuer.rotate();
  const nour = await issuer.token({ email: 'nour@post.example' });
  const before = issuer.asked();
  const answers = await Promise.all(Array.from({ length: 5 }, () => ask({ permit: shown, identity: nour })));
  expect(answers.every(({ status }) => status === 202 || status === 401)).toBe(true);
  expect(issuer.asked() - before).toBeLessThanOrEqual(2);
});

test('the command line makes, lists and revokes them', async () => {
  const cli = (...args: string[]) => runCli(['permits', ...args], all.service);
  const made = await cli('add', 'sign-in-code', '--to', 'asa@post.example', '--minutes', '5', '--json');
  expect(made.notes).toContain('data.code is missing');
  const { id } = await permit({ to: 'identity' });
  expect((await cli('list')).out).toMatch(new RegExp(`● open +0/1 .* booking-confirmed +who is signed in +${id}`));
  expect((await cli('revoke', id)).out).toContain(`${id} can no longer be used.`);
  expect((await cli('list')).out).toMatch(/✗ revoked/);
  expect((await cli('add', 'sign-in-code')).notes).toContain('Name the recipient of the email.');
});
