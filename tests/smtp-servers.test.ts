import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import { createServer, type Server } from 'node:net';
import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import { importKey, makeKey, recordOf, signMail } from '@verbalis/core/dkim';
import { bytesOf, fieldOf, mailBytes, prefixed, readMail, writeMail, type WrittenMail } from '@verbalis/core/mime';
import type { Outcome } from '@verbalis/core/smtp';
import { SmtpConnection, USUAL_WAITS, type ConnectionOptions } from '@verbalis/service/smtp';
import { needs } from './support/browser.js';
import { EXIM, startExim, type Exim } from './support/exim.js';
import { freePort, POSTFIX, startPostfix, type Postfix } from './support/postfix.js';
import { until } from './support/service.js';

// Our client against real mail servers, and against a scripted one that fails at every place.
const waits = { ...USUAL_WAITS, connect: 5000, reply: 5000, content: 5000, verdict: 5000 };
const ENVELOPE = { from: 'harbour@saltmarsh-ferries.example', to: 'asa@post.example' };

function mail(subject = 'An email', attachmentBytes = 0): WrittenMail {
  return writeMail({
    from: { name: 'Saltmarsh Ferries', local: 'harbour', domain: 'saltmarsh-ferries.example' },
    to: [{ name: 'Ása', local: 'asa', domain: 'post.example' }],
    subject,
    messageId: `${subject.replace(/\W/g, '')}@saltmarsh-ferries.example`,
    date: Date.now(),
    text: 'One.\n.two at the start of a line\n.\nFrom here on.\n',
    html: '<p>Ása → Tern Island</p>',
    attachments: attachmentBytes === 0 ? [] : [{ name: 'a.bin', type: 'application/zip', body: bytesOf(Buffer.alloc(attachmentBytes, 7)) }],
    boundary: '=_test',
  });
}

async function hand(
  options: Partial<ConnectionOptions> & { port: number },
  emails: readonly WrittenMail[] = [mail()],
  envelope = ENVELOPE,
): Promise<Outcome[]> {
  const connection = new SmtpConnection({ host: '127.0.0.1', helloName: 'us.example', waits, ...options });
  const opened = await connection.open();
  if (opened !== 'ready') return [opened];
  const out: Outcome[] = [];
  for (const email of emails) out.push(await connection.deliver(envelope, email));
  connection.close();
  return out;
}

