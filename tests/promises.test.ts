import { spawn, type ChildProcess } from 'node:child_process';
import { createHash, createHmac, randomBytes } from 'node:crypto';
import { existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { afterAll, describe, expect, test } from '@jest/globals';
import Sqlite from 'better-sqlite3';
import { createClient } from '@verbalis/client';
import { startSmtpProvider } from '@verbalis/simulators';
import { freePort } from './support/postfix.js';
import { booking, OPERATOR, ROOT, smallMailFolder, startTestService, temporaryFolder, until } from './support/service.js';

// What was broken once, each as it was broken.
const CLI = join(ROOT, 'packages/cli/bin/verbalis.js');
const SECRET = 'what only the provider knows';
const folders = [temporaryFolder()];
afterAll(() => {
  for (const folder of folders) folder.remove();
});

const auth = (key: string) => ({ authorization: `Bearer ${key}` });

describe('writes that come together', () => {
  test('uploads arrive byte for byte while another client repeats batches with one idempotency key', async () => {
    const { client, service, key, stop } = await startTestService();
    try {
      const files = Array.from({ length: 8 }, () => new Uint8Array(randomBytes(2_400_000)));
      const batch = { mode: 'each' as const, messages: [booking('asa@post.example'), booking('liv@post.example', 'SM-1043')] };
      let isDone = false;
      const repeating = (async () => {
        while (!isDone) await Promise.all([1, 2, 3].map(() => client.messages.sendBatch(batch, { idempotencyKey: 'the-same' })));
      })();
      const uploads = await Promise.all(files.map((bytes, i) => client.uploads.add(new Blob([bytes]), { name: `file-${i}.bin` })));
      isDone = true;
      await repeating;
      uploads.forEach(({ size, sha256 }, i) => {
        const bytes = files[i]!;
        expect([size, sha256]).toEqual([bytes.length, createHash('sha256').update(bytes).digest('hex')]);
      });
      const sent = await client.messages.send({ ...booking('asa@post.example', 'SM-1049'), attachments: [{ upload: uploads[0]!.id }] });
      const source = await until(async () => {
        const response = await fetch(`${service.url}/v1/messages/${sent.id}/source`, { headers: auth(key) });
        return response.ok ? response.text() : undefined;
      });
      const lines = /filename[^\n]*file-0\.bin[\s\S]*?\r\n\r\n([A-Za-z0-9+/=\r\n]+)\r\n--/.exec(source)?.[1] ?? '';
      expect(createHash('sha256').update(Buffer.from(lines, 'base64')).digest('hex')).toBe(uploads[0]!.sha256);
    } finally {
      await stop();
    }
  });

  test('the same batch twice at the same time is one batch, however often it is tried', async () => {
    const { client, stop } = await startTestService();
    try {
      for (let i = 0; i < 25; i += 1) {
        const messages = [booking(`asa${i}@post.example`), booking(`liv${i}@post.example`, 'SM-1043')];
        const [one, two] = await Promise.all(
          [1, 2].map(() => client.messages.sendBatch({ mode: 'each', messages }, { idempotencyKey: `pair-${i}` })),
        );
        expect(one).toEqual(two);
        expect(one).toMatchObject({ accepted: 2, refused: 0 });
      }
      // Another body under the same key is refused, also when both come at once.
      const other = await Promise.allSettled(
        ['SM-1044', 'SM-1045'].map((reference) =>
          client.messages.sendBatch({ mode: 'all', messages: [booking('asa@post.example', reference)] }, { idempotencyKey: 'two-bodies' }),
        ),
      );
      expect(other.map((promiseSettledResult) => promiseSettledResult.status).sort()).toEqual(['fulfilled', 'rejected']);
    } finally {
      await stop();
    }
  });

  test('a file that is locked from outside: 503 with Retry-After, while health answers; afterwards all is well', async () => {
    const { client, service, folder, key, stop } = await startTestService();
    try {
      const other = new Sqlite(join(folder, 'verbalis.sqlite'));
      other.exec('begin immediate');
      const refused = fetch(`${service.url}/v1/messages`, {
        method: 'POST',
        headers: { ...auth(key), 'content-type': 'application/json' },
        body: JSON.stringify(booking('asa@post.example')),
      });
      let looks = 0;
      const answer = await Promise.race([
        refused,
        (async () => {
          for (;;) {
            expect((await fetch(`${service.url}/health/live`)).status).toBe(200);
            looks += 1;
          }
        })(),
      ]);
      expect(answer.status).toBe(503);
      expect(Number(answer.headers.get('retry-after'))).toBeGreaterThan(0);
      expect(await answer.json()).toMatchObject({
        type: 'urn:verbalis:problem:store-unavailable',
        detail: 'Another process is writing to the database file. Nothing was stored.',
      });
      // The event loop went on for the whole time.
      expect(looks).toBeGreaterThan(20);
      other.exec('rollback');
      other.close();
      expect((await client.messages.send(booking('asa@post.example'))).deliveries).toHaveLength(1);
    } finally {
      await stop();
    }
  });
});

/** A provider that calls about its mail, signed; events are under "events" and found by a path. */
const called = (events: string, extra: object = {}) => ({
  kind: 'http',
  request: { url: 'http://127.0.0.1:9/', json: { to: '{{ message.recipient.address }}' } },
  answer: {},
  callbacks: {
    signature: { kind: 'hmac', secret: SECRET, signature: 'header:x-signature', toleranceSeconds: 86_400 },
    events,
    fields: { type: '$.what', id: '$.nr', mail: '$.mail', messageId: '$.message', at: '$.at', ...extra },
    words: { arrived: 'delivered', late: 'delayed' },
  },
});

async function call(url: string, name: string, body: unknown): Promise<Response> {
  const text = JSON.stringify(body);
  return fetch(`${url}/v1/callbacks/${name}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', 'x-signature': createHmac('sha256', SECRET).update(text).digest('hex') },
    body: text,
  });
}

describe('what cannot be processed', () => {
  test('a call that no path can read waits in quarantine; those behind it go on, health answers, and stopping works', async () => {
    const { client, service, logs, ended, stop } = await startTestService({
      change: (port) => ({
        providers: {
          relay: { kind: 'smtp', host: '127.0.0.1', port },
          // There are no events where this looks for them, unless the body is what it should be.
          parcel: called('$.events[*]'),
          plain: called('$'),
        },
      }),
    });
    try {
      const operator = createClient({ url: service.url, key: OPERATOR, space: 'harbour' });
      const { id } = await client.messages.send(booking('asa@post.example'));
      await ended(id, 'accepted');
      for (const body of [null, 5, { events: [null] }, { events: 'x' }]) expect((await call(service.url, 'parcel', body)).status).toBe(422);
      expect((await call(service.url, 'plain', null)).status).toBe(422);
      const good = [{ what: 'arrived', nr: 'e1', message: (await client.messages.get(id)).id }];
      expect((await call(service.url, 'plain', good)).status).toBe(200);
      // The good one behind them is read.
      await until(async () => {
        const { returns } = await operator.returns.list({ matched: 'no' });
        return returns.some(({ subject }) => subject === 'arrived') ? true : undefined;
      });
      expect((await fetch(`${service.url}/health/live`)).status).toBe(200);
      expect(logs.join('').length).toBeLessThan(200_000);
      // Four tries, one, five and thirty seconds apart; then they wait for a person, who may drop them or try again.
      const items = await until(async () => {
        const found = (await operator.quarantine.list()).items.filter((item) => item.worker === 'callbacks');
        return found.length >= 3 ? found : undefined;
      });
      const titles = items.map((item) => item.title).sort();
      expect(titles).toEqual(['Call from parcel, 1 byte', 'Call from parcel, 14 bytes', 'Call from parcel, 4 bytes']);
      for (const { id: item, error } of items) {
        expect(error).toContain('finds nothing in this call');
        await operator.quarantine.retry(item);
      }
      expect((await operator.quarantine.list()).items.filter((item) => item.worker === 'callbacks')).toEqual([]);
      // Nobody but the operator sees what belongs to nobody.
      expect((await client.quarantine.list()).items).toEqual([]);
    } finally {
      await stop();
    }
  });

  test('an event from another age is stored as of now, and lists and subscriptions go on, also after a restart', async () => {
    const folder = temporaryFolder();
    folders.push(folder);
    const { client, service, ended, stop } = await startTestService({
      change: (port) => ({
        databaseFile: join(folder.path, 'v.sqlite'),
        secretsFile: join(folder.path, 'secrets.json'),
        outside: { allow: ['127.0.0.1'] },
        providers: { relay: { kind: 'smtp', host: '127.0.0.1', port }, plain: called('$') },
      }),
    });
    const operator = createClient({ url: service.url, key: OPERATOR, space: 'harbour' });
    try {
      const { id } = await client.messages.send(booking('asa@post.example'));
      const message = await ended(id, 'accepted');
      await operator.subscriptions.add({ url: 'http://127.0.0.1:9/', handshake: false });
      const delivery = message.deliveries[0]!.id;
      for (const [i, at] of ['-1e300', '1e300', '-5', 'yesterday', '8640000000000001'].entries())
        expect((await call(service.url, 'plain', [{ what: 'arrived', nr: `odd-${i}`, mail: delivery, at }])).status).toBe(200);
      await until(async () => ((await operator.returns.list({ matched: 'no' })).returns.length >= 5 ? true : undefined));
      expect((await operator.events.list()).events.length).toBeGreaterThan(0);
    } finally {
      await stop();
    }
  });

  test('an event that is stored and cannot be shown never keeps the service from starting: its notification is quarantined', async () => {
    const folder = temporaryFolder();
    folders.push(folder);
    const change = {
      databaseFile: join(folder.path, 'v.sqlite'),
      secretsFile: join(folder.path, 'secrets.json'),
      outside: { allow: ['127.0.0.1'] },
    };
    const first = await startTestService({ change });
    const operator = createClient({ url: first.service.url, key: OPERATOR, space: 'harbour' });
    const sub = await operator.subscriptions.add({ url: 'http://127.0.0.1:9/', handshake: false });
    await first.stop();
    const raw = new Sqlite(change.databaseFile);
    raw.exec("insert into events (id, space, kind, at, recorded_at, data) values ('x', 'harbour', 'test-of-old', -1e300, 1, '{}')");
    raw.exec("update events set kind = 'alert-firing' where id = 'x'");
    raw.prepare('update events set recorded_at = ?').run(Date.now());
    raw.close();
    const again = await startTestService({ change });
    try {
      const client = createClient({ url: again.service.url, key: OPERATOR, space: 'harbour' });
      // Three tries, one, five and thirty seconds apart.
      const item = await until(async () => (await client.quarantine.list()).items.find(({ worker }) => worker === 'notifications'));
      // Tried as often as is said, and not more often while the results are being written.
      expect(again.logs.filter((line) => line.includes('"worker":"notifications","item"') && line.includes('tries'))).toHaveLength(4);
      expect(item).toMatchObject({ space: 'harbour', title: expect.stringContaining(sub.name), error: expect.stringMatching(/time/i) });
      expect((await client.quarantine.get(item.id)).payload).toMatchObject({ subscriptionId: sub.id });
      const metrics = await (await fetch(`${again.service.url}/metrics`)).text();
      expect(metrics).toContain('verbalis_quarantine_items{worker="notifications",space=""} 1');
      const alert = await until(async () => (await client.alerts.list()).alerts.find(({ rule }) => rule === 'quarantine'));
      expect(alert.text).toBe('1 item waits in quarantine (notifications: 1).');
      await client.quarantine.drop(item.id);
      expect((await client.quarantine.list()).items).toEqual([]);
      await until(async () => {
        const one = (await client.alerts.list()).alerts.find((other) => other.rule === 'quarantine');
        return one?.resolvedAt === undefined ? undefined : true;
      });
    } finally {
      await again.stop();
    }
  });
});

interface Started {
  readonly child: ChildProcess;
  readonly said: Promise<{ url: string } | undefined>;
  readonly ended: Promise<number | null>;
  readonly errors: () => string;
}

/** `verbalis serve` as a process of its own. */
function serve(config: string, ...args: string[]): Started {
  const child = spawn(process.execPath, [CLI, 'serve', '--json', '--config', config, ...args], {
    env: { PATH: process.env['PATH'], VERBALIS_OPERATOR_SECRET: OPERATOR },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  let errors = '';
  child.stderr.on('data', (chunk: Buffer) => (errors += chunk.toString()));
  const ended = new Promise<number | null>((done) => child.once('exit', done));
  const line = new Promise<{ url: string }>((done) =>
    createInterface({ input: child.stdout }).once('line', (text) => done((JSON.parse(text) as { result: { url: string } }).result)),
  );
  return { child, said: Promise.race([line, ended.then(() => undefined)]), ended, errors: () => errors };
}

function configIn(path: string, more = ''): string {
  const file = join(path, 'verbalis.yaml');
  const mailFolder = smallMailFolder(path);
  writeFileSync(
    file,
    `listen: { port: 0 }\nreturns: { port: 0 }\nlog: { level: warn }\n${more}spaces: { drydock: { mode: capture, mailFolder: ${mailFolder} } }\n`,
  );
  return file;
}

describe('starting and stopping', () => {
  test('a second service on the same file refuses to start before it has changed anything', async () => {
    const folder = temporaryFolder();
    folders.push(folder);
    const config = configIn(folder.path);
    const first = serve(config);
    await first.said;
    const second = serve(config);
    expect(await second.ended).toBe(2);
    expect(second.errors()).toMatch(/Another Verbalis service is running on .*verbalis\.sqlite \(process \d+, since /);
    expect(second.errors()).not.toContain('    at ');
    first.child.kill('SIGTERM');
    expect(await first.ended).toBe(0);
    const third = serve(config);
    expect((await third.said)?.url).toMatch(/^http/);
    third.child.kill('SIGTERM');
    await third.ended;
  });

  test.each([
    [
      'secrets that are missing',
      (path: string) => rmSync(join(path, 'verbalis.secrets.json')),
      /secrets file .* is missing, but the database/,
    ],
    [
      'secrets that are no JSON',
      (path: string) => writeFileSync(join(path, 'verbalis.secrets.json'), '{"master'),
      /secrets file .* is not JSON/,
    ],
    [
      'secrets that are cut',
      (path: string) => writeFileSync(join(path, 'verbalis.secrets.json'), '{"master":"short","operator":"x"}'),
      /secrets file .* is damaged: "master" is missing or too short/,
    ],
    [
      'a database that is torn',
      (path: string) => {
        const file = join(path, 'verbalis.sqlite');
        const bytes = readFileSync(file);
        bytes.fill(0xff, 100, Math.min(bytes.length, 200_000));
        writeFileSync(file, bytes);
        for (const tail of ['-wal', '-shm']) rmSync(`${file}${tail}`, { force: true });
      },
      /The database file is damaged\. Restore it from a backup/,
    ],
    [
      'a database of a later version',
      (path: string) => {
        const raw = new Sqlite(join(path, 'verbalis.sqlite'));
        raw.exec("insert into __drizzle_migrations (hash, created_at) values ('later', 9999999999999)");
        raw.close();
      },
      /was written by another version of Verbalis/,
    ],
  ])('%s: it says so in a sentence, and makes no new key', async (_what, breakIt, message) => {
    const folder = temporaryFolder();
    folders.push(folder);
    const config = configIn(folder.path);
    const first = serve(config);
    await first.said;
    first.child.kill('SIGTERM');
    await first.ended;
    breakIt(folder.path);
    const secrets = join(folder.path, 'verbalis.secrets.json');
    const before = existsSync(secrets) ? readFileSync(secrets, 'utf8') : undefined;
    const second = serve(config);
    expect(await second.ended).toBe(2);
    expect(second.errors()).toMatch(message);
    expect(second.errors()).not.toContain('    at ');
    expect(existsSync(secrets) ? readFileSync(secrets, 'utf8') : undefined).toBe(before);
  });

  test.each([1, 2])('SIGTERM ends a service with %d workers while a stream is open and mail is under way', async (workers) => {
    const folder = temporaryFolder();
    folders.push(folder);
    const simulator = await startSmtpProvider({
      name: 'relay',
      host: '127.0.0.1',
      port: 0,
      script: {},
      returnsTo: { host: '127.0.0.1', port: 1 },
      reportAfterMs: 50,
    });
    const config = join(folder.path, 'verbalis.yaml');
    const port = await freePort();
    writeFileSync(
      config,
      `listen: { port: ${port} }\nreturns: { port: 0 }\nlog: { level: warn }\nproviders: { relay: { kind: smtp, host: 127.0.0.1, port: ${simulator.port} } }\nspaces: { harbour: { mode: deliver, mailFolder: ${smallMailFolder(folder.path)}, route: [relay], senderDomains: [saltmarsh-ferries.example] } }\n`,
    );
    const running = serve(config, '--workers', String(workers));
    try {
      const { url } = (await running.said)!;
      const client = createClient({ url, key: OPERATOR, space: 'harbour', tries: 1 });
      const stream = await fetch(`${url}/v1/events/stream`, { headers: { ...auth(OPERATOR), 'verbalis-space': 'harbour' } });
      const reading = stream.text();
      const ids = (await Promise.all(Array.from({ length: 20 }, (_, i) => client.messages.send(booking(`guest${i}@post.example`))))).map(
        ({ id }) => id,
      );
      running.child.kill('SIGTERM');
      expect(await running.ended).toBe(0);
      // The stream was ended, and not cut.
      expect(await reading).toContain(': open');
      const again = serve(config);
      await again.said;
      await until(async () => ((await client.queue.get()).waiting === 0 ? true : undefined));
      for (const id of ids)
        expect((await client.messages.get(id)).deliveries[0]!).toMatchObject({ state: 'accepted', attempts: [{ outcome: 'accepted' }] });
      again.child.kill('SIGTERM');
      await again.ended;
    } finally {
      running.child.kill('SIGKILL');
      await simulator.close();
    }
  });
});
