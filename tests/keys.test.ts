import { readFileSync } from 'node:fs';
import { connect } from 'node:net';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, RefusedError, type Client } from '@verbalis/client';
import { ENDPOINTS } from '@verbalis/service/endpoints';
import { movableClock, type MovableClock } from './support/clock.js';
import { DEMO_FOLDER, OPERATOR, startTestService, until, type TestService } from './support/service.js';

// Who may do what: every endpoint with every kind of caller, and keys from their making to their end.

let all: TestService;
let clock: MovableClock;
let operator: Client;
const HOUR = 3_600_000;
const sample = (template: string): Record<string, unknown> =>
  JSON.parse(readFileSync(join(DEMO_FOLDER, `templates/${template}/samples/typical.json`), 'utf8')) as Record<string, unknown>;
beforeAll(async () => {
  clock = movableClock(Date.parse('2026-11-28T08:00:00Z'));
  all = await startTestService({
    clock,
    change: (port) => ({
      submission: { port: 0 },
      providers: {
        relay: { kind: 'smtp', host: '127.0.0.1', port },
        other: { kind: 'smtp', host: '127.0.0.1', port },
      },
      spaces: {
        harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'] },
        drydock: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['other'], sender: 'Dock <dock@drydock.example>' },
      },
    }),
  });
  clock.busy = all.service.busy;
  operator = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
});
afterAll(() => all.stop());

const problemOf = async (call: Promise<unknown>): Promise<{ status: number; type: string; hint?: string | undefined }> => {
  const error = await call.catch((fault: unknown) => fault);
  if (!(error instanceof RefusedError)) throw new Error(`It was not refused: ${JSON.stringify(error)}`);
  const { status, type, hint } = error.problem;
  return { status, type: type.replace('urn:verbalis:problem:', ''), hint };
};
const withKey = (key: string, space?: string): Client => createClient({ url: all.service.url, key, space, tries: 1 });

describe('every endpoint', () => {
  const guarded = ENDPOINTS.filter(({ scope }) => scope !== 'open');
  /** A request that reaches the check of its caller, with nothing in it. */
  async function ask(endpoint: (typeof ENDPOINTS)[number], headers: Record<string, string>): Promise<string> {
    const path = endpoint.path.replace(/\{\w+\*?\}/g, 'x1');
    const response = await fetch(`${all.service.url}${path}`, { method: endpoint.method.toUpperCase(), headers });
    const type = ((await response.json().catch(() => ({}))) as { type?: string }).type ?? '';
    return `${response.status} ${type.replace('urn:verbalis:problem:', '')}`;
  }
  const bearer = (key: string): Record<string, string> => ({ authorization: `Bearer ${key}` });

  test('is refused to whoever may not use it, in words that say why', async () => {
    const expired = await operator.keys.add({ name: 'expired', scopes: ['manage'], expiresAt: new Date(clock.now() + 1000).toISOString() });
    const revoked = await operator.keys.add({ name: 'revoked', scopes: ['manage'] });
    await operator.keys.revoke(revoked.id);
    await clock.move(2000);
    const manage = await operator.keys.add({ name: 'manage', scopes: ['manage'] });
    const byScope = new Map<string, string>();
    for (const scope of ['signals', 'send', 'read', 'write'] as const)
      byScope.set(scope, (await operator.keys.add({ name: scope, scopes: [scope] })).key);
    const signedIn = await fetch(`${all.service.url}/console/session`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', 'verbalis-console': '1' },
      body: JSON.stringify({ secret: OPERATOR }),
    });
    const cookie = signedIn.headers.get('set-cookie')!.split(';')[0]!;
    const wrong: string[] = [];
    for (const endpoint of guarded) {
      const expected: [string, Record<string, string>, string][] = [
        ['no key', {}, '401 no-key'],
        ['expired', bearer(expired.key), '401 expired-key'],
        ['revoked', bearer(revoked.key), '401 revoked-key'],
        ['another space', { ...bearer(manage.key), 'verbalis-space': 'drydock' }, '403 other-space'],
        ...(endpoint.method === 'get'
          ? []
          : [['session of a foreign page', { cookie }, '403 foreign-request'] as [string, Record<string, string>, string]]),
        ...(endpoint.scope === 'operator'
          ? [['manage', bearer(manage.key), '403 operators-only'] as [string, Record<string, string>, string]]
          : []),
        ...[...byScope].flatMap(([scope, key]): [string, Record<string, string>, string][] =>
          // Whoever may send may say what happened.
          scope === endpoint.scope || (endpoint.scope === 'signals' && scope === 'send')
            ? []
            : [[scope, bearer(key), endpoint.scope === 'operator' ? '403 operators-only' : '403 missing-scope']],
        ),
      ];
      for (const [who, headers, answer] of expected) {
        const got = await ask(endpoint, headers);
        if (got !== answer) wrong.push(`${endpoint.name}, ${who}: ${got} instead of ${answer}`);
      }
    }
    expect(wrong).toEqual([]);
    expect(guarded.length).toBeGreaterThan(60);
  });

  test('an operator names the space where several are configured, but for what concerns the service', async () => {
    const anywhere = withKey(OPERATOR);
    expect(await problemOf(anywhere.keys.add({ name: 'x', scopes: ['read'] }))).toEqual({
      status: 400,
      type: 'no-space',
      hint: expect.stringContaining('harbour, drydock'),
    });
    expect((await anywhere.providers.list()).providers.map(({ name }) => name)).toEqual(['relay', 'other']);
    await anywhere.domains.add({ name: 'drydock.example' });
    expect((await anywhere.domains.list()).domains.map(({ name }) => name)).toEqual(['drydock.example']);
  });
});

