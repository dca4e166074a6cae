import { spawn, spawnSync } from 'node:child_process';
import { connect } from 'node:net';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, RefusedError, type Client, type DomainView } from '@verbalis/client';
import { readMail } from '@verbalis/core/mime';
import { startNameServer, type NameServerSimulator, type SimulatedRecord } from '@verbalis/simulators';
import { movableClock, type MovableClock } from './support/clock.js';
import { booking, OPERATOR, ROOT, startTestService, until, type TestService } from './support/service.js';

const NAME = 'saltmarsh-ferries.example';
const [SECOND, MINUTE, HOUR, DAY] = [1000, 60_000, 3_600_000, 86_400_000];

let names: NameServerSimulator;
let all: TestService;
let operator: Client;
let clock: MovableClock;

beforeAll(async () => {
  names = await startNameServer();
});
afterAll(() => names.close());

/** A service that asks the simulated name server. */
async function start(change: Record<string, unknown> = {}, space: Record<string, unknown> = {}): Promise<void> {
  names.setZone('quayside.example', [{ name: 'mail.quayside.example', type: 'A', value: '198.51.100.7' }]);
  names.setZone(NAME, []);
  clock = movableClock(Date.UTC(2026, 10, 2, 9));
  all = await startTestService({
    clock,
    change: (port) => ({
      dns: { servers: [`127.0.0.1:${names.port}`], port: names.port, waitSeconds: 2 },
      returns: { port: 0, name: 'mail.quayside.example', domain: 'returns.quayside.example' },
      providers: { relay: { kind: 'smtp', host: '127.0.0.1', port, facts: { spf: ['ip4:192.0.2.0/24'] } } },
      spaces: {
        harbour: { mode: 'deliver', mailFolder: join(ROOT, 'demo/mail'), route: ['relay'], ...space },
        drydock: { mode: 'capture', mailFolder: join(ROOT, 'demo/mail') },
      },
      ...change,
    }),
  });
  clock.busy = all.service.busy;
  operator = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
}
afterEach(() => all.stop());

/** Enters the records of a domain in its zone, but for those that are left out. */
function publish({ name, records }: DomainView, keep: (record: DomainView['records'][number]) => boolean = () => true): void {
  names.setZone(
    name,
    records.filter(keep).map(({ name: at, type, value, priority }): SimulatedRecord => ({
      name: at,
      type,
      value: type === 'MX' ? `${priority ?? 0} ${value}` : value,
    })),
  );
}

function verbalis(...args: string[]): Promise<{ code: number | null; out: string; err: string }> {
  const child = spawn(process.execPath, [join(ROOT, 'packages/cli/bin/verbalis.js'), 'domains', ...args], {
    env: { PATH: process.env['PATH'], VERBALIS_URL: all.service.url, VERBALIS_KEY: OPERATOR },
  });
  const ran = { out: '', err: '' };
  child.stdout.on('data', (bytes: Buffer) => (ran.out += bytes.toString()));
  child.stderr.on('data', (bytes: Buffer) => (ran.err += bytes.toString()));
  return new Promise((done) => child.on('close', (code) => done({ ...ran, code })));
}

let n = 0;
/** Sends an email. @returns the selectors that sign it, and the host that its bounces go to */
async function sent(more: Record<string, unknown> = {}): Promise<{ selectors: string[]; returnHost: string }> {
  n += 1;
  const to = `guest${n}@post.example`;
  const { id } = await all.client.messages.send({ ...booking(to, `SM-${1000 + n}`), ...more });
  await all.ended(id, 'accepted');
  const mail = readMail(Buffer.from(await all.client.messages.source(id)));
  const selectors = mail.fields.filter(({ name }) => name === 'dkim-signature').map(({ raw }) => /\bs=([^;]+)/.exec(raw)?.[1] ?? '');
  const from = all.simulator.seen.get(to)?.from ?? '';
  return { selectors: selectors.sort(), returnHost: from.slice(from.lastIndexOf('@') + 1) };
}

const refusal = (promise: Promise<unknown>): Promise<unknown> =>
  promise.then(
    () => 'accepted',
    (error: unknown) => (error instanceof RefusedError ? error.problem.type.split(':').at(-1) : String(error)),
  );
const events = async (): Promise<Record<string, unknown>[]> =>
  (await operator.events.list({ filter: 'type = domain-changed' })).events.map(({ data }) => data).reverse();
