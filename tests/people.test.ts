import { request } from 'node:http';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, RefusedError, type Client } from '@verbalis/client';
import { readMail, shownText } from '@verbalis/core/mime';
import { ENDPOINTS } from '@verbalis/service/endpoints';
import { startSignInProvider, type SignInProvider } from '@verbalis/simulators';
import { booking, DEMO_FOLDER, OPERATOR, startTestService, until, type TestService } from './support/service.js';

// People: who may do what, how they sign in, and what is kept of it.

const CONSOLE = { 'verbalis-console': '1' };
const ACCOUNTS = [
  { sub: 'mara', email: 'mara@saltmarsh-ferries.example', name: 'Mara Voss' },
  { sub: 'odd', email: 'odd@saltmarsh-ferries.example', name: 'Odd Lund', isVerified: false },
  { sub: 'stranger', email: 'stranger@elsewhere.example', name: 'A Stranger' },
];

let all: TestService;
let provider: SignInProvider;
let wrongClaims: Record<string, unknown> = {};
let operator: Client;
beforeAll(async () => {
  provider = await startSignInProvider({
    host: '127.0.0.1',
    port: 0,
    clientId: 'verbalis',
    clientSecret: 'a-secret-of-the-client',
    accounts: ACCOUNTS,
    claims: () => wrongClaims,
  });
  all = await startTestService({
    change: (port) => ({
      listen: { port: 0, trustProxy: ['127.0.0.1'] },
      people: {
        openid: { name: 'Saltmarsh accounts', issuer: provider.url, clientId: 'verbalis', clientSecret: 'a-secret-of-the-client' },
      },
      providers: { relay: { kind: 'smtp', host: '127.0.0.1', port } },
      spaces: {
        drydock: { mode: 'capture', mailFolder: DEMO_FOLDER },
        staging: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'], recipients: { allowed: ['qa@saltmarsh-ferries.example'] } },
        harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'], archive: 'archive@saltmarsh-ferries.example' },
      },
    }),
  });
  operator = createClient({ url: all.service.url, key: OPERATOR });
});
afterAll(async () => {
  await all.stop();
  await provider.close();
});

/** A browser that keeps its cookies. */
function browser() {
  const jar = new Map<string, string>();
  const cookies = (): string => [...jar].map(([name, value]) => `${name}=${value}`).join('; ');
  const ask = async (path: string, init: RequestInit & { space?: string } = {}): Promise<Response> => {
    const url = path.startsWith('http') ? path : all.service.url + path;
    const isOurs = url.startsWith(all.service.url);
    const response = await fetch(url, {
      redirect: 'manual',
      ...init,
      headers: {
        ...(isOurs ? { ...CONSOLE, cookie: cookies() } : {}),
        ...(init.body === undefined ? {} : { 'content-type': 'application/json' }),
        ...(init.space === undefined ? {} : { 'verbalis-space': init.space }),
        ...(init.headers as Record<string, string> | undefined),
      },
    });
    for (const cookie of response.headers.getSetCookie()) {
      const [pair = ''] = cookie.split(';');
      const at = pair.indexOf('=');
      const isGone = /expires=Thu, 01 Jan 1970/i.test(cookie);
      if (isGone) jar.delete(pair.slice(0, at));
      else if (isOurs) jar.set(pair.slice(0, at), pair.slice(at + 1));
    }
    return response;
  };
  const post = (path: string, body: unknown, more: { space?: string } = {}): Promise<Response> =>
    ask(path, { method: 'POST', body: JSON.stringify(body), ...more });
  const client = (space?: string): Client =>
    createClient({ url: all.service.url, space, tries: 1, headers: { ...CONSOLE, cookie: cookies() } });
  return { ask, post, client, jar };
}

const tokenOf = (url: string): string => url.split('#token=')[1] ?? '';

/** The link in the newest email to an address. */
async function mailedLink(to: string): Promise<string> {
  const mail = await until(() => all.simulator.seen.get(to)?.mail);
  const text = shownText(readMail(mail), 'plain') ?? '';
  return /https?:\/\/\S+#token=[\w-]+/.exec(text)?.[0] ?? '';
}

