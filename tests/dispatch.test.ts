import autocannon from 'autocannon';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, type Client, type Message } from '@verbalis/client';
import { fieldOf, foreignMail, readMail, shownText } from '@verbalis/core/mime';
import { backupDatabase, startService } from '@verbalis/service';
import { readConfig } from '@verbalis/service/settings';
import { SmtpConnection } from '@verbalis/service/smtp';
import { startSmtpProvider, type SmtpSimulator } from '@verbalis/simulators';
import { stringify } from 'yaml';
import { movableClock } from './support/clock.js';
import { booking, DEMO_FOLDER, OPERATOR, startTestService, temporaryFolder, until, type TestService } from './support/service.js';

const HOUR = 3_600_000;

describe('with a clock that is moved', () => {
  const START = Date.parse('2026-03-27T12:00:00Z');
  const clock = movableClock(START);
  const folder = temporaryFolder();
  let relay: SmtpSimulator;
  let second: SmtpSimulator;
  let stop: () => Promise<void>;
  let client: Client;
  const script: Record<string, 'defer-twice'> = { 'slow@post.example': 'defer-twice' };

  beforeAll(async () => {
    const make = (name: string) =>
      startSmtpProvider({ name, host: '127.0.0.1', port: 0, script, returnsTo: { host: '127.0.0.1', port: 1 }, reportAfterMs: 10 });
    relay = await make('relay');
    second = await make('second');
    const file = join(folder.path, 'verbalis.yaml');
    const mail = { mailFolder: DEMO_FOLDER, senderDomains: ['saltmarsh-ferries.example'] };
    writeFileSync(
      file,
      stringify({
        listen: { port: 0 },
        returns: { port: 0 },
        log: { level: 'fatal' },
        dispatch: {
          retryByCause: { 'rate-or-greylist': { firstSeconds: 72_000, growth: 1, mostSeconds: 72_000 } },
          retry: { firstSeconds: 60, growth: 1, mostSeconds: 60 },
        },
        providers: {
          relay: { kind: 'smtp', host: '127.0.0.1', port: relay.port },
          second: { kind: 'smtp', host: '127.0.0.1', port: second.port },
          dead: { kind: 'smtp', host: '127.0.0.1', port: 1 },
          gone: { kind: 'smtp', host: '127.0.0.1', port: 1 },
          warming: {
            kind: 'smtp',
            host: '127.0.0.1',
            port: relay.port,
            limits: { warmUp: { first: 2, growth: 2, most: 100, since: '2026-03-20' } },
          },
        },
        spaces: {
          plain: { mode: 'deliver', ...mail, route: ['relay'] },
          failing: { mode: 'deliver', ...mail, route: ['gone', 'second'] },
          lonely: { mode: 'deliver', ...mail, route: ['dead'] },
        },
      }),
    );
    const service = await startService({ config: readConfig(file, {}), operatorSecret: OPERATOR, clock });
    stop = service.stop;
    clock.busy = service.busy;
    client = createClient({ url: service.url, key: OPERATOR, space: 'plain' });
    Object.assign(
      clients,
      Object.fromEntries(['plain', 'failing', 'lonely'].map((space) => [space, createClient({ url: service.url, key: OPERATOR, space })])),
    );
  });
  const clients: Record<string, Client> = {};
  afterAll(async () => {
    await stop();
    await relay.close();
    await second.close();
    folder.remove();
  });
  const stateOf = async (id: string): Promise<Message['deliveries'][number]> => (await client.messages.get(id)).deliveries[0]!;

  test('a message that is put off for 20 hours is tried then, not before', async () => {
    const { id } = await client.messages.send(booking('slow@post.example'));
    await clock.move(HOUR);
    expect(await stateOf(id)).toMatchObject({ state: 'delayed', attempts: [{ outcome: 'deferred' }] });
    await clock.move(13 * HOUR);
    expect((await stateOf(id)).attempts).toHaveLength(1);
    await clock.move(60 * HOUR);
    expect(await stateOf(id)).toMatchObject({ state: 'accepted', attempts: [{}, {}, { outcome: 'accepted' }] });
  });

  test('a scheduled mail goes at its clock time, also across a change of the clocks', async () => {
    // The clocks in Paris change in the night to the 29th of March.
    const now = clock.now();
    const day = new Date(now + 24 * HOUR).toISOString().slice(0, 10);
    const { id } = await client.messages.send({ ...booking('asa@post.example'), notBefore: `${day}T09:00`, timeZone: 'Europe/Paris' });
    const { nextAttemptAt } = await stateOf(id);
    expect(nextAttemptAt).toBe(`${day}T07:00:00.000Z`);
    await clock.move(Date.parse(`${day}T06:59:00Z`) - now);
    expect((await stateOf(id)).state).toBe('queued');
    await clock.move(2 * 60_000);
    expect((await stateOf(id)).state).toBe('accepted');
  });

  test('a code that has expired is never sent', async () => {
    const lonely = clients['lonely'] as Client;
    const { id } = await lonely.messages.send({
      ...booking('late@post.example'),
      expiresAt: new Date(clock.now() + 10 * 60_000).toISOString(),
    });
    await clock.move(9 * 60_000);
    // Its only provider is in trouble, which is no fault of the recipient's.
    expect((await lonely.messages.get(id)).deliveries[0]!).toMatchObject({
      state: 'queued',
      waitsFor: expect.stringContaining('dead is in trouble: Connection refused'),
    });
    await clock.move(2 * 60_000);
    const after = (await lonely.messages.get(id)).deliveries[0]!;
    expect(after).toMatchObject({ state: 'expired', cause: 'expired' });
    const tries = after.attempts.length;
    await clock.move(24 * HOUR);
    expect((await lonely.messages.get(id)).deliveries[0]!.attempts).toHaveLength(tries);
    await expect(lonely.messages.send({ ...booking('x@post.example'), expiresAt: '2020-01-01T00:00:00Z' })).rejects.toMatchObject({
      problem: { problems: [{ path: 'expiresAt' }] },
    });
  });

  test('a provider that fails is left for the next at once', async () => {
    const failing = clients['failing'] as Client;
    const { id } = await failing.messages.send(booking('asa@post.example'));
    await clock.move(1000);
    expect((await failing.messages.get(id)).deliveries[0]).toMatchObject({
      state: 'accepted',
      attempts: [
        { provider: 'gone', outcome: 'trouble' },
        { provider: 'second', outcome: 'accepted' },
      ],
    });
    for (let i = 0; i < 4; i += 1) await failing.messages.send(booking(`asa${i}@post.example`));
    await clock.move(1000);
    const { providers } = await failing.providers.list();
    expect(providers.find((provider) => provider.name === 'gone')).toMatchObject({ state: 'resting' });
    expect(providers.find((provider) => provider.name === 'second')).toMatchObject({ state: 'working' });
  });

  test('called back and rescheduled while it waits, not after', async () => {
    const at = new Date(clock.now() + HOUR).toISOString();
    const first = await client.messages.send({ ...booking('asa@post.example'), notBefore: at });
    const next = await client.messages.send({ ...booking('asa@post.example'), notBefore: at });
    expect(await client.messages.cancel(first.id)).toMatchObject({ changed: [expect.any(String)], late: [] });
    await client.messages.reschedule(next.id, { notBefore: new Date(clock.now() + 3 * HOUR).toISOString() });
    await clock.move(2 * HOUR);
    expect((await stateOf(first.id)).state).toBe('canceled');
    expect((await stateOf(next.id)).state).toBe('queued');
    expect((await client.queue.get()).waiting).toBe(1);
    await clock.move(2 * HOUR);
    expect((await stateOf(next.id)).state).toBe('accepted');
    expect(await client.messages.cancel(next.id)).toMatchObject({ changed: [], late: [expect.any(String)] });
  });
});