const stateOf = async (): Promise<string> => (await operator.domains.get(NAME)).state;

describe('from the first record to the first signature', () => {
  test('a key signs when it is published and no cache can have kept that it is missing; until then email is refused', async () => {
    await start();
    expect((await sent()).selectors).toEqual([]);
    const added = await operator.domains.add({ name: NAME });
    await clock.move(SECOND);
    expect(await stateOf()).toBe('open');
    // It goes out unsigned no more.
    expect(await refusal(sent())).toBe('not-signed-yet');
    publish(added, ({ purpose }) => purpose !== 'dmarc');
    // It is asked for by itself within a minute; the zone says that what is missing may be kept for a minute.
    await clock.move(MINUTE + SECOND);
    const half = await operator.domains.get(NAME);
    expect(half.keys.map(({ state }) => state)).toEqual(['published', 'published']);
    expect([half.state, half.signing, half.returnHostLive]).toEqual(['open', false, true]);
    expect(await refusal(sent())).toBe('not-signed-yet');
    await clock.move(MINUTE);
    const first = await sent();
    expect(first).toEqual({ selectors: added.keys.map(({ selector }) => selector).sort(), returnHost: `returns.${NAME}` });
    publish(added);
    await clock.move(MINUTE);
    expect(await stateOf()).toBe('right');
    const [begin, ...more] = await events();
    expect(begin).toMatchObject({
      domain: NAME,
      space: 'harbour',
      state: 'open',
      records: expect.arrayContaining([{ type: 'MX', name: `returns.${NAME}`, state: 'right' }]),
    });
    expect(more).toEqual([expect.objectContaining({ state: 'right', records: [{ type: 'TXT', name: `_dmarc.${NAME}`, state: 'right' }] })]);
  });

  test('a space may send essential email unsigned meanwhile; what can be unsubscribed from is refused all the same', async () => {
    await start({ publicUrl: 'https://mail.quayside.example' }, { unsigned: true });
    await operator.domains.add({ name: NAME });
    expect(await sent()).toEqual({ selectors: [], returnHost: 'returns.quayside.example' });
    const optional = { template: undefined, data: undefined, topic: 'pier-news', subject: 'Winter timetable', text: 'From 1 December.' };
    expect(await refusal(sent(optional))).toBe('not-signed-yet');
  });

  test('nobody needs a signature of ours where the space captures, or its provider signs', async () => {
    await start({
      providers: { relay: { kind: 'smtp', host: '127.0.0.1', port: 1, facts: { signs: 'provider' } } },
    });
    await operator.domains.add({ name: NAME });
    const request = { ...booking('asa@post.example') };
    expect((await all.client.messages.send(request)).id).toBeDefined();
    const drydock = createClient({ url: all.service.url, key: OPERATOR, space: 'drydock' });
    expect((await drydock.messages.send(request)).id).toBeDefined();
  });
});

/** A domain whose records are all right and whose keys sign. */
async function signing(): Promise<DomainView> {
  const added = await operator.domains.add({ name: NAME });
  publish(added);
  await operator.domains.check(NAME);
  await clock.move(2 * MINUTE);
  return operator.domains.check(NAME);
}