describe('Postfix: TLS, logins, signatures', () => {
  const it = needs(POSTFIX, '/usr/sbin/saslpasswd2', '/usr/bin/openssl');
  let postfix: Postfix | undefined;
  beforeAll(async () => {
    if (!existsSync(POSTFIX)) return;
    postfix = await startPostfix({ mailboxes: ['asa@post.example'], routes: {}, users: { app: 'sesame' } });
  });
  afterAll(() => postfix?.stop());
  const started = (): Postfix & { certificates: NonNullable<Postfix['certificates']> } => postfix as never;
  const submission = (): Partial<ConnectionOptions> & { port: number } => ({
    port: started().submissionPort,
    security: 'starttls',
    credentials: { user: 'app@postfix.example', password: 'sesame' },
    trust: { ca: readFileSync(started().certificates.caFile, 'utf8'), name: 'mx.postfix.example' },
  });

  it('RFC 3207 5: STARTTLS as a client, with a CA of its own, a login, two emails on one connection [Postfix]', async () => {
    const before = started().delivered('asa@post.example').length;
    expect(await hand(submission(), [mail('First'), mail('Second', 300_000)])).toMatchObject([{ kind: 'accepted' }, { kind: 'accepted' }]);
    const files = await until(() =>
      started().delivered('asa@post.example').length >= before + 2 ? started().delivered('asa@post.example') : undefined,
    );
    const subjects = files.map((file) => fieldOf(readMail(readFileSync(file)), 'subject'));
    expect(subjects).toEqual(expect.arrayContaining(['First', 'Second']));
    expect(started().log()).toMatch(/sasl_method=PLAIN, sasl_username=app@postfix\.example/);
  });
  it('RFC 8314 3: TLS from the first byte as a client, with a pinned certificate [Postfix]', async () => {
    const { implicitPort: port, certificates } = started();
    const options = { ...submission(), port, security: 'implicit' as const };
    expect(await hand({ ...options, trust: { fingerprint: certificates.fingerprint } })).toMatchObject([{ kind: 'accepted' }]);
    expect(await hand({ ...options, trust: { fingerprint: '00'.repeat(32) } })).toMatchObject([
      { kind: 'trouble', reason: expect.stringContaining('another certificate than the pinned one') },
    ]);
  });
  it('what is wrong is told in words', async () => {
    const wrong = { ...submission(), credentials: { user: 'app@postfix.example', password: 'wrong' } };
    expect(await hand(wrong)).toMatchObject([{ kind: 'trouble', phase: 'login', reply: { code: 535 } }]);
    expect(await hand({ ...submission(), trust: {} })).toMatchObject([
      { kind: 'trouble', reason: expect.stringMatching(/CA that is not known|CA is not known/) },
    ]);
    expect(await hand({ ...submission(), trust: { ...submission().trust, name: 'other.example' } })).toMatchObject([
      { kind: 'trouble', reason: expect.stringContaining('certificate for another name') },
    ]);
    expect(await hand({ ...submission(), trust: { verify: false } })).toMatchObject([{ kind: 'accepted' }]);
    expect(await hand({ port: started().port, security: 'implicit' })).toMatchObject([
      { kind: 'trouble', reason: expect.stringContaining('does not speak TLS') },
    ]);
    expect(await hand({ port: await freePort() })).toMatchObject([{ kind: 'trouble', reason: expect.stringContaining('nothing listens') }]);
  });
  it('a certificate that is not trusted leaves what is known of the connection to be told', async () => {
    const connection = new SmtpConnection({
      host: '127.0.0.1',
      port: started().submissionPort,
      helloName: 'us.example',
      security: 'starttls',
    });
    expect(await connection.open()).toMatchObject({ kind: 'trouble', phase: 'secure', reason: expect.stringContaining('certificate') });
    expect(connection.facts).toMatchObject({ greeting: expect.stringContaining('ESMTP'), tls: undefined });
    connection.close();
  });

  needs(POSTFIX, '/usr/bin/dkimverify')('signatures hold after a way through Postfix', async () => {
    const keys = await Promise.all(
      (['rsa-sha256', 'ed25519-sha256'] as const).map(async (algorithm, i) => ({
        domain: 'saltmarsh-ferries.example',
        selector: `s${i}`,
        algorithm,
        key: importKey(algorithm, (await makeKey(algorithm)).privateKey),
      })),
    );
    const unsigned = mail('Signed → and sealed');
    const signed = prefixed(await signMail(unsigned, keys, Date.now()), unsigned);
    expect(await hand({ port: started().port }, [signed])).toMatchObject([{ kind: 'accepted' }]);
    const file = await until(() =>
      started()
        .delivered('asa@post.example')
        .find((text) => fieldOf(readMail(readFileSync(text)), 'subject') === 'Signed → and sealed'),
    );
    const records = Object.fromEntries(keys.map((key) => [`${key.selector}._domainkey.${key.domain}`, recordOf(key.algorithm, key.key)]));
    const script = `
import sys, json, dkim
records = json.loads(sys.argv[2])
verifier = dkim.DKIM(open(sys.argv[1], 'rb').read())
look = lambda name, timeout=5: records[(name.decode() if isinstance(name, bytes) else name).rstrip('.')].encode()
print(json.dumps([verifier.verify(idx=i, dnsfunc=look) for i in range(2)]))`;
    const { stdout, stderr } = spawnSync('/usr/bin/python3', ['-c', script, file, JSON.stringify(records)], { encoding: 'utf8' });
    expect(stderr).toBe('');
    expect(JSON.parse(stdout)).toEqual([true, true]);
  });
});

describe('Exim: chunks, reports asked for, letters beyond ASCII', () => {
  const it = needs(EXIM);
  let exim: Exim | undefined;
  beforeAll(async () => {
    if (existsSync(EXIM)) exim = await startExim();
  });
  afterAll(() => exim?.stop());

  it('RFC 3030 2: content goes in one chunk and arrives to the byte [Exim]', async () => {
    const one = mail('By chunk', 200_000);
    expect(await hand({ port: (exim as Exim).port }, [one], { ...ENVELOPE, ...{ id: 'd1' } })).toMatchObject([{ kind: 'accepted' }]);
    const found = await until(() => exim?.delivered().find((bytes) => bytes.includes('By chunk')));
    expect(found.toString('latin1')).toContain(mailBytes(one).toString('latin1').replaceAll('\r\n', '\n').trimEnd());
  });
  it('RFC 5321 3.3: one recipient is rejected, one deferred, and the connection stays usable [Exim]', async () => {
    const connection = new SmtpConnection({ host: '127.0.0.1', port: (exim as Exim).port, helloName: 'us.example', waits });
    expect(await connection.open()).toBe('ready');
    expect(await connection.deliver({ ...ENVELOPE, to: 'nobody@post.example' }, mail())).toMatchObject({
      kind: 'refused',
      phase: 'recipient',
    });
    expect(await connection.deliver({ ...ENVELOPE, to: 'later@post.example' }, mail())).toMatchObject({
      kind: 'deferred',
      phase: 'recipient',
    });
    expect(await connection.deliver({ ...ENVELOPE, to: 'ása@post.example' }, mail('Beyond'))).toMatchObject({ kind: 'accepted' });
    connection.close();
  });
});