describe('at the door', () => {
  let all: TestService;
  let submissionPort = 0;
  const clients: Record<string, Client> = {};
  beforeAll(async () => {
    const mail = { mailFolder: DEMO_FOLDER };
    all = await startTestService({
      change: {
        submission: { port: 0 },
        metrics: { spaces: true },
        spaces: {
          // Hundreds of messages go to one address.
          harbour: { mode: 'deliver', ...mail, route: ['relay'], runaway: false },
          trial: {
            mode: 'deliver',
            ...mail,
            route: ['relay'],
            mark: { text: '[trial]' },
            recipients: { allowed: ['@crew.example'], redirectTo: 'team@crew.example' },
          },
          closed: {
            mode: 'deliver',
            ...mail,
            route: ['relay'],
            mark: { text: '(closed)', place: 'after' },
            recipients: { allowed: ['@crew.example'] },
          },
          empty: { mode: 'deliver', route: ['relay'], senderDomains: ['empty.example'] },
        },
      },
    });
    submissionPort = all.service.submissionPort ?? 0;
    for (const space of ['harbour', 'trial', 'closed', 'empty'])
      clients[space] = createClient({ url: all.service.url, key: OPERATOR, space });
  });
  afterAll(() => all.stop());
  const of = (space: string): Client => clients[space] as Client;
  const ended = (space: string, id: string): Promise<Message> =>
    until(async () => {
      const message = await of(space).messages.get(id);
      return message.deliveries.every((delivery) => delivery.state === 'accepted') ? message : undefined;
    });
  const mailOf = async (space: string, id: string) => readMail(Buffer.from(await of(space).messages.source(id)));

  test('a batch: each or all, with a result for every entry, and never twice', async () => {
    const entries = [
      booking('a@post.example'),
      { ...booking('b@post.example'), data: {} },
      { ...booking('c@post.example'), colour: 'red' },
      booking('d@post.example'),
    ];
    const batch = { mode: 'each' as const, messages: entries as unknown as Record<string, unknown>[] };
    const first = await of('harbour').messages.sendBatch(batch, { idempotencyKey: 'batch-1' });
    expect(first).toMatchObject({
      accepted: 2,
      refused: 2,
      results: [
        { index: 0, id: expect.any(String) },
        { index: 1, problems: expect.any(Array) },
        { index: 2, problems: [{ path: 'colour' }] },
        { index: 3 },
      ],
    });
    expect(await of('harbour').messages.sendBatch(batch, { idempotencyKey: 'batch-1' })).toEqual(first);
    // None is taken: the answer names every fault with the place of its entry.
    await expect(of('harbour').messages.sendBatch({ ...batch, mode: 'all' })).rejects.toMatchObject({
      problem: {
        status: 422,
        problems: expect.arrayContaining([
          expect.objectContaining({ path: expect.stringMatching(/^messages\[1\]\.data\./) }),
          expect.objectContaining({ path: 'messages[2].colour' }),
        ]),
      },
    });
    expect(await of('harbour').messages.sendBatch({ mode: 'each', messages: [{ colour: 'red' }] })).toMatchObject({
      accepted: 0,
      refused: 1,
    });
    const many = Array.from({ length: 1000 }, (_, i) => booking(`guest${i}@post.example`)) as unknown as Record<string, unknown>[];
    expect(await of('harbour').messages.sendBatch({ mode: 'all', messages: many })).toMatchObject({ accepted: 1000, refused: 0 });
  });

  test('an email without a template', async () => {
    const { id } = await of('harbour').messages.send({
      to: ['asa@post.example'],
      subject: 'Ready',
      html: '<h1>Hi</h1><p>A <a href="https://x.example/">link</a></p>',
    });
    await ended('harbour', id);
    const mail = await mailOf('harbour', id);
    expect(shownText(mail, 'html')).toContain('<h1>Hi</h1>');
    expect(shownText(mail, 'plain')).toContain('Hi\r\n==');
    await expect(of('harbour').messages.send({ to: ['asa@post.example'] })).rejects.toMatchObject({
      problem: { problems: [{ path: 'subject' }, { path: 'text' }] },
    });
  });

  test('rules of a space: its mark, who may get mail, and who gets it instead', async () => {
    const trial = await of('trial').messages.send(booking('Ása <asa@post.example>'));
    const message = await ended('trial', trial.id);
    expect(message).toMatchObject({
      subject: '[trial] Booking SM-1042: Brackwater to Tern Island',
      deliveries: [{ address: 'team@crew.example', intended: 'asa@post.example' }],
    });
    const mail = await mailOf('trial', trial.id);
    expect(fieldOf(mail, 'verbalis-intended-for')).toBe('asa@post.example');
    expect(shownText(mail, 'plain')).toMatch(/^\[This mail was meant for asa@post\.example\]/);
    expect(shownText(mail, 'html')).toContain('This mail was meant for asa@post.example');
    const closed = await of('closed').messages.send({ ...booking('asa.closed@post.example'), cc: ['x@crew.example'] });
    const kept = await ended('closed', closed.id);
    expect(kept.subject).toMatch(/\(closed\)$/);
    expect(kept.deliveries.map((delivery) => [delivery.address, delivery.attempts[0]!.provider])).toEqual([
      ['asa.closed@post.example', 'capture'],
      ['x@crew.example', 'relay'],
    ]);
    expect(all.simulator.seen.has('x@crew.example')).toBe(true);
    expect(all.simulator.seen.has('asa.closed@post.example')).toBe(false);
  });

  test('an email handed in by SMTP with a key', async () => {
    const raw = Buffer.from(
      'From: Harbour <harbour@saltmarsh-ferries.example>\r\nTo: asa@post.example\r\nBcc: quiet@post.example\r\nSubject: By =?utf-8?q?hand_=E2=86=92?=\r\nX-Own: 1\r\n\r\n.A line\r\n',
    );
    const hand = async (password: string, mail = raw) => {
      const credentials = { user: 'app', password };
      const connection = new SmtpConnection({ host: '127.0.0.1', port: submissionPort, helloName: 'app', credentials, openLogin: true });
      const opened = await connection.open();
      const outcome =
        opened === 'ready' ? await connection.deliver({ from: 'x@y.example', to: 'asa@post.example' }, foreignMail(mail)) : opened;
      connection.close();
      return outcome;
    };
    expect(await hand('wrong')).toMatchObject({ kind: 'trouble', phase: 'login', reply: { code: 535 } });
    expect(await hand(all.key, Buffer.from('From: x@elsewhere.example\r\n\r\nx'))).toMatchObject({ kind: 'refused', reply: { code: 550 } });
    const outcome = await hand(all.key);
    expect(outcome).toMatchObject({ kind: 'accepted' });
    const id = /Accepted as (\w+)/.exec(outcome.reply!.lines.join(' '))![1]!;
    const message = await ended('harbour', id);
    expect(message).toMatchObject({ subject: 'By hand →', deliveries: [{ address: 'asa@post.example' }] });
    const mail = await mailOf('harbour', id);
    expect(mail.fields.map((field) => field.name)).toEqual(expect.arrayContaining(['from', 'subject', 'x-own', 'message-id', 'date']));
    expect(mail.fields.map((field) => field.name)).not.toContain('bcc');
    expect(Buffer.from(mail.body).toString()).toBe('.A line\r\n');
  });

  test('editions: published by hashes, compared, switched; a message keeps its own', async () => {
    const client = of('empty');
    await expect(client.messages.send(booking('asa@post.example'))).rejects.toMatchObject({
      problem: { type: expect.stringContaining('nothing-published') },
    });
    const { createHash } = await import('node:crypto');
    const put = async (files: Record<string, string>) => {
      const hash = (text: string): string => createHash('sha256').update(text).digest('hex');
      const manifest = Object.fromEntries(Object.entries(files).map(([path, text]) => [path, hash(text)]));
      const asked = await client.editions.publish({ manifest, contents: {} });
      const contents = Object.fromEntries(
        Object.values(files)
          .filter((text) => asked.missing.includes(hash(text)))
          .map((text) => [hash(text), Buffer.from(text).toString('base64')]),
      );
      return {
        created: asked.missing.length,
        ...(asked.missing.length > 0 ? await client.editions.publish({ manifest, contents }) : asked),
      };
    };
    const files = {
      'mail.yaml': 'name: x\nsender: a@empty.example\n',
      'templates/hello/data.schema.json': '{"type":"object"}',
      'templates/hello/message.md': '---\nsubject: One\n---\nHello',
    };
    expect(await put(files)).toMatchObject({
      created: 3,
      edition: { number: 1, inUse: true },
      changes: [{ change: 'added' }, { change: 'added' }, { change: 'added' }],
    });
    const later = await client.messages.send({
      template: 'hello',
      to: ['a@post.example'],
      notBefore: new Date(Date.now() + HOUR).toISOString(),
    });
    expect(await put({ ...files, 'templates/hello/message.md': '---\nsubject: Two\n---\nHello' })).toMatchObject({
      created: 1,
      edition: { number: 2 },
      changes: [{ path: 'templates/hello/message.md', change: 'changed' }],
    });
    await expect(put({ ...files, 'templates/hello/message.md': 'No subject' })).rejects.toMatchObject({
      problem: { type: expect.stringContaining('edition-errors') },
    });
    expect((await client.messages.send({ template: 'hello', to: ['a@post.example'] })).subject).toBe('Two');
    expect((await client.messages.get(later.id)).subject).toBe('One');
    await client.editions.use({ number: 1 });
    expect((await client.messages.send({ template: 'hello', to: ['a@post.example'] })).subject).toBe('One');
    expect((await client.editions.list()).editions.map((edition) => [edition.number, edition.inUse])).toEqual([
      [2, false],
      [1, true],
    ]);
    expect((await client.editions.diff(1, 2)).changes).toHaveLength(1);
  });

  test('a paused provider holds its mail; the queue and the figures say so', async () => {
    await of('harbour').providers.pause('relay');
    const { id } = await of('harbour').messages.send(booking('asa@post.example'));
    await until(async () => ((await of('harbour').queue.get()).waiting > 0 ? true : undefined));
    expect((await of('harbour').messages.get(id)).deliveries[0]!.attempts).toEqual([]);
    const figures = await (await fetch(`${all.service.url}/metrics`)).text();
    expect(figures).toContain('verbalis_queue_deliveries{space="harbour"');
    expect(figures).toMatch(/# EOF\n$/);
    // A deadline counts also where nothing moves.
    const soon = { ...booking('ulf@post.example'), expiresAt: new Date(Date.now() + 700).toISOString() };
    const late = await of('harbour').messages.send(soon);
    await until(async () => ((await of('harbour').messages.get(late.id)).deliveries[0]!.state === 'expired' ? true : undefined));
    await of('harbour').providers.resume('relay');
    await ended('harbour', id);
  });

  test('right and wrong requests mixed, many at once: each has its answer, and none is the service’s fault', async () => {
    const right = JSON.stringify({ ...booking('asa@post.example'), notBefore: new Date(Date.now() + HOUR).toISOString() });
    const bodies = [
      right,
      right.slice(0, -1),
      right,
      '{"to":[]}',
      right,
      JSON.stringify({ ...booking('no address'), data: 7 }),
      right,
      '[]',
    ];
    const authorization = (i: number): string => (i % 7 === 6 ? 'Bearer verbalis-wrong' : `Bearer ${all.key}`);
    const result = await autocannon({
      url: all.service.url,
      connections: 20,
      duration: 3,
      requests: bodies.map((body, i) => ({
        method: 'POST',
        path: '/v1/messages',
        headers: { 'content-type': 'application/json', authorization: authorization(i) },
        body,
      })),
    });
    const codes = Object.keys(result.statusCodeStats ?? {}).sort();
    const { requests, latency } = result;
    process.stderr.write(`mixed requests: ${requests.total} answers, p50 ${latency.p50} ms, p99 ${latency.p99} ms\n`);
    expect(codes).toEqual(['202', '400', '401', '422']);
    expect(result.errors + result.timeouts).toBe(0);
  });

  test('a backup of the running database is whole', async () => {
    const { id } = await of('harbour').messages.send(booking('asa@post.example'));
    await ended('harbour', id);
    const copy = temporaryFolder();
    const file = join(copy.path, 'copy.sqlite');
    backupDatabase(readConfig(join(all.folder, 'verbalis.yaml'), {}), file);
    const config = readConfig(join(all.folder, 'verbalis.yaml'), {
      VERBALIS_DATABASE_FILE: file,
      VERBALIS_SECRETS_FILE: join(all.folder, 'verbalis.secrets.json'),
    });
    const restored = await startService({ config, operatorSecret: OPERATOR });
    const found = await createClient({ url: restored.url, key: OPERATOR, space: 'harbour' }).messages.get(id);
    expect(found.deliveries[0]).toMatchObject({ state: 'accepted' });
    await restored.stop();
    copy.remove();
  });
});
