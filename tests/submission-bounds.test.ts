import { spawnSync } from 'node:child_process';
import { copyFileSync, mkdtempSync, utimesSync, writeFileSync } from 'node:fs';
import { connect, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { connect as connectTls, type TLSSocket } from 'node:tls';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { listenSmtp, type ListenOptions } from '@verbalis/service/smtp';
import { needs } from './support/browser.js';
import { makeCertificates, type Certificates } from './support/secure.js';
import { DEMO_FOLDER, startTestService, until, type TestService } from './support/service.js';
import { scaled } from './support/scale.js';

// What the listeners bear, and over which connections a key may be said.

let all: TestService;
let certificates: Certificates;
let own: string;
beforeAll(async () => {
  own = mkdtempSync(join(tmpdir(), 'verbalis-tls-'));
  certificates = makeCertificates(own, 'mail.saltmarsh-ferries.example');
  all = await startTestService({
    change: {
      helloName: 'mail.saltmarsh-ferries.example',
      submission: {
        port: 0,
        tlsPort: 0,
        tls: { certFile: certificates.certFile, keyFile: certificates.keyFile },
        proxies: ['127.0.0.1'],
        limits: { perAddress: 3, perMinute: 1000 },
      },
      spaces: { harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'], runaway: false } },
    },
  });
});
afterAll(() => all.stop());

/** The header of a balancer that speaks for an address (PROXY protocol, version 2). */
function proxyHeader(address: string): Buffer {
  const signature = Buffer.from('\r\n\r\n\0\r\nQUIT\n', 'latin1');
  const ports = Buffer.from([0x30, 0x39, 0x02, 0x4b]);
  const ip = Buffer.from(address.split('.').map(Number));
  const body = Buffer.concat([ip, Buffer.from([127, 0, 0, 1]), ports]);
  return Buffer.concat([signature, Buffer.from([0x21, 0x11, 0, body.length]), body]);
}

class Talk {
  said = '';
  isClosed = false;
  constructor(readonly socket: Socket | TLSSocket) {
    socket.on('data', (bytes: Buffer) => (this.said += bytes.toString()));
    socket.on('close', () => (this.isClosed = true));
    socket.on('error', () => undefined);
  }
  write(text: string | Buffer): this {
    this.socket.write(text);
    return this;
  }
  /** Waits for an answer, and takes what was said up to it away. */
  async hear(pattern: RegExp): Promise<string> {
    const found = await until(() => pattern.exec(this.said) ?? undefined);
    this.said = this.said.slice(found.index + found[0].length);
    return found[0];
  }
  async ask(text: string, pattern: RegExp): Promise<string> {
    this.write(text);
    return this.hear(pattern);
  }
  closed = (): Promise<true> => until(() => (this.isClosed ? true : undefined));
}

const open = (address: string, port = all.service.submissionPort ?? 0): Talk =>
  new Talk(connect(port, '127.0.0.1')).write(proxyHeader(address));
const PLAIN = (): string => `AUTH PLAIN ${Buffer.from(`\0app\0${all.key}`).toString('base64')}\r\n`;
const MAIL = 'From: harbour@saltmarsh-ferries.example\r\nSubject: over TLS\r\n\r\nhello\r\n.\r\n';

async function secure(talk: Talk): Promise<Talk> {
  await talk.hear(/220 .*\r\n/);
  await talk.ask('EHLO app.example\r\n', /250 (?:ENHANCED|STARTTLS|AUTH).*\r\n/);
  await talk.ask('STARTTLS\r\n', /220 .*\r\n/);
  talk.socket.removeAllListeners('data');
  return new Talk(connectTls({ socket: talk.socket, servername: 'mail.saltmarsh-ferries.example', rejectUnauthorized: false }));
}

describe('TLS', () => {
  test('RFC 4954 4: a key is neither asked for nor taken in the open, but on this machine', async () => {
    const far = open('203.0.113.9');
    await far.hear(/220 .*\r\n/);
    expect(await far.ask('EHLO app.example\r\n', /(?:250.*\r\n)+/)).not.toContain('AUTH');
    await far.ask(PLAIN(), /538 5\.7\.11 Only over TLS\r\n/);
    await far.ask('MAIL FROM:<a@b.example>\r\n', /530 5\.7\.0 STARTTLS first, then log in\r\n/);
    far.socket.destroy();
    const near = open('127.0.0.1');
    await near.hear(/220 .*\r\n/);
    await near.ask('EHLO app.example\r\n', /250 AUTH PLAIN LOGIN\r\n/);
    await near.ask(PLAIN(), /235 .*\r\n/);
    near.socket.destroy();
  });

  test('RFC 3207 4.2: all that was said before STARTTLS is forgotten, what was sent ahead is no command', async () => {
    const talk = open('203.0.113.10');
    await talk.hear(/220 .*\r\n/);
    await talk.ask('EHLO app.example\r\n', /250 STARTTLS\r\n/);
    // Sent ahead in the open: it must not count as said in secret (RFC 3207 6).
    await talk.ask('STARTTLS\r\nMAIL FROM:<evil@b.example>\r\n', /220 .*\r\n/);
    talk.socket.removeAllListeners('data');
    const safe = new Talk(connectTls({ socket: talk.socket, servername: 'x', rejectUnauthorized: false }));
    await safe.ask('MAIL FROM:<a@b.example>\r\n', /530 5\.7\.0 Log in first\r\n/);
    expect(await safe.ask('EHLO app.example\r\n', /250 AUTH PLAIN LOGIN\r\n/)).not.toContain('STARTTLS');
    safe.socket.destroy();
  });

  test('an email over TLS from the first byte says so in its Received field, without where the app is', async () => {
    const plain = connect(all.service.submissionTlsPort ?? 0, '127.0.0.1');
    plain.write(proxyHeader('203.0.113.11'));
    const talk = new Talk(connectTls({ socket: plain, servername: 'mail.saltmarsh-ferries.example', rejectUnauthorized: false }));
    await talk.hear(/220 .*\r\n/);
    await talk.ask('EHLO app.example\r\n', /250 AUTH.*\r\n/);
    await talk.ask(PLAIN(), /235 .*\r\n/);
    await talk.ask('MAIL FROM:<>\r\nRCPT TO:<tls@post.example>\r\nDATA\r\n', /354 .*\r\n/);
    const accepted = await talk.ask(MAIL, /250 2\.0\.0 Accepted as (\S+)\r\n/);
    const id = /as (\S+)/.exec(accepted)![1]!;
    await all.ended(id, 'accepted');
    const source = await all.client.messages.source(id);
    expect(Buffer.from(source).toString()).toMatch(
      new RegExp(`^Received: from app\\.example by mail\\.saltmarsh-ferries\\.example\\r\\n with ESMTPSA id ${id};`, 'm'),
    );
    expect(Buffer.from(source).toString()).not.toContain('203.0.113.11');
    talk.socket.destroy();
  });

  needs('/usr/bin/openssl')('a new certificate is used without a restart; one that does not fit its key is not', async () => {
    const fingerprint = async (): Promise<string | undefined> => {
      const safe = await secure(open('127.0.0.1'));
      await until(() => ((safe.socket as TLSSocket).getPeerCertificate().fingerprint256 === undefined ? undefined : true));
      const found = (safe.socket as TLSSocket).getPeerCertificate().fingerprint256;
      safe.socket.destroy();
      return found;
    };
    expect(await fingerprint()).toBe(certificates.fingerprint);
    const next = makeCertificates(mkdtempSync(join(own, 'next-')), 'mail.saltmarsh-ferries.example');
    copyFileSync(next.certFile, certificates.certFile);
    await until(async () => (all.logs.join('').includes('The new certificate cannot be used') ? true : (await fingerprint(), undefined)));
    expect(await fingerprint()).toBe(certificates.fingerprint);
    copyFileSync(next.keyFile, certificates.keyFile);
    utimesSync(certificates.keyFile, new Date(), new Date());
    await until(async () => ((await fingerprint()) === next.fingerprint ? true : undefined));
  });
});

describe('bounds', () => {
  test('five wrong logins end a connection; after that each wrong one does, and a right one is taken', async () => {
    const wrong = `AUTH PLAIN ${Buffer.from('\0app\0vk_wrong').toString('base64')}\r\n`;
    const talk = await secure(open('203.0.113.20'));
    await talk.ask('EHLO app.example\r\n', /250 AUTH.*\r\n/);
    for (let i = 0; i < 4; i += 1) await talk.ask(wrong, /535 5\.7\.8 .*\r\n/);
    await talk.ask(wrong, /421 4\.7\.0 Too many wrong logins.*\r\n/);
    await talk.closed();
    const again = await secure(open('203.0.113.20'));
    await again.ask('EHLO app.example\r\n', /250 AUTH.*\r\n/);
    await again.ask(wrong, /421 4\.7\.0 Too many wrong logins from you\r\n/);
    await again.closed();
    const right = await secure(open('203.0.113.20'));
    await right.ask('EHLO app.example\r\n', /250 AUTH.*\r\n/);
    await right.ask(PLAIN(), /235 .*\r\n/);
    right.socket.destroy();
  });

  test('an address may have so many connections; others are served all the same', async () => {
    const talks = Array.from({ length: 3 }, () => open('203.0.113.30'));
    for (const talk of talks) await talk.hear(/220 .*\r\n/);
    const fourth = open('203.0.113.30');
    await fourth.hear(/421 4\.7\.0 Too many concurrent connections from you\r\n/);
    await fourth.closed();
    const other = open('203.0.113.31');
    await other.hear(/220 .*\r\n/);
    other.socket.destroy();
    talks[0]!.socket.destroy();
    await until(async () => {
      const talk = open('203.0.113.30');
      const said = await talk.hear(/^(?:220|421) .*\r\n/);
      talk.socket.destroy();
      return said.startsWith('220') ? true : undefined;
    });
    for (const talk of talks) talk.socket.destroy();
  });

  test('a balancer says for whom it speaks; what is no header of one is closed', async () => {
    const talk = new Talk(connect(all.service.submissionPort ?? 0, '127.0.0.1'));
    talk.write('EHLO app.example\r\n\r\n\r\n');
    await talk.closed();
    expect(talk.said).toBe('');
    // In pieces, with what follows in the same packet as its end.
    const pieces = new Talk(connect(all.service.submissionPort ?? 0, '127.0.0.1'));
    const header = proxyHeader('203.0.113.32');
    for (const byte of header.subarray(0, -1)) pieces.write(Buffer.from([byte]));
    pieces.write(Buffer.concat([header.subarray(-1), Buffer.from('NOOP\r\n')]));
    await pieces.hear(/220 .*\r\n250 2\.0\.0 OK\r\n/);
    pieces.socket.destroy();
  });

  test('a connection that we have ended is closed, also when the other side goes on', async () => {
    const socket = connect({ port: all.service.submissionPort ?? 0, host: '127.0.0.1', allowHalfOpen: true });
    const talk = new Talk(socket).write(proxyHeader('203.0.113.34'));
    await talk.ask('QUIT\r\n', /221 2\.0\.0 Bye\r\n/);
    await until(() => {
      if (!talk.isClosed) socket.write('NOOP\r\n');
      return talk.isClosed ? true : undefined;
    });
    expect(talk.said).toBe('');
  });

  test('whoever asks and reads nothing is not read from, and costs no more than what is under way', async () => {
    const talk = open('203.0.113.33');
    await talk.hear(/220 .*\r\n/);
    talk.socket.pause();
    const chunk = Buffer.from('NOOP\r\n'.repeat(1000));
    let written = 0;
    // Until both sides' buffers are full; the answers are as long as the questions.
    while (talk.socket.write(chunk) && written < 50_000_000) written += chunk.length;
    expect(written).toBeLessThan(50_000_000);
    talk.socket.destroy();
  });
});

test('the return path has its limits, too', async () => {
  const talks = Array.from({ length: 51 }, () => new Talk(connect(all.service.returnsPort, '127.0.0.1')));
  await until(() => (talks.filter(({ said }) => said.startsWith('220')).length === 50 ? true : undefined));
  await until(() => (talks.some(({ said }) => said.startsWith('421 4.7.0 Too many concurrent connections from you')) ? true : undefined));
  for (const talk of talks) talk.socket.destroy();
});

describe('memory, in a process of its own', () => {
  const listener = join(import.meta.dirname, 'support/smtp-memory.mjs');
  const measure = (what: string): Record<string, number> => {
    const folder = mkdtempSync(join(tmpdir(), 'verbalis-spool-'));
    const { stdout, stderr, status } = spawnSync(process.execPath, ['--expose-gc', listener, what, folder], { encoding: 'utf8' });
    if (status !== 0) throw new Error(stderr);
    process.stderr.write(`${what}: ${stdout}`);
    return JSON.parse(stdout) as Record<string, number>;
  };
  const KB = 1024;

  test('100 connections that send 20 MB each, in turn, need under 256 kB each', () => {
    const { connections = 0, perConnection, received } = measure('many');
    expect(connections).toBe(scaled(40, 100));
    expect(received).toBe(connections * 20 * KB * KB);
    expect(perConnection).toBeLessThan(256 * KB);
  });

  test.each(['line-ends', 'bare-line-ends', 'one-line', 'dots'])('8 MB of %s cost under 30 MB', (what) => {
    expect(measure(what)['most']).toBeLessThan(30 * KB * KB);
  });
});

test('a listener that cannot have its port says which', async () => {
  const server: ListenOptions['server'] = { name: 'us', maxBytes: 1000, maxRecipients: 1 };
  const policy = { recipient: () => ({ code: 250, text: 'ok' }), mail: () => ({ code: 250, text: 'ok' }) };
  const first = await listenSmtp({ host: '127.0.0.1', doors: [{ port: 0 }], server }, policy);
  await expect(listenSmtp({ host: '127.0.0.1', doors: [{ port: 0 }, { port: first.ports[0]! }], server }, policy)).rejects.toThrow(
    /EADDRINUSE/,
  );
  await first.close();
  writeFileSync(join(own, 'empty.pem'), '');
  const tls = { certFile: join(own, 'empty.pem'), keyFile: certificates.keyFile };
  await expect(listenSmtp({ host: '127.0.0.1', doors: [{ port: 0 }], server, tls }, policy)).rejects.toThrow(/PEM/);
});