test('a key sees nothing of other spaces: their providers, domains, numbers', async () => {
  const { key } = await operator.keys.add({ name: 'reader', scopes: ['read'] });
  const reader = withKey(key);
  expect((await reader.providers.list()).providers).toEqual([{ name: 'relay', kind: 'smtp', state: 'working' }]);
  expect((await operator.providers.list()).providers).toMatchObject([{ where: expect.stringContaining('127.0.0.1') }, { name: 'other' }]);
  await operator.domains.add({ name: 'saltmarsh-ferries.example' });
  expect((await reader.domains.list()).domains.map(({ name }) => name)).toEqual(['saltmarsh-ferries.example']);
  expect((await reader.queue.get()).lastHour).toBeUndefined();
  expect((await operator.queue.get()).lastHour).toBeDefined();
});

describe('a key', () => {
  test('ends when it is revoked, by HTTP and by SMTP, and its use is known', async () => {
    const made = await operator.keys.add({ name: 'app', scopes: ['send', 'read'] });
    expect(made).toMatchObject({ space: 'harbour', start: made.key.slice(0, 13) });
    const client = withKey(made.key);
    await client.messages.list();
    const used = await until(async () =>
      (await operator.keys.get(made.id)).lastUsedAt === undefined ? undefined : operator.keys.get(made.id),
    );
    expect(used).toMatchObject({ state: 'active', lastUsedFrom: '127.0.0.1', lastUsedAt: new Date(clock.now()).toISOString() });
    expect(JSON.stringify(await operator.keys.list())).not.toContain(made.key);
    expect(await login(made.key)).toContain('235 ');
    const bySmtp = await operator.keys.add({ name: 'app that knows SMTP only', scopes: ['send'] });
    await login(bySmtp.key);
    await until(async () => ((await operator.keys.get(bySmtp.id)).lastUsedFrom === '127.0.0.1' ? true : undefined));
    expect(await operator.keys.revoke(made.id)).toMatchObject({ state: 'revoked' });
    expect(await problemOf(client.messages.list())).toMatchObject({ status: 401, type: 'revoked-key' });
    expect(await login(made.key)).toContain('535 ');
    expect(await problemOf(operator.keys.rotate(made.id, {}))).toMatchObject({ status: 409, type: 'revoked-key' });
  });

  test('is rotated: both texts are taken for a while, then the new one', async () => {
    const made = await operator.keys.add({ name: 'rotating', scopes: ['read'] });
    const next = await operator.keys.rotate(made.id, { overlapHours: 2 });
    expect(next.key).not.toBe(made.key);
    await withKey(made.key).messages.list();
    await withKey(next.key).messages.list();
    expect(await operator.keys.get(made.id)).toMatchObject({ rotatesUntil: new Date(clock.now() + 2 * HOUR).toISOString() });
    await clock.move(2 * HOUR + 1);
    expect(await problemOf(withKey(made.key).messages.list())).toMatchObject({ type: 'expired-key' });
    await withKey(next.key).messages.list();
    // Leaked: at once.
    const last = await operator.keys.rotate(made.id, { overlapHours: 0 });
    expect(await problemOf(withKey(next.key).messages.list())).toMatchObject({ type: 'expired-key' });
    await withKey(last.key).messages.list();
  });

  test('manages its own space only, and gives nobody more than it has', async () => {
    const { key } = await operator.keys.add({ name: 'manager', scopes: ['manage'] });
    const manager = withKey(key);
    const own = await manager.keys.add({ name: 'by the manager', scopes: ['write', 'manage'] });
    expect((await manager.keys.list()).keys.map(({ id }) => id)).toContain(own.id);
    const theirs = await createClient({ url: all.service.url, key: OPERATOR, space: 'drydock' }).keys.add({
      name: 'dock',
      scopes: ['read'],
    });
    expect(await problemOf(manager.keys.revoke(theirs.id))).toMatchObject({ status: 404 });
    expect(await problemOf(withKey(key, 'drydock').keys.list())).toMatchObject({ status: 403, type: 'other-space' });
    const past = new Date(clock.now() - 1000).toISOString();
    expect(await problemOf(manager.keys.add({ name: 'x', scopes: ['read'], expiresAt: past }))).toMatchObject({ status: 422 });
  });

  const SIGN_IN = { template: 'sign-in-code', to: ['a@guest.example'], data: sample('sign-in-code') };

  test('with bounds sends what they allow, and nothing else', async () => {
    const bounds = {
      templates: ['sign-in-code'],
      topics: ['account'],
      senders: ['saltmarsh-ferries.example'],
      recipients: ['guest.example', '*.crew.example'],
    };
    const gate = withKey((await operator.keys.add({ name: 'gate', scopes: ['send'], bounds })).key);
    await gate.messages.send(SIGN_IN);
    await gate.messages.send({ ...SIGN_IN, to: ['b@north.crew.example'] });
    const error = await gate.messages
      .send({ ...SIGN_IN, cc: ['c@other.example'], bcc: ['d@guest.example.evil.example'] })
      .catch((fault: unknown) => fault);
    expect(error).toBeInstanceOf(RefusedError);
    expect((error as RefusedError).problem).toMatchObject({
      status: 403,
      type: 'urn:verbalis:problem:beyond-key',
      problems: [{ path: 'to', message: expect.stringContaining('c@other.example') }, { path: 'to' }],
    });
    const ready = { subject: 'Ready', text: 'Made by the app', to: ['a@guest.example'] };
    expect(await problemOf(gate.messages.send(ready))).toMatchObject({ status: 403, type: 'beyond-key' });
    const batch = await gate.messages.sendBatch({ mode: 'each', messages: [SIGN_IN, ready] });
    expect(batch).toMatchObject({
      accepted: 1,
      refused: 1,
      results: [{ index: 0 }, { index: 1, problems: [{ path: 'template' }, { path: 'topic' }] }],
    });
    // Bounds that a key could lift by itself are none.
    expect(await problemOf(operator.keys.add({ name: 'x', scopes: ['manage'], bounds }))).toMatchObject({ status: 422 });
    const wrong = { usedFrom: ['10.0.0.0/33'] };
    expect(await problemOf(operator.keys.add({ name: 'x', scopes: ['send'], bounds: wrong }))).toMatchObject({ status: 422 });
  });

  test('sends a test of a template only with the scope "write", through its own providers, and without bounds', async () => {
    const keyWith = async (scopes: ('send' | 'write')[], bounds?: { perHour: number }): Promise<Client> =>
      withKey((await operator.keys.add({ name: 'tester', scopes: [...scopes, 'read'], ...(bounds === undefined ? {} : { bounds }) })).key);
    const test = (client: Client, by: string): Promise<unknown> =>
      client.templates.test('sign-in-code', { sample: 'typical', to: 'a@anywhere.example', by });
    const writer = await keyWith(['send', 'write']);
    await test(writer, 'relay');
    expect(await problemOf(test(writer, 'other'))).toMatchObject({ status: 422 });
    expect((await writer.templates.get('sign-in-code')).testBy).toEqual(['captured', 'relay']);
    expect(await problemOf(test(await keyWith(['send']), 'relay'))).toMatchObject({ status: 403, type: 'missing-scope' });
    expect(await problemOf(test(await keyWith(['send', 'write'], { perHour: 5 }), 'relay'))).toMatchObject({
      status: 403,
      type: 'beyond-key',
    });
    // What stays here harms nobody.
    await test(await keyWith(['send'], { perHour: 5 }), 'captured');
  });

  test('may be used from its networks only, by HTTP and by SMTP', async () => {
    const add = (usedFrom: string[]): Promise<{ key: string }> =>
      operator.keys.add({ name: 'x', scopes: ['send', 'read'], bounds: { usedFrom } });
    const far = await add(['192.0.2.0/24', '2001:db8::/32']);
    expect(await problemOf(withKey(far.key).messages.list())).toMatchObject({ status: 403, type: 'key-address' });
    expect(await login(far.key)).toContain('535 ');
    const near = await add(['192.0.2.0/24', '127.0.0.0/8']);
    await withKey(near.key).messages.list();
    expect(await login(near.key)).toContain('235 ');
  });

  test('sends so many emails within an hour, also by many requests at once', async () => {
    const { key } = await operator.keys.add({ name: 'slow', scopes: ['send'], bounds: { perHour: 5 } });
    const slow = withKey(key);
    const send = (n: number): Promise<unknown> =>
      slow.messages.send({ ...SIGN_IN, to: Array.from({ length: n }, (_, i) => `p${i}-${clock.now()}@guest.example`) });
    expect(await problemOf(send(6))).toMatchObject({ status: 422, type: 'key-rate' });
    const sent = await Promise.allSettled([send(2), send(2), send(2), send(2)]);
    expect(sent.map(({ status }) => status).sort()).toEqual(['fulfilled', 'fulfilled', 'rejected', 'rejected']);
    await send(1);
    const refused = await send(1).catch((fault: unknown) => fault);
    expect(refused).toMatchObject({
      problem: { status: 429, detail: expect.stringContaining('has sent 5; this request asks for 1 more') },
    });
    // A request that is repeated is not another one.
    await clock.move(HOUR + 5 * 60_000);
    const once = { ...SIGN_IN, to: ['once@guest.example'] };
    for (let i = 0; i < 7; i++) await slow.messages.send(once, { idempotencyKey: 'same' });
    await send(4);
    expect(await problemOf(send(1))).toMatchObject({ status: 429, type: 'key-rate' });
    const batch = slow.messages.sendBatch({ mode: 'all', messages: [SIGN_IN] });
    expect(await problemOf(batch)).toMatchObject({ status: 429, type: 'key-rate' });
  });

  test('is looked at for each email of an SMTP session', async () => {
    const bounds = { recipients: ['guest.example'], perHour: 2 };
    const made = await operator.keys.add({ name: 'smtp', scopes: ['send'], bounds });
    const session = await smtpSession(made.key);
    expect(await session.say('MAIL FROM:<crew@saltmarsh-ferries.example>')).toMatch(/^250/);
    expect(await session.say('RCPT TO:<a@other.example>')).toMatch(/^550 5\.7\.1 This key may not send to that address/);
    expect(await session.say('RCPT TO:<a@guest.example>')).toMatch(/^250/);
    expect(await session.say('RCPT TO:<b@guest.example>')).toMatch(/^250/);
    expect(await session.send()).toMatch(/^250/);
    expect(await session.say('MAIL FROM:<crew@saltmarsh-ferries.example>')).toMatch(/^250/);
    expect(await session.say('RCPT TO:<a@guest.example>')).toMatch(/^250/);
    expect(await session.send()).toMatch(/^451 4\.7\.1 This key may send 2 emails within an hour/);
    await operator.keys.revoke(made.id);
    expect(await session.say('MAIL FROM:<crew@saltmarsh-ferries.example>')).toMatch(/^250/);
    expect(await session.say('RCPT TO:<a@guest.example>')).toMatch(/^250/);
    expect(await session.send()).toMatch(/^550 5\.7\.1 The key of this session is not valid any more/);
    session.end();
    const templates = await operator.keys.add({ name: 'templates only', scopes: ['send'], bounds: { templates: ['sign-in-code'] } });
    const other = await smtpSession(templates.key);
    await other.say('MAIL FROM:<crew@saltmarsh-ferries.example>');
    await other.say('RCPT TO:<a@guest.example>');
    expect(await other.send()).toMatch(/^550 5\.7\.1 Its template must be sign-in-code for this key, and there is none/);
    other.end();
  });

  /** A session with the submission port that is logged in. */
  async function smtpSession(key: string) {
    const socket = connect(all.service.submissionPort ?? 0, '127.0.0.1');
    const lines = createInterface({ input: socket })[Symbol.asyncIterator]();
    const answer = async (): Promise<string> => {
      for (;;) {
        const { value } = await lines.next();
        if (typeof value !== 'string' || !/^\d{3}-/.test(value)) return String(value);
      }
    };
    const say = (line: string): Promise<string> => {
      socket.write(`${line}\r\n`);
      return answer();
    };
    await answer();
    await say('EHLO app.harbour.example');
    expect(await say(`AUTH PLAIN ${Buffer.from(`\0app\0${key}`).toString('base64')}`)).toMatch(/^235/);
    const send = async (): Promise<string> => {
      await say('DATA');
      return say('From: crew@saltmarsh-ferries.example\r\nSubject: By SMTP\r\n\r\nText\r\n.');
    };
    return { say, send, end: () => socket.destroy() };
  }

  /** What the submission port answers to a login with it. */
  function login(key: string): Promise<string> {
    return new Promise((done) => {
      const socket = connect(all.service.submissionPort ?? 0, '127.0.0.1');
      let said = '';
      socket.on('data', (bytes: Buffer) => (said += bytes.toString()));
      socket.on('close', () => done(said));
      socket.write(`EHLO a\r\nAUTH PLAIN ${Buffer.from(`\0app\0${key}`).toString('base64')}\r\nQUIT\r\n`);
    });
  }
});