describe('what goes wrong later', () => {
  test('a key disappears: an event, an alert, and signing goes on for a day', async () => {
    await start();
    const view = await signing();
    const [gone, kept] = view.keys.map(({ selector }) => selector);
    expect((await operator.alerts.list()).alerts).toEqual([]);
    publish(view, ({ name }) => !name.startsWith(`${gone}.`));
    await clock.move(HOUR + MINUTE);
    expect((await events()).at(-1)).toMatchObject({
      state: 'open',
      records: [{ type: 'TXT', name: `${gone}._domainkey.${NAME}`, state: 'missing' }],
    });
    const [alert] = (await operator.alerts.list()).alerts;
    expect(alert).toMatchObject({
      rule: 'domain',
      group: NAME,
      text: expect.stringContaining(`There is no TXT record at ${gone}._domainkey`),
    });
    expect((await sent()).selectors).toEqual([gone, kept].sort());
    expect((await operator.domains.get(NAME)).keys.map(({ state }) => state).sort()).toEqual(['lost', 'signing']);
    publish(view);
    await clock.move(2 * MINUTE);
    expect((await operator.alerts.list({ state: 'firing' } as never)).alerts.filter(({ resolvedAt }) => resolvedAt === undefined)).toEqual(
      [],
    );
    expect((await sent()).selectors).toEqual([gone, kept].sort());
  });

  test('name servers that are down change nothing: neither keys, nor return host, nor an event', async () => {
    await start();
    await signing();
    const before = await events();
    const { port } = names;
    await names.close();
    await clock.move(HOUR + 5 * MINUTE);
    expect(await stateOf()).toBe('unknown');
    expect(await sent()).toMatchObject({ returnHost: `returns.${NAME}`, selectors: [expect.any(String), expect.any(String)] });
    expect(await events()).toEqual(before);
    expect((await operator.alerts.list()).alerts).toEqual([]);
    names = await startNameServer({ port });
  });

  test('an MX that is gone: bounces go to the host of the service at once, and those under way are still accepted', async () => {
    await start();
    const view = await signing();
    expect((await sent()).returnHost).toBe(`returns.${NAME}`);
    publish(view, ({ purpose }) => purpose !== 'bounces');
    await operator.domains.check(NAME);
    expect((await sent()).returnHost).toBe('returns.quayside.example');
    publish(view);
    await operator.domains.check(NAME);
    expect((await sent()).returnHost).toBe(`returns.${NAME}`);
  });
});

test('rotation: the old keys sign until the new ones are published, and their records stay until their email has drained', async () => {
  await start();
  const before = await signing();
  const old = before.keys.map(({ selector }) => selector).sort();
  const rotated = await operator.domains.rotate(NAME);
  expect(rotated.keys).toHaveLength(4);
  // Again is not once more: these wait.
  expect((await operator.domains.rotate(NAME)).keys).toHaveLength(4);
  await clock.move(MINUTE);
  expect((await sent()).selectors).toEqual(old);
  const fresh = rotated.keys
    .map(({ selector }) => selector)
    .filter((selector) => !old.includes(selector))
    .sort();
  // Both are there: the old records are not taken out.
  publish({
    ...rotated,
    records: [...before.records, ...rotated.records.filter(({ name }) => fresh.some((selector) => name.startsWith(`${selector}.`)))],
  });
  await operator.domains.check(NAME);
  expect((await sent()).selectors).toEqual(old);
  await clock.move(2 * MINUTE);
  expect((await sent()).selectors).toEqual(fresh);
  const after = await operator.domains.check(NAME);
  expect(
    after.keys
      .filter(({ state }) => state === 'retired')
      .map(({ selector }) => selector)
      .sort(),
  ).toEqual(old);
  expect(after.notes.join(' ')).toContain(`Leave the record at ${old[0]}._domainkey.${NAME} until 2026-11-09`);
  expect(after.state).toBe('right');
  clock.jump(7 * DAY + HOUR);
  const late = await operator.domains.check(NAME);
  expect(late.notes.join(' ')).toContain(`The old key at ${old[0]}._domainkey.${NAME} is still published`);
  publish(late);
  expect((await operator.domains.check(NAME)).keys.map(({ selector }) => selector).sort()).toEqual(fresh);
});

test('another return host: bounces to the old one are accepted for 30 days, to a third never', async () => {
  await start();
  await signing();
  const { returnHost } = await sent();
  expect(returnHost).toBe(`returns.${NAME}`);
  const changed = await operator.domains.change(NAME, { returnHost: `bounce.${NAME}` });
  publish(changed);
  await operator.domains.check(NAME);
  expect((await sent()).returnHost).toBe(`bounce.${NAME}`);
  const accepts = (host: string): Promise<number> => rcpt(all.service.returnsPort, `postmaster@${host}`);
  expect([await accepts(returnHost), await accepts(`bounce.${NAME}`), await accepts('returns.quayside.example')]).toEqual([250, 250, 250]);
  expect([await accepts(`other.${NAME}`), await rcpt(all.service.returnsPort, `someone@${returnHost}`)]).toEqual([550, 550]);
  clock.jump(30 * DAY + HOUR);
  expect([await accepts(returnHost), await accepts(`bounce.${NAME}`)]).toEqual([550, 250]);
  expect(await refusal(operator.domains.add({ name: 'drydock.example', returnHost: `bounce.${NAME}` }))).toBe('host-in-use');
});