describe('smtp-sink with its faults', () => {
  const it = needs('/usr/sbin/smtp-sink');
  let sink: ChildProcess | undefined;
  afterEach(() => {
    sink?.kill('SIGKILL');
  });
  async function start(...options: string[]): Promise<number> {
    const port = await freePort();
    sink = spawn('/usr/sbin/smtp-sink', ['-u', 'postfix', ...options, `127.0.0.1:${port}`, '100'], { stdio: 'ignore' });
    await until(async () => ((await hand({ port }, [])).length === 0 ? true : undefined));
    return port;
  }
  it.each([
    [['-e', '-8', '-p'], 'accepted'],
    [['-e'], 'accepted'],
    [['-w', '1'], 'accepted'],
    [['-q', 'data'], 'trouble'],
    [['-q', '.'], 'uncertain'],
    [['-Q', 'rcpt'], 'trouble'],
    // It answers 500, which is about the dialogue and no recipient.
    [['-f', 'rcpt'], 'trouble'],
    [['-f', 'mail'], 'trouble'],
    [['-r', 'rcpt'], 'deferred'],
    [['-r', '.'], 'deferred'],
    [['-f', '.'], 'trouble'],
  ] as const)('%j: %s', async (options, kind) => {
    const port = await start(...options);
    expect(await hand({ port })).toMatchObject([{ kind }]);
  });
});

describe('a scripted server that is cut at every byte', () => {
  let server: Server | undefined;
  afterEach(() => {
    server?.close();
  });
  const GREETING = '220 x\r\n';
  const EXTENSIONS = '250-x\r\n250 PIPELINING\r\n';

  /** Says one reply for each command, each split in two; closes after `bytes` bytes in all. */
  async function scripted(bytes: number): Promise<{ port: number; close: () => void }> {
    const made = createServer((socket) => {
      let left = bytes;
      let content = false;
      socket.on('error', () => undefined);
      // Halves go out one after the other, each in a turn of its own.
      const halves: string[] = [];
      const pump = (): void => {
        const half = halves.shift();
        if (half !== undefined) {
          socket.write(half);
          setImmediate(pump);
        } else if (left <= 0) socket.end();
      };
      const say = (text: string): void => {
        const now = text.slice(0, left);
        left -= now.length;
        const middle = Math.ceil(now.length / 2);
        if (halves.length === 0) setImmediate(pump);
        halves.push(now.slice(0, middle), now.slice(middle));
      };
      let rest = '';
      say(GREETING);
      socket.on('data', (chunk) => {
        rest += chunk.toString('latin1');
        for (let end = rest.indexOf('\r\n'); end !== -1; end = rest.indexOf('\r\n')) {
          const line = rest.slice(0, end);
          rest = rest.slice(end + 2);
          if (content) {
            if (line !== '.') continue;
            content = false;
            say('250 2.0.0 taken\r\n');
          } else if (line.startsWith('EHLO')) say(EXTENSIONS);
          else if (line === 'DATA') {
            content = true;
            say('354 go\r\n');
          } else say('250 ok\r\n');
        }
      });
    });
    server = made;
    await new Promise<void>((done) => made.listen(0, '127.0.0.1', done));
    const address = made.address();
    return { port: typeof address === 'object' && address !== null ? address.port : 0, close: () => made.close() };
  }

  test('each place ends in the right class, none hangs', async () => {
    const whole = `${GREETING}${EXTENSIONS}250 ok\r\n250 ok\r\n354 go\r\n`.length;
    const total = whole + '250 2.0.0 taken\r\n'.length;
    for (let at = 0; at <= total; at += 1) {
      const { port, close } = await scripted(at);
      const [outcome] = await hand({ port });
      close();
      expect({ at, kind: outcome?.kind }).toEqual({ at, kind: at < whole ? 'trouble' : at < total ? 'uncertain' : 'accepted' });
    }
  });

  test('a server that says nothing is given up after the wait of its phase', async () => {
    server = createServer(() => undefined);
    await new Promise<void>((done) => server?.listen(0, '127.0.0.1', done));
    const address = server.address();
    const port = typeof address === 'object' && address !== null ? address.port : 0;
    const outcome = await hand({ port, waits: { ...waits, reply: 50 } });
    expect(outcome).toMatchObject([{ kind: 'trouble', phase: 'greeting', reason: expect.stringContaining('No answer') }]);
  });
});
