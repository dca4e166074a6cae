import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { request } from 'node:https';
import { join } from 'node:path';
import { afterAll, beforeAll, expect } from '@jest/globals';
import { createClient } from '@verbalis/client';
import { needs } from './support/browser.js';
import { freePorts } from './support/postfix.js';
import { makeCertificates } from './support/secure.js';
import { booking, OPERATOR, ROOT, startTestService, temporaryFolder, until, type TestService } from './support/service.js';

// The files of packaging/, read by the programs that they are for: nginx runs the site in front of a service, systemd verifies the unit.

const NAME = 'mail.saltmarsh-ferries.example';
const { path, remove } = temporaryFolder();
let all: TestService;
let nginx: ChildProcess | undefined;
let [plain, secure] = [0, 0];
let ca = '';

beforeAll(async () => {
  all = await startTestService({ change: { listen: { port: 0, trustProxy: ['127.0.0.1'] } } });
});
afterAll(async () => {
  // Killed, it would leave its workers behind.
  const ended = nginx === undefined ? undefined : once(nginx, 'exit');
  nginx?.kill('SIGTERM');
  await ended;
  await all.stop();
  remove();
});

interface Answer {
  readonly status: number;
  readonly text: string;
  readonly headers: Readonly<Record<string, unknown>>;
}

/** A request through the proxy, by TLS and the name of the site. */
function ask(
  target: string,
  options: { method?: string; headers?: Record<string, string>; body?: Buffer; until?: string } = {},
): Promise<Answer> {
  return new Promise((done, fail) => {
    const { method = 'GET', headers = {}, body } = options;
    const asked = request(
      { host: '127.0.0.1', port: secure, servername: NAME, ca, path: target, method, headers: { host: NAME, ...headers } },
      (response) => {
        let text = '';
        const end = (): void => done({ status: response.statusCode ?? 0, text, headers: response.headers });
        response.on('data', (bytes: Buffer) => {
          text += bytes.toString();
          if (options.until === undefined || !text.includes(options.until)) return;
          end();
          asked.destroy();
        });
        response.on('end', end);
      },
    );
    asked.on('error', fail);
    asked.end(body);
  });
}

needs('/usr/sbin/nginx')('nginx: TLS, pages, streams, large uploads, and what is not for everybody', async () => {
  const certificates = makeCertificates(path, NAME);
  ca = readFileSync(certificates.caFile, 'utf8');
  plain = await freePorts(2);
  secure = plain + 1;
  const site = readFileSync(join(ROOT, 'packaging/nginx.conf'), 'utf8')
    .replace(/^ *listen \[::\].*\n/gm, '')
    .replace('listen 443 ssl', `listen 127.0.0.1:${secure} ssl`)
    .replace('listen 80', `listen 127.0.0.1:${plain}`)
    .replace(/ssl_certificate +\S+;/, `ssl_certificate ${certificates.certFile};`)
    .replace(/ssl_certificate_key +\S+;/, `ssl_certificate_key ${certificates.keyFile};`)
    .replaceAll('http://127.0.0.1:8620', all.service.url);
  const conf = join(path, 'nginx.conf');
  mkdirSync(join(path, 'nginx'));
  const folders = ['client_body', 'proxy', 'fastcgi', 'uwsgi', 'scgi'].map((name) => `${name}_temp_path ${path}/nginx/${name};`).join(' ');
  const user = process.getuid?.() === 0 ? 'user root;' : '';
  writeFileSync(conf, `${user} daemon off; pid ${path}/nginx/pid; error_log stderr; events {} http { access_log off; ${folders} ${site} }`);
  expect(spawnSync('/usr/sbin/nginx', ['-t', '-c', conf, '-p', path], { encoding: 'utf8' }).status).toBe(0);
  nginx = spawn('/usr/sbin/nginx', ['-c', conf, '-p', path], { stdio: 'ignore' });
  const first = await until(() =>
    fetch(`http://127.0.0.1:${plain}/track?x=1`, { redirect: 'manual', headers: { host: NAME } }).catch(() => undefined),
  );
  expect(first.status).toBe(301);

  expect((await ask('/')).text).toContain('<div id="root">');
  expect((await ask('/docs/')).text).toContain('Verbalis documentation');
  expect([(await ask('/health/ready')).status, (await ask('/metrics')).status]).toEqual([403, 403]);
  const authorization = `Bearer ${all.key}`;
  expect((await ask('/v1/messages', { headers: { authorization, 'x-forwarded-for': '192.0.2.7' } })).status).toBe(200);
  // The service knows who has asked, and believes nobody but the proxy.
  const operator = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
  const from = await until(async () => (await operator.keys.list()).keys[0]?.lastUsedFrom);
  expect(from).toBe('127.0.0.1');
  // A stream is passed on as it comes.
  const stream = ask('/v1/events/stream', { headers: { authorization }, until: '"type":"verbalis.delivery.' });
  await until(async () => {
    await all.client.messages.send(booking('asa@post.example'));
    return (await Promise.race([stream, new Promise((done) => setImmediate(done))])) === undefined ? undefined : true;
  });
  expect((await stream).headers['content-type']).toContain('text/event-stream');
  // More than an email may have: uploads have a limit of their own.
  const body = Buffer.alloc(41 * 1024 * 1024, 'x');
  const uploaded = await ask('/v1/uploads?name=map.bin', {
    method: 'POST',
    headers: { authorization, 'content-type': 'application/octet-stream' },
    body,
  });
  expect([uploaded.status, uploaded.text.slice(0, 200)]).toEqual([413, expect.stringContaining('urn:verbalis:problem:')]);
  const large = await ask('/v1/uploads?name=map.bin', {
    method: 'POST',
    headers: { authorization, 'content-type': 'application/octet-stream' },
    body: body.subarray(0, 9 * 1024 * 1024),
  });
  expect(large.status).toBe(201);
});

needs('/usr/bin/systemd-analyze')('systemd understands the unit', () => {
  const unit = join(path, 'verbalis.service');
  // What it starts is not installed here.
  writeFileSync(unit, readFileSync(join(ROOT, 'packaging/verbalis.service'), 'utf8').replace('/opt/verbalis/bin/verbalis', '/bin/true'));
  const { status, stderr } = spawnSync('/usr/bin/systemd-analyze', ['verify', unit], { encoding: 'utf8' });
  expect([stderr, status]).toEqual(['', 0]);
});