/** The code of the answer to RCPT. */
async function rcpt(port: number, address: string): Promise<number> {
  const socket = connect(port, '127.0.0.1');
  let heard = '';
  socket.on('data', (bytes: Buffer) => (heard += bytes.toString()));
  const answers = (count: number): Promise<string> => until(() => heard.split('\r\n').filter((line) => /^\d{3} /.test(line))[count - 1]);
  await answers(1);
  for (const [i, command] of ['EHLO mx.example', 'MAIL FROM:<>', `RCPT TO:<${address}>`].entries()) {
    socket.write(`${command}\r\n`);
    await answers(i + 2);
  }
  const code = Number((await answers(4)).slice(0, 3));
  socket.destroy();
  return code;
}

test('a removed domain is gone with all that belongs to it; one that is added again has new keys', async () => {
  await start();
  const view = await signing();
  await operator.domains.remove(NAME);
  expect(await refusal(operator.domains.get(NAME))).toBe('unknown-domain');
  expect((await operator.domains.list()).domains).toEqual([]);
  expect((await sent()).selectors).toEqual([]);
  expect(await rcpt(all.service.returnsPort, `postmaster@returns.${NAME}`)).toBe(250);
  const again = await operator.domains.add({ name: NAME });
  expect(again.records[0]?.value).not.toBe(view.records[0]?.value);
  expect((await operator.domains.checks(NAME)).checks.length).toBeLessThan(2);
});

test('checks that find the same are one row; after 90 days they are gone', async () => {
  await start();
  const view = await signing();
  await clock.move(5 * HOUR);
  const { checks } = await operator.domains.checks(NAME);
  const [last] = checks;
  expect(last).toMatchObject({ state: 'right', times: expect.any(Number) });
  expect(last?.times).toBeGreaterThan(4);
  publish(view, ({ purpose }) => purpose !== 'dmarc');
  await operator.domains.check(NAME);
  expect((await operator.domains.checks(NAME)).checks).toHaveLength(checks.length + 1);
  clock.jump(91 * DAY);
  await clock.move(HOUR);
  const kept = (await operator.domains.checks(NAME)).checks;
  expect(kept.filter(({ lastAt }) => Date.parse(lastAt) < clock.now() - 90 * DAY)).toEqual([]);
  expect(kept.length).toBeGreaterThan(0);
});

describe('the page for whoever owns the DNS', () => {
  const read = (url: string, method = 'GET'): Promise<{ status: number; text: string }> =>
    fetch(url, { method, redirect: 'manual' }).then(async (response) => ({ status: response.status, text: await response.text() }));

  test('shows the records and how they are, and checks again, but not as often as someone likes', async () => {
    await start();
    const added = await operator.domains.add({ name: NAME });
    await clock.move(SECOND);
    const { url, expiresAt } = await operator.domains.share(NAME, { days: 7 });
    expect(Date.parse(expiresAt)).toBe(clock.now() + 7 * DAY);
    const first = await read(url);
    expect(first.status).toBe(200);
    for (const { value } of added.records) expect(first.text).toContain(value.replaceAll('"', '&quot;'));
    expect(first.text).toContain('5 of 5 records need your attention');
    publish(added);
    // It was checked a moment ago.
    expect((await read(url, 'POST')).status).toBe(303);
    expect(await stateOf()).toBe('open');
    await clock.move(11 * SECOND);
    await read(url, 'POST');
    expect((await read(url)).text).toContain('All records are right');
  });

  test('an address that is altered, has ended, or is of a removed domain shows nothing', async () => {
    await start();
    await operator.domains.add({ name: NAME });
    await operator.domains.add({ name: 'drydock.example' });
    const { url } = await operator.domains.share(NAME, { days: 1 });
    const token = url.slice(url.lastIndexOf('/') + 1);
    const [name = '', end = '', mac = ''] = token.split('~');
    const altered = [
      `drydock.example~${end}~${mac}`,
      `${name}~${end}z~${mac}`,
      `${name}~${end}~${mac.slice(1)}A`,
      `${name}~${end}~`,
      `${name}~${end}`,
      name,
      `${token}~x`,
      `${name.toUpperCase()}~${end}~${mac}`,
      `${name}~-1~${mac}`,
      encodeURIComponent(`${name}\u0000~${end}~${mac}`),
    ];
    for (const other of altered)
      for (const method of ['GET', 'POST']) {
        const { status, text } = await read(`${all.service.url}/domain/${other}`, method);
        expect([other, status, text.includes('_domainkey')]).toEqual([other, 404, false]);
      }
    expect((await read(url)).status).toBe(200);
    clock.jump(DAY);
    expect((await read(url)).status).toBe(404);
    const fresh = (await operator.domains.share(NAME, {})).url;
    await operator.domains.unshare(NAME);
    expect((await read(fresh)).status).toBe(404);
    const last = (await operator.domains.share(NAME, {})).url;
    expect((await read(last)).status).toBe(200);
    await operator.domains.remove(NAME);
    await operator.domains.add({ name: NAME });
    expect((await read(last)).status).toBe(404);
  });
});

