import { spawn } from 'node:child_process';
import { mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer, type ServerResponse } from 'node:http';
import { createServer as createSocket, type AddressInfo } from 'node:net';
import { join } from 'node:path';
import { afterEach, expect, test } from '@jest/globals';
import { createClient } from '@verbalis/client';
import { booking, DEMO_FOLDER, OPERATOR, ROOT, startTestService, temporaryFolder, until, type TestService } from './support/service.js';

const opened: (() => void | Promise<void>)[] = [];
afterEach(async () => {
  for (const close of opened.splice(0).reverse()) await close();
});

interface Api {
  readonly port: number;
  readonly calls: { readonly key: string | undefined; readonly to: string }[];
  readonly held: ServerResponse[];
  /** What it does with calls from now on. */
  behaviour: 'accept' | 'hold';
  key: string | undefined;
}

/** A provider with an HTTP API of the test's own. */
async function startApi(): Promise<Api> {
  const server = createServer((request, response) => {
    let body = '';
    request.on('data', (chunk: Buffer) => (body += chunk.toString()));
    request.on('end', () => {
      const key = request.headers['x-key'] as string | undefined;
      const { to } = JSON.parse(body) as { to: string };
      api.calls.push({ key, to });
      if (api.key !== undefined && key !== api.key) response.writeHead(401).end('{"why":"this key was revoked"}');
      else if (api.behaviour === 'hold') api.held.push(response);
      else response.end('{"id":"x"}');
    });
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  opened.push(() => {
    server.closeAllConnections();
    server.close();
  });
  const api: Api = { port: (server.address() as AddressInfo).port, calls: [], held: [], behaviour: 'accept', key: undefined };
  return api;
}

async function startWithApi(api: Api, more: Record<string, unknown> = {}): Promise<TestService> {
  const all = await startTestService({
    change: (port) => ({
      providers: {
        relay: { kind: 'smtp', host: '127.0.0.1', port },
        letters: {
          kind: 'http',
          secretFiles: { key: 'key' },
          request: {
            url: `http://127.0.0.1:${api.port}/`,
            headers: { 'X-Key': '{{ secrets.key }}' },
            json: { to: '{{ message.recipient.address }}' },
          },
          answer: { id: '$.id', reason: '$.why' },
          ...more,
        },
      },
      spaces: { harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['letters'] } },
    }),
    before: (folder) => {
      writeFileSync(join(folder, 'key'), 'k1\n');
    },
  });
  opened.push(all.stop);
  return all;
}

/** The operator's calls. */
const operator = ({ service }: TestService) => createClient({ url: service.url, key: OPERATOR });

test('mail goes another way at once, while a hand-over that hangs ends as it began: once, and where it began', async () => {
  const api = await startApi();
  const all = await startWithApi(api);
  api.behaviour = 'hold';
  const { id: hanging } = await all.client.messages.send(booking('asa@post.example'));
  await until(() => api.held[0]);
  all.rewrite((settings) => {
    settings['spaces'].harbour.route = ['relay'];
  });
  expect((await operator(all).configuration.reload()).changed).toEqual([
    { path: 'spaces.harbour.route.0.provider', from: '"letters"', to: '"relay"' },
  ]);
  const { id: next } = await all.client.messages.send(booking('liv@post.example', 'SM-2042'));
  await all.ended(next, 'accepted');
  expect((await all.client.messages.get(hanging)).deliveries[0]).toMatchObject({ state: 'queued' });
  api.held[0]!.end('{"id":"x"}');
  await all.ended(hanging, 'accepted');
  expect(api.calls.map(({ to }) => to)).toEqual(['asa@post.example']);
  expect([...all.simulator.seen.keys()]).toEqual(['liv@post.example']);
});

test('a secret is rotated in its file: what was refused is sent after a reload, and the secret is shown to nobody', async () => {
  const api = await startApi();
  const all = await startWithApi(api);
  api.key = 'k2-rotated';
  const { id } = await all.client.messages.send(booking('asa@post.example'));
  await until(() => api.calls[0]);
  const waiting = await until(async () => {
    const { deliveries } = await all.client.messages.get(id);
    return deliveries[0]?.attempts[0]?.outcome === undefined ? undefined : deliveries[0];
  });
  expect(waiting).toMatchObject({
    state: 'queued',
    attempts: [{ outcome: 'trouble', diagnostic: expect.stringContaining('this key was revoked') }],
  });
  writeFileSync(join(all.folder, 'key'), 'k2-rotated\n');
  expect((await operator(all).configuration.reload()).changed).toEqual([{ path: 'providers.letters.secrets.key', from: '"…"', to: '"…"' }]);
  await all.ended(id, 'accepted');
  // On a busy machine a second attempt with the old key may come before the reload.
  const used = api.calls.map(({ key }) => key);
  expect(used.slice(0, -1).every((key) => key === 'k1')).toBe(true);
  expect(used.at(-1)).toBe('k2-rotated');
  const { settings } = await operator(all).configuration.get();
  expect(settings).toContainEqual({ path: 'providers.letters.secrets.key', value: '"…"', origin: 'key' });
  expect(settings).toContainEqual({ path: 'listen.host', value: '"127.0.0.1"' });
  expect(JSON.stringify(settings) + all.logs.join('')).not.toContain('k2-rotated');
});

test('a configuration with faults changes nothing, and all of them are named', async () => {
  const all = await startWithApi(await startApi());
  all.rewrite((settings) => {
    settings['providers'].letters.request.json = { to: '{{ message.recipient.adress }}' };
    settings['spaces'].harbour.route = ['leters'];
  });
  await expect(operator(all).configuration.reload()).rejects.toMatchObject({
    problem: {
      status: 422,
      type: expect.stringContaining('configuration-not-right'),
      problems: [
        { path: 'spaces.harbour.route', message: 'names no provider: "leters".', hint: 'Did you mean "letters"?' },
        { path: 'providers.letters.request.json', message: expect.stringContaining('has no "adress". Did you mean "address"?') },
      ],
    },
  });
  await all.ended((await all.client.messages.send(booking('asa@post.example'))).id, 'accepted');
});

test.each<[string, (settings: Record<string, any>, all: TestService) => void, RegExp]>([
  [
    'what cannot be changed while it runs',
    (settings) => {
      settings['listen'] = { port: 1234 };
    },
    /needs a restart/,
  ],
  [
    'a mail folder that cannot be published',
    (settings, all) => {
      const folder = join(all.folder, 'broken');
      mkdirSync(join(folder, 'templates/x'), { recursive: true });
      writeFileSync(join(folder, 'mail.yaml'), 'sender: Harbour <office@saltmarsh-ferries.example>\n');
      writeFileSync(join(folder, 'templates/x/message.md'), '---\nsubject: "{{ oops"\n---\n');
      settings['spaces'].harbour.mailFolder = folder;
    },
    /./,
  ],
])('%s is refused before anything ends', async (_name, change, words) => {
  const all = await startWithApi(await startApi());
  all.rewrite((settings) => {
    change(settings, all);
  });
  const error = await operator(all)
    .configuration.reload()
    .then(
      () => undefined,
      (fault: unknown) => fault as { readonly problem: { readonly status: number } },
    );
  expect(error?.problem.status).toBe(422);
  expect(JSON.stringify(error?.problem)).toMatch(words);
  await all.ended((await all.client.messages.send(booking('asa@post.example'))).id, 'accepted');
});

test('where the new one cannot be opened, the old one is opened again', async () => {
  const taken = createSocket();
  await new Promise<void>((done) => taken.listen(0, '127.0.0.1', done));
  opened.push(() => {
    taken.close();
  });
  const all = await startWithApi(await startApi());
  const { port } = taken.address() as AddressInfo;
  all.rewrite((settings) => {
    settings['returns'].port = port;
  });
  await expect(operator(all).configuration.reload()).rejects.toMatchObject({
    problem: { status: 422, detail: expect.stringContaining(String(port)) },
  });
  await all.ended((await all.client.messages.send(booking('asa@post.example'))).id, 'accepted');
});

test('requests that arrive meanwhile wait and are answered; a second reload is refused; nothing is lost or sent twice', async () => {
  const api = await startApi();
  const all = await startWithApi(api);
  const ids: string[] = [];
  const addresses = Array.from({ length: 60 }, (_, i) => `guest${i}@post.example`);
  const send = async (address: string): Promise<void> => {
    ids.push((await all.client.messages.send(booking(address))).id);
  };
  const first = addresses.slice(0, 20).map(send);
  all.rewrite((settings) => {
    settings['dispatch'].attempts = 7;
  });
  const reload = operator(all).configuration.reload();
  const [again] = await Promise.allSettled([operator(all).configuration.reload(), ...addresses.slice(20, 40).map(send), ...first]);
  expect((await reload).changed).toHaveLength(1);
  // It came while the first was under way, or waited for it and found nothing changed.
  expect(again.status === 'rejected' ? (again.reason as { problem: { status: number } }).problem.status : again.value).toEqual(
    again.status === 'rejected' ? 409 : { changed: [] },
  );
  await Promise.all(addresses.slice(40).map(send));
  expect(ids).toHaveLength(addresses.length);
  for (const id of ids) await all.ended(id, 'accepted');
  expect(api.calls.map(({ to }) => to).sort()).toEqual([...addresses].sort());
});

test('verbalis serve: SIGHUP reads it again and ends nothing; config check and config show', async () => {
  const { path, remove } = temporaryFolder();
  opened.push(remove);
  const file = join(path, 'verbalis.yaml');
  const config = (level: string): string =>
    `listen: { port: 0 }\nreturns: { port: 0 }\nlog: { level: ${level} }\nproviders: { relay: { kind: smtp, host: r.example, port: 25, user: u, password: hush-hush } }\nspaces: { drydock: { mode: capture } }\n`;
  writeFileSync(file, config('warn'));
  const run = (...args: string[]) => {
    const child = spawn(process.execPath, [join(ROOT, 'packages/cli/bin/verbalis.js'), ...args], {
      cwd: path,
      // Colour is for terminals, also on CI.
      env: { ...process.env, CI: '1', FORCE_COLOR: '' },
    });
    const text = { all: '' };
    for (const stream of [child.stdout, child.stderr]) stream.on('data', (chunk: Buffer) => (text.all += chunk.toString()));
    const ended = new Promise<number | null>((done) => child.once('exit', (code) => done(code)));
    opened.push(async () => {
      child.kill('SIGKILL');
      await ended;
    });
    return { child, text, ended };
  };
  const check = run('config', 'check', file);
  expect(await check.ended).toBe(0);
  expect(check.text.all).toContain('The configuration is correct: 1 space, 1 provider');
  const explained = run('config', 'show', file);
  expect(await explained.ended).toBe(0);
  expect(explained.text.all).toMatch(/providers\.relay\.port +25 +verbalis\.yaml/);
  expect(explained.text.all).toMatch(/providers\.relay\.password +"…" +verbalis\.yaml/);
  expect(explained.text.all).toMatch(/listen\.host +"127\.0\.0\.1" +\(default\)/);
  expect(explained.text.all).not.toContain('hush-hush');
  const { child, text, ended } = run('serve', '--config', file, '--json');
  const { url } = await until(() =>
    text.all.includes('\n') ? (JSON.parse(text.all.split('\n')[0] ?? '') as { result: { url: string } }).result : undefined,
  );
  const threads = (): number => readdirSync(`/proc/${child.pid ?? 0}/task`).length;
  const before = threads();
  writeFileSync(file, config('error'));
  child.kill('SIGHUP');
  await until(() => (text.all.includes('log.level: "warn" → "error"') ? true : undefined));
  writeFileSync(file, config('errer'));
  child.kill('SIGHUP');
  await until(() =>
    /log\.level: must be one of .*error/.test(text.all.slice(text.all.indexOf('has errors'))) && text.all.includes('has errors')
      ? true
      : undefined,
  );
  // What the former configuration ran has ended.
  await until(() => (threads() <= before ? true : undefined));
  expect(text.all).not.toContain('could not be closed');
  expect((await fetch(`${url}/health/ready`)).status).toBe(200);
  expect(readFileSync(file, 'utf8')).toContain('errer');
  const wrong = run('config', 'check', file);
  expect(await wrong.ended).toBe(1);
  child.kill('SIGTERM');
  expect(await ended).toBe(0);
});