/** Someone with roles who is signed in. */
async function signedIn(email: string, ...grants: { space: string; role: 'viewer' | 'member' | 'operator'; content?: boolean }[]) {
  const { id, invitation } = await operator.people.invite({ email, grants, send: false });
  const page = browser();
  expect((await page.post('/console/session', { token: tokenOf(invitation.url ?? '') })).status).toBe(200);
  return { id, ...page };
}

const problemOf = async (call: Promise<unknown>): Promise<string> => {
  const error = await call.catch((fault: unknown) => fault);
  if (!(error instanceof RefusedError)) throw new Error(`It was not refused: ${JSON.stringify(error)}`);
  return `${error.problem.status} ${error.problem.type.replace('urn:verbalis:problem:', '')}`;
};

describe('roles', () => {
  test('a viewer sees what came of an email and not what it says, until that is allowed', async () => {
    const { id } = await createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' }).messages.send(booking('asa@post.example'));
    await all.ended(id, 'accepted');
    const vera = await signedIn('vera@saltmarsh-ferries.example', { space: 'harbour', role: 'viewer' });
    const client = vera.client('harbour');
    expect((await client.messages.get(id)).data).toBeNull();
    for (const read of [client.messages.mail(id), client.messages.html(id), client.messages.source(id)])
      expect(await problemOf(read)).toBe('403 no-content');
    // Codes and the beginnings of texts are content, too.
    const kept = createClient({ url: all.service.url, key: OPERATOR, space: 'staging' });
    await kept.messages.send({ to: ['asa@post.example'], subject: 'Your code', text: 'Your code is 204816.' });
    await until(async () => (await kept.captured.list({})).captured.find(({ code }) => code === '204816'));
    await operator.people.change(vera.id, { grants: [{ space: '*', role: 'viewer' }] });
    expect((await vera.client('staging').captured.list({})).captured.map(({ code }) => code)).toEqual([undefined]);
    await operator.people.change(vera.id, { grants: [{ space: 'harbour', role: 'viewer' }] });
    expect(await problemOf(client.suppressions.add({ address: 'liv@post.example' }))).toBe('403 missing-role');
    expect(await problemOf(client.messages.cancel(id))).toBe('403 missing-role');
    expect(await problemOf(client.audit.list())).toBe('403 missing-role');
    expect(await problemOf(client.people.list())).toBe('403 operators-only');
    await operator.people.change(vera.id, { grants: [{ space: 'harbour', role: 'viewer', content: true }] });
    expect((await client.messages.mail(id)).subject).not.toBe('');
  });

  test('another space is not there for someone without a role in it', async () => {
    const { client, ask } = await signedIn('nils@saltmarsh-ferries.example', { space: 'harbour', role: 'member' });
    expect((await ask('/console/session').then((r) => r.json())) as { spaces: { name: string }[] }).toMatchObject({
      operator: false,
      person: { email: 'nils@saltmarsh-ferries.example' },
      spaces: [{ name: 'harbour', role: 'member', content: true }],
    });
    expect(await problemOf(client('drydock').messages.list({}))).toBe('404 unknown-space');
    expect(await problemOf(client('nowhere').messages.list({}))).toBe('404 unknown-space');
    // With one space, none need be named.
    expect((await client().messages.list({})).messages).toBeDefined();
    expect((await client().providers.list()).providers.length).toBeGreaterThan(0);
  });

  test('a role that is removed ends with the next request; what is followed live ends', async () => {
    const { id, client, ask } = await signedIn('tom@saltmarsh-ferries.example', { space: 'harbour', role: 'member' });
    const stream = await ask('/v1/events/stream?space=harbour');
    expect(stream.status).toBe(200);
    await operator.people.change(id, { grants: [{ space: 'drydock', role: 'member' }] });
    expect(await problemOf(client('harbour').messages.list({}))).toBe('404 unknown-space');
    // The service ends it; nothing else would.
    await stream.text();
  });

  test('an operator of every space administers the service; of one space, that space', async () => {
    const chief = await signedIn('chief@saltmarsh-ferries.example', { space: '*', role: 'operator' });
    expect((await chief.client().people.list()).people.length).toBeGreaterThan(0);
    expect(await problemOf(chief.client().people.remove(chief.id))).toBe('409 yourself');
    expect(await problemOf(chief.client().people.change(chief.id, { grants: [{ space: '*', role: 'viewer' }] }))).toBe('409 yourself');
    const local = await signedIn('local@saltmarsh-ferries.example', { space: 'harbour', role: 'operator' });
    expect((await local.client('harbour').keys.add({ name: 'shop', scopes: ['send'] })).space).toBe('harbour');
    expect(await problemOf(local.client('harbour').people.list())).toBe('403 operators-only');
    expect(await problemOf(local.client('harbour').providers.pause('relay'))).toBe('403 operators-only');
  });

  test('what is asked for is named where it is wrong', async () => {
    const error = (await operator.people
      .invite({ email: 'not an address', grants: [{ space: 'harbour', role: 'viewer' }] })
      .catch((fault: unknown) => fault)) as RefusedError;
    expect(error.problem.problems?.[0]?.path).toBe('email');
    const space = (await operator.people
      .invite({ email: 'x@post.example', grants: [{ space: 'harbor', role: 'viewer' }] })
      .catch((fault: unknown) => fault)) as RefusedError;
    expect(space.problem.problems?.[0]).toMatchObject({ path: 'grants[0].space', hint: expect.stringContaining('harbour') });
    const twice = operator.people.invite({
      email: 'vera@saltmarsh-ferries.example',
      grants: [{ space: '*', role: 'viewer' }],
      send: false,
    });
    expect(await problemOf(twice)).toBe('409 known-person');
  });
});