describe('on the command line', () => {
  // Reads a zone with a library of someone else, and prints each record's strings.
  const READ = `
import dns.zone, json, sys
zone = dns.zone.from_text(sys.stdin.read(), origin='${NAME}.', relativize=False, check_origin=False)
print(json.dumps({str(name): [[s.decode() for s in rdata.strings] for rdata in zone.find_rdataset(name, 'TXT')] for name in zone.nodes if zone.get_rdataset(name, 'TXT')}))
`;

  test('records as lines of a zone file: what others read of them is the text, in strings that a record can hold', async () => {
    await start();
    const { records } = await operator.domains.add({ name: NAME });
    const texts = records.filter(({ type }) => type === 'TXT');
    expect(Math.max(...texts.map(({ value }) => value.length))).toBeGreaterThan(255);
    const { out, code } = await verbalis('records', `${NAME.toUpperCase()}.`, '--format', 'zone');
    expect(code).toBe(0);
    const { stdout, stderr } = spawnSync('/usr/bin/python3', ['-c', READ], { input: out, encoding: 'utf8' });
    expect(stderr).toBe('');
    const zone = JSON.parse(stdout) as Record<string, string[][]>;
    expect(Object.fromEntries(Object.entries(zone).map(([name, [strings = []]]) => [name, strings.join('')]))).toEqual(
      Object.fromEntries(texts.map(({ name, value }) => [`${name}.`, value])),
    );
    for (const [strings = []] of Object.values(zone)) for (const string of strings) expect(string.length).toBeLessThanOrEqual(255);
  });

  test('add, check, log, share, rotate, change, list, remove', async () => {
    await start();
    const added = await verbalis('add', NAME);
    expect([added.code, added.out, added.err]).toEqual([
      0,
      expect.stringContaining('v=DKIM1; k=rsa; p='),
      expect.stringContaining('verbalis domains share'),
    ]);
    await clock.move(SECOND);
    const open = await verbalis('check', NAME);
    expect([open.code, open.out]).toEqual([
      1,
      expect.stringMatching(/5 of 5 records need attention[^]*There is no TXT record at v20261102e/),
    ]);
    publish(await operator.domains.get(NAME));
    expect(await verbalis('check', NAME)).toMatchObject({
      code: 0,
      out: expect.stringMatching(/all records are right[^]*is published and signs from/),
    });
    expect((await verbalis('log', NAME, '--answers')).out).toMatch(/: right\n[^]*ns\.simulated\.example: TXT _dmarc[^]*: open\n/);
    expect((await verbalis('share', NAME, '--days', '3')).out).toMatch(/^http:\/\/127\.0\.0\.1:\d+\/domain\/saltmarsh-ferries\.example~/);
    expect((await verbalis('share', NAME, '--end')).out).toContain('show nothing any more');
    expect((await verbalis('change', NAME, '--policy', 'quarantine')).out).toContain(
      'p=none at saltmarsh-ferries.example, and quarantine is wanted',
    );
    expect((await verbalis('rotate', NAME)).code).toBe(0);
    expect((await verbalis('list')).out).toMatch(/saltmarsh-ferries\.example +. right|saltmarsh-ferries\.example +. open/);
    expect((await verbalis('remove', NAME, '--yes')).out).toContain('removed with its keys');
    const wrong = await verbalis('show', 'sandmarsh.example');
    expect([wrong.code, wrong.err]).toEqual([4, expect.stringContaining('verbalis domains add sandmarsh.example')]);
  });
});