describe('wrong secrets', () => {
  test('make their address wait, longer each time; a key from there is taken, and the operator comes in again after the wait', async () => {
    const { key } = await operator.keys.add({ name: 'honest', scopes: ['read'] });
    const guess = (n: number) => problemOf(withKey(`a-guess-at-the-secret-${n}`, 'harbour').messages.list());
    for (let i = 0; i < 6; i += 1) expect(await guess(i)).toMatchObject({ status: 401, type: 'wrong-key' });
    expect(await guess(6)).toMatchObject({ status: 429, type: 'too-many-tries' });
    await withKey(key).messages.list();
    expect(await problemOf(operator.messages.list())).toMatchObject({ status: 429 });
    await clock.move(1001);
    expect(await guess(7)).toMatchObject({ status: 401 });
    await clock.move(1001);
    expect(await guess(8)).toMatchObject({ status: 429 });
    await clock.move(1001);
    await operator.messages.list();
    expect(await guess(9)).toMatchObject({ status: 401 });
  });

  test('the sign-in of the console waits with them', async () => {
    const signIn = (secret: string) =>
      fetch(`${all.service.url}/console/session`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', 'verbalis-console': '1' },
        body: JSON.stringify({ secret }),
      });
    await clock.move(2 * HOUR);
    for (let i = 0; i < 6; i += 1) expect((await signIn(`guess ${i}`)).status).toBe(401);
    const late = await signIn(OPERATOR);
    expect({ status: late.status, after: late.headers.get('retry-after') }).toEqual({ status: 429, after: '1' });
    await clock.move(1001);
    expect((await signIn(OPERATOR)).status).toBe(200);
  });
});

test.each(['', 'short', 'x'.repeat(23)])('the operator’s secret "%s" lets nobody in: the service does not start', async (secret) => {
  const { startService } = await import('@verbalis/service');
  const { readConfig } = await import('@verbalis/service/settings');
  await expect(startService({ config: readConfig(`${all.folder}/verbalis.yaml`, {}), operatorSecret: secret })).rejects.toThrow(
    new RegExp(`VERBALIS_OPERATOR_SECRET has ${secret.length} characters; it needs at least 24`),
  );
});