describe('links', () => {
  test('an invitation reaches its recipient alone, and its button signs in once', async () => {
    const invited = await operator.people.invite({
      email: 'Ines.Roth@Saltmarsh-Ferries.example',
      name: 'Ines Roth',
      grants: [{ space: '*', role: 'operator' }],
    });
    expect(invited).toMatchObject({ email: 'ines.roth@saltmarsh-ferries.example', invitation: { sentThrough: 'harbour' } });
    expect(invited.invitation.url).toBeUndefined();
    const url = await mailedLink('ines.roth@saltmarsh-ferries.example');
    // Neither the archive nor anybody who may read messages has it.
    const client = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour', tries: 1 });
    const { messages } = await client.messages.list({ template: 'invitation' });
    const message = await client.messages.get(messages[0]!.id);
    expect(message.deliveries.map(({ address }) => address)).toEqual(['ines.roth@saltmarsh-ferries.example']);
    expect(JSON.stringify(message)).not.toContain(tokenOf(url));
    expect(await problemOf(client.messages.source(message.id))).toBe('403 sealed');
    const page = browser();
    // A scanner that opens the address signs nobody in.
    expect((await page.ask(new URL(url).pathname)).status).toBe(200);
    expect(page.jar.size).toBe(0);
    expect((await page.post('/console/session', { token: tokenOf(url) })).status).toBe(200);
    expect((await browser().post('/console/session', { token: tokenOf(url) })).status).toBe(401);
    expect((await page.client().people.get(invited.id)).lastSignInAt).toBeDefined();
  });

  test('the answer to a request for a link is the same for every address; too many requests are refused', async () => {
    await operator.people.invite({ email: 'ola@saltmarsh-ferries.example', grants: [{ space: 'harbour', role: 'member' }], send: false });
    const page = browser();
    const [known, unknown] = [
      await page.post('/console/sign-in-links', { email: 'Ola@saltmarsh-ferries.example' }),
      await page.post('/console/sign-in-links', { email: 'nobody@saltmarsh-ferries.example' }),
    ];
    expect([known.status, unknown.status]).toEqual([202, 202]);
    expect(await known.text()).toBe(await unknown.text());
    const url = await mailedLink('ola@saltmarsh-ferries.example');
    expect((await page.post('/console/session', { token: tokenOf(url) })).status).toBe(200);
    // Asking again and again fills nobody's mailbox.
    for (let i = 0; i < 3; i += 1) await page.post('/console/sign-in-links', { email: 'ola@saltmarsh-ferries.example' });
    expect((await page.post('/console/sign-in-links', { email: 'ola@saltmarsh-ferries.example' })).status).toBe(202);
    expect((await page.post('/console/sign-in-links', { email: 'ola@saltmarsh-ferries.example' })).status).toBe(429);
    expect(all.simulator.seen.get('ola@saltmarsh-ferries.example')?.taken).toBe(1);
  });

  test('no link is sent that leads where a stranger says', async () => {
    await operator.people.invite({
      email: 'target@saltmarsh-ferries.example',
      grants: [{ space: 'harbour', role: 'member' }],
      send: false,
    });
    const ask = (host: string): Promise<number> =>
      new Promise((done, failed) => {
        const { hostname, port } = new URL(all.service.url);
        const body = JSON.stringify({ email: 'target@saltmarsh-ferries.example' });
        const headers = {
          ...CONSOLE,
          host,
          'x-forwarded-for': '203.0.113.1',
          'content-type': 'application/json',
          'content-length': body.length,
        };
        request({ hostname, port, path: '/console/sign-in-links', method: 'POST', headers }, (response) => {
          response.resume();
          done(response.statusCode ?? 0);
        })
          .on('error', failed)
          .end(body);
      });
    // Where the service knows no address of its own, links lead to this machine only.
    expect(await ask('elsewhere.example')).toBe(409);
    expect(await ask('localhost')).toBe(202);
    expect(await mailedLink('target@saltmarsh-ferries.example')).toMatch(/^http:\/\/localhost\/sign-in#token=/);
  });

  test('a request for a link in the name of another person ends none of their links', async () => {
    const { id } = await operator.people.invite({
      email: 'ada@saltmarsh-ferries.example',
      grants: [{ space: 'harbour', role: 'member' }],
      send: false,
    });
    const { invitation } = await operator.people.link(id, { send: false });
    await browser().ask('/console/sign-in-links', {
      method: 'POST',
      body: JSON.stringify({ email: 'ada@saltmarsh-ferries.example' }),
      headers: { 'x-forwarded-for': '203.0.113.2' },
    });
    await mailedLink('ada@saltmarsh-ferries.example');
    expect((await browser().post('/console/session', { token: tokenOf(invitation.url ?? '') })).status).toBe(200);
    // One that was used ends the others.
    const other = await mailedLink('ada@saltmarsh-ferries.example');
    expect((await browser().post('/console/session', { token: tokenOf(other) })).status).toBe(401);
  });

  test('someone who is removed is signed out everywhere, and their links end', async () => {
    const { id, client } = await signedIn('gone@saltmarsh-ferries.example', { space: 'harbour', role: 'member' });
    const { invitation } = await operator.people.link(id, { send: false });
    await operator.people.remove(id);
    expect(await problemOf(client('harbour').messages.list({}))).toBe('401 signed-out');
    expect((await browser().post('/console/session', { token: tokenOf(invitation.url ?? '') })).status).toBe(401);
    expect(await problemOf(operator.people.get(id))).toBe('404 unknown-person');
  });
});

describe('sessions', () => {
  test('people see and end their own, operators those of everybody', async () => {
    const una = await signedIn('una@saltmarsh-ferries.example', { space: 'harbour', role: 'viewer' });
    const { sessions } = await una.client().sessions.list();
    expect(sessions).toMatchObject([{ person: 'una@saltmarsh-ferries.example', way: 'link', own: true }]);
    const others = (await operator.sessions.list()).sessions;
    expect(others.length).toBeGreaterThan(1);
    const other = others.find(({ person }) => person !== 'una@saltmarsh-ferries.example')!;
    expect(await problemOf(una.client().sessions.end(other.id))).toBe('404 unknown-session');
    const stream = await una.ask('/v1/events/stream?space=harbour');
    await operator.sessions.end(sessions[0]!.id);
    await stream.text();
    expect(await problemOf(una.client().messages.list({}))).toBe('401 signed-out');
  });

  test('a key that is revoked ends what is followed with it', async () => {
    const keys = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' }).keys;
    const { id, key } = await keys.add({ name: 'follower', scopes: ['read'] });
    const stream = await fetch(`${all.service.url}/v1/events/stream`, { headers: { authorization: `Bearer ${key}` } });
    await keys.revoke(id);
    await stream.text();
  });
});

describe('OpenID Connect', () => {
  /** Signs in at the provider as someone, as a browser does. @returns where it ends */
  async function through(page: ReturnType<typeof browser>, login: string, change: (back: URL) => void = () => undefined): Promise<string> {
    const start = await page.ask('/console/openid/start');
    expect(start.status).toBe(303);
    const asked = await page.ask(`${start.headers.get('location') ?? ''}&login=${login}`);
    const back = new URL(asked.headers.get('location') ?? '');
    change(back);
    const end = await page.ask(back.href);
    expect(end.status).toBe(303);
    return end.headers.get('location') ?? '';
  }

  test('someone who is invited signs in, by their address first and by their account later', async () => {
    const { id } = await operator.people.invite({
      email: 'mara@saltmarsh-ferries.example',
      grants: [{ space: 'harbour', role: 'member' }],
      send: false,
    });
    const page = browser();
    expect(await through(page, 'mara')).toBe('/');
    expect((await page.ask('/console/session').then((r) => r.json())) as object).toMatchObject({ person: { id } });
    expect((await page.client().sessions.list()).sessions[0]?.way).toBe('openid');
    wrongClaims = { email: 'mara.new@saltmarsh-ferries.example' };
    expect(await through(browser(), 'mara')).toBe('/');
    // Another account with the same address is another person.
    wrongClaims = { sub: 'mara-2' };
    expect(await through(browser(), 'mara')).toBe('/sign-in#refused=not-invited');
    wrongClaims = {};
  });

  test.each([
    ['a stranger', 'stranger', {}, 'not-invited'],
    ['an address that is not verified', 'odd', {}, 'not-verified'],
    ['a token for another app', 'mara', { aud: 'another-app' }, 'interrupted'],
    ['a token of another issuer', 'mara', { iss: 'https://elsewhere.example' }, 'interrupted'],
    ['a token that has ended', 'mara', { exp: 1 }, 'interrupted'],
    ['a token of another sign-in', 'mara', { nonce: 'another' }, 'interrupted'],
  ])('%s is not let in', async (_what, login, claims, why) => {
    wrongClaims = claims;
    const page = browser();
    expect(await through(page, login)).toBe(`/sign-in#refused=${why}`);
    wrongClaims = {};
    expect((await page.ask('/console/session')).status).toBe(401);
  });

  test('an answer that belongs to another browser, or is repeated, is not taken', async () => {
    const page = browser();
    expect(await through(page, 'mara', (back) => back.searchParams.set('state', 'another'))).toBe('/sign-in#refused=interrupted');
    let answer = '';
    await through(page, 'mara', (back) => (answer = back.href));
    const again = await browser().ask(answer);
    expect(again.headers.get('location')).toBe('/sign-in#refused=interrupted');
  });
});

describe('the audit log', () => {
  const log = (filter: Parameters<Client['audit']['list']>[0] = {}) => operator.audit.list({ of: 'service', ...filter });

  test('has who changed what, when and from where, without secrets and contents', async () => {
    const nora = await signedIn('nora@saltmarsh-ferries.example', { space: 'harbour', role: 'operator' });
    const { id, key } = await nora.client('harbour').keys.add({ name: 'till', scopes: ['send'] });
    await nora.client('harbour').keys.revoke(id);
    await nora.client('harbour').messages.send(booking('asa@post.example', 'SM-1099'));
    const { entries } = await operator.audit.list({ of: 'service', who: 'nora@saltmarsh-ferries.example' });
    expect(entries.map(({ action, target }) => [action, target])).toEqual([
      ['messages.send', expect.stringMatching(/^m/)],
      ['keys.revoke', id],
      ['keys.add', id],
      ['session.signIn', expect.stringMatching(/^z/)],
    ]);
    expect(entries[2]).toMatchObject({
      who: { kind: 'person', id: nora.id, name: 'nora@saltmarsh-ferries.example' },
      space: 'harbour',
      change: { name: 'till', scopes: ['send'] },
      address: '127.0.0.1',
      summary: 'Make a key for the space',
    });
    expect(JSON.stringify(entries)).not.toContain(key);
    expect(JSON.stringify(entries[0])).not.toContain('Brackwater');
    const csv = await operator.audit.export({ of: 'service', action: 'keys.' });
    expect(csv.split('\n')[0]).toBe('seq,at,kind,who,action,space,target,change,address');
    expect(csv).toContain('keys.revoke');
    // A change of a space is an event.
    const events = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' }).events;
    const { events: found } = await events.list({ filter: 'type = audited' });
    // The message has events of its own.
    expect(found[0]).toMatchObject({ type: 'verbalis.audit.recorded', data: { action: 'keys.revoke', target: id } });
  });

  test('has a look at what an email says, once, and none where nothing leaves', async () => {
    const client = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
    const { id } = await client.messages.send(booking('asa@post.example', 'SM-1098'));
    await all.ended(id, 'accepted');
    await client.messages.mail(id);
    await client.messages.source(id);
    expect((await log({ target: id })).entries.map(({ action }) => action)).toEqual(['messages.mail', 'messages.send']);
    const dock = createClient({ url: all.service.url, key: OPERATOR, space: 'drydock' });
    await dock.messages.send(booking('asa@post.example', 'SM-1097'));
    const captured = await until(async () => (await dock.captured.list({})).captured[0]);
    await dock.captured.get(captured.id);
    expect((await log({ target: captured.id })).entries).toEqual([]);
  });

  test('has nothing of what was refused, and nothing of what changed nothing', async () => {
    const [before] = (await log()).entries;
    await expect(operator.people.remove('nobody')).rejects.toThrow(RefusedError);
    await expect(createClient({ url: all.service.url, key: all.key, tries: 1 }).people.list()).rejects.toThrow(RefusedError);
    const client = createClient({ url: all.service.url, key: all.key });
    await client.messages.send(booking('asa@post.example', 'SM-1096'));
    expect((await log()).entries[0]?.seq).toBe(before?.seq);
  });

  test('a key sees the log of its space and no other', async () => {
    const { key } = await createClient({ url: all.service.url, key: OPERATOR, space: 'drydock' }).keys.add({
      name: 'm',
      scopes: ['manage'],
    });
    const manager = createClient({ url: all.service.url, key, tries: 1 });
    expect(new Set((await manager.audit.list()).entries.map(({ space }) => space))).toEqual(new Set(['drydock']));
    expect(await problemOf(manager.audit.list({ of: 'service' }))).toBe('403 operators-only');
  });

  test('an address that is erased is erased here, too', async () => {
    const client = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
    await client.suppressions.add({ address: 'forget.me@post.example', note: 'forget.me@post.example asked' });
    const named = (entries: unknown): boolean => JSON.stringify(entries).includes('forget.me@post.example');
    expect(named((await log()).entries)).toBe(true);
    await client.addresses.erase('forget.me@post.example');
    expect(named((await log()).entries)).toBe(false);
    expect((await log()).entries[0]).toMatchObject({ action: 'addresses.erase', target: 'erased@erased.invalid' });
  });

  test('every endpoint that changes something has its entries; the others say why not', () => {
    const silent = ENDPOINTS.filter(({ method, audited }) => method !== 'get' && audited === 'nothing').map(({ name }) => name);
    // They change nothing, or are asked by those whom nobody knows, and what they make is a record of its own.
    expect(silent.sort()).toEqual(['callbacks.receive', 'events.tryFilter', 'permits.send', 'session.ask', 'templates.render']);
    const ofPeople = ENDPOINTS.filter(({ audited }) => audited === 'people').map(({ name }) => name);
    // What keys do all day, each with a record of its own.
    expect(ofPeople.sort()).toEqual([
      'captured.clear',
      'captured.remove',
      'captured.simulate',
      'consents.add',
      'inbound.add',
      'messages.send',
      'messages.sendBatch',
      'operatorNotes.send',
      'permits.add',
      'returns.add',
      'signals.take',
      'uploads.add',
    ]);
  });
});
