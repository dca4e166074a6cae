import { generateKeyPairSync } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { foreignMail } from '@verbalis/core/mime';
import { SmtpConnection } from '@verbalis/service/smtp';
import { signedCall, startHttpProvider, type HttpSimulator } from '@verbalis/simulators';
import { LIMITS } from './support/limits.js';
import { freePort } from './support/postfix.js';
import { makeCertificates, type Certificates } from './support/secure.js';
import { booking, DEMO_FOLDER, OPERATOR, ROOT, startTestService, temporaryFolder, until, type TestService } from './support/service.js';
import { scaled } from './support/scale.js';

// What comes back, by every door, and what follows from it.
const SECRET = 'what only the provider knows';
const keys = generateKeyPairSync('ed25519');
const PRIVATE = keys.privateKey.export({ type: 'pkcs8', format: 'pem' }).toString();
const PUBLIC = keys.publicKey.export({ type: 'spki', format: 'pem' }).toString();

let all: TestService;
let parcelApi: HttpSimulator;
let boxApi: HttpSimulator;
let made: Certificates;
const certificates = temporaryFolder();
const clients: Record<string, Client> = {};
const of = (space: string): Client => clients[space]!;

beforeAll(async () => {
  made = makeCertificates(certificates.path, 'returns.saltmarsh-ferries.example');
  const listen = await freePort();
  const outcomes = {
    'bounced@post.example': 'report-failed',
    'fine@post.example': 'report-delivered',
    'angry@post.example': 'complain',
  } as const;
  const calls = (name: string, secret: string) => ({ url: `http://127.0.0.1:${listen}/v1/callbacks/${name}`, secret, afterMs: 20 });
  parcelApi = await startHttpProvider({
    dialect: 'parcel',
    host: '127.0.0.1',
    port: 0,
    key: 'k',
    script: outcomes,
    callsTo: calls('parcel', SECRET),
  });
  boxApi = await startHttpProvider({
    dialect: 'postbox',
    host: '127.0.0.1',
    port: 0,
    key: 'k',
    script: outcomes,
    callsTo: calls('postbox', PRIVATE),
  });
  all = await startTestService({
    script: { 'bounced@post.example': 'report-failed', 'soft@post.example': 'refuse' },
    change: (port) => ({
      listen: { port: listen },
      publicUrl: 'https://mail.saltmarsh-ferries.example',
      returns: {
        port: 0,
        domain: 'returns.saltmarsh-ferries.example',
        maxBytes: 2_000_000,
        tls: { certFile: made.certFile, keyFile: made.keyFile },
        limits: { perMinute: 60 },
      },
      suppress: { after: 2, days: 0 },
      providers: {
        relay: { kind: 'smtp', host: '127.0.0.1', port },
        parcel: {
          kind: 'http',
          request: {
            url: `http://127.0.0.1:${parcelApi.port}/v2/letters`,
            headers: { authorization: 'Token k' },
            json: { addressee: { mail: '{{ message.recipient.address }}' }, title: '{{ message.subject }}' },
          },
          answer: { id: '$.letter.id' },
          callbacks: {
            signature: {
              kind: 'hmac',
              secret: SECRET,
              signature: 'header:x-parcel-signature',
              timestamp: 'header:x-parcel-time',
              signed: '{{ timestamp }}.{{ body }}',
            },
            events: '$.news',
            fields: {
              id: '$.nr',
              type: ['$.what', '$.how'],
              mail: '$.letter',
              at: '$.when',
              status: '$.answer.enhanced',
              code: '$.answer.code',
              reason: '$.answer.text',
            },
            words: {
              arrived: 'delivered',
              'came-back hard': 'failed',
              'came-back soft': 'delayed',
              minded: 'complained',
              left: 'topic-left',
            },
          },
        },
        postbox: {
          kind: 'http',
          request: {
            url: `http://127.0.0.1:${boxApi.port}/drop?via=raw`,
            headers: { 'x-box-key': 'k' },
            form: [
              { name: 'rcpt', value: '{{ message.recipient.address }}' },
              { name: 'mime', file: { name: 'mail.eml', type: 'message/rfc822', content: '{{ message.raw }}' } },
            ],
          },
          answer: { id: 'header:x-receipt' },
          callbacks: {
            signature: { kind: 'ed25519', publicKey: PUBLIC, signature: 'header:x-box-signature' },
            fields: { id: '$.uid', type: '$.event', mail: '$.receipt', address: '$.rcpt', at: '$.ts', code: '$.diag', reason: '$.diag' },
            words: { INBOX: 'delivered', BOUNCED: 'failed', UNWANTED: 'complained' },
          },
        },
      },
      spaces: Object.fromEntries(
        ['relay', 'parcel', 'postbox'].map((name) => [
          name,
          { mode: 'deliver', mailFolder: DEMO_FOLDER, route: [name], operator: 'op@saltmarsh-ferries.example' },
        ]),
      ),
    }),
    space: 'relay',
  });
  for (const name of ['relay', 'parcel', 'postbox']) clients[name] = createClient({ url: all.service.url, key: OPERATOR, space: name });
});
afterAll(async () => {
  await all.stop();
  await parcelApi.close();
  await boxApi.close();
  certificates.remove();
});

async function sent(space: string, to: string, ...states: string[]) {
  const { id } = await of(space).messages.send(booking(to));
  return until(async () => {
    const message = await of(space).messages.get(id);
    return message.deliveries.every((delivery) => states.includes(delivery.state)) ? message : undefined;
  });
}

const report = (to: string, fields: string, more = ''): Buffer =>
  Buffer.from(
    `From: MAILER-DAEMON@mx.example\r\nTo: ${to}\r\nSubject: Undelivered\r\nContent-Type: multipart/report; report-type=delivery-status; boundary=b\r\n\r\n--b\r\n\r\nSorry.\r\n--b\r\nContent-Type: message/delivery-status\r\n\r\nReporting-MTA: dns; mx.example\r\n\r\n${fields.replace(/\n/g, '\r\n')}\r\n--b\r\n${more}--b--\r\n`,
  );

/** A connection to the listener of returns. */
async function open() {
  const connection = new SmtpConnection({
    host: '127.0.0.1',
    port: all.service.returnsPort,
    helloName: 'mx.example',
    security: 'starttls',
    trust: { ca: readFileSync(made.caFile, 'utf8'), name: 'returns.saltmarsh-ferries.example' },
  });
  return { connection, opened: await connection.open() };
}

describe('suppression', () => {
  test('an email that comes back for good: the address gets no more, with the reason shown, until someone lifts it', async () => {
    const first = await sent('relay', 'bounced@post.example', 'failed');
    expect(first.deliveries[0]!.facts.at(-1)).toMatchObject({ kind: 'failed', cause: 'mailbox-unknown', returnId: expect.any(String) });
    const { suppressions } = await of('relay').suppressions.list({ address: 'bounced@POST.example' });
    expect(suppressions).toMatchObject([
      { address: 'bounced@post.example', reason: 'failed', cause: 'mailbox-unknown', deliveryId: first.deliveries[0]!.id },
    ]);
    const next = await of('relay').messages.send({ ...booking('bounced@post.example'), cc: ['else@post.example'] });
    expect(next.deliveries.map((delivery) => delivery.state)).toEqual(['withheld', 'queued']);
    const shown = await of('relay').messages.get(next.id);
    expect(shown.deliveries[0]).toMatchObject({
      state: 'withheld',
      sentence: expect.stringContaining('there is no such mailbox'),
      advice: expect.stringContaining('Remove'),
      attempts: [],
    });
    await expect(of('relay').suppressions.lift(suppressions[0]!.id, { note: '' })).rejects.toMatchObject({ problem: { status: 422 } });
    await of('relay').suppressions.lift(suppressions[0]!.id, { note: 'asked by phone' });
    await expect(of('relay').suppressions.lift(suppressions[0]!.id, { note: 'again' })).rejects.toMatchObject({ problem: { status: 409 } });
    expect((await of('relay').suppressions.list({ lifted: 'yes' })).suppressions[0]).toMatchObject({ liftNote: 'asked by phone' });
    // The old failure counts no more; a new one does.
    await sent('relay', 'bounced@post.example', 'failed');
    expect((await of('relay').suppressions.list({ address: 'bounced@post.example' })).suppressions).toHaveLength(1);
  });

  test('what was accepted before is withheld at the hand-over', async () => {
    await of('relay').providers.pause('relay');
    const { id } = await of('relay').messages.send(booking('later@post.example'));
    await of('relay').suppressions.add({ address: 'later@post.example', note: 'closed the account' });
    await of('relay').providers.resume('relay');
    const message = await until(async () => {
      const found = await of('relay').messages.get(id);
      return found.deliveries[0]!.state === 'withheld' ? found : undefined;
    });
    expect(message.deliveries[0]).toMatchObject({ attempts: [], sentence: expect.stringContaining('closed the account') });
    expect(all.simulator.seen.has('later@post.example')).toBe(false);
  });

  test('only of a topic; spaces share nothing', async () => {
    await of('relay').suppressions.add({ address: 'topic@post.example', topic: 'pier-news' });
    expect((await of('relay').messages.send(booking('topic@post.example'))).deliveries[0]!.state).toBe('queued');
    await of('relay').suppressions.add({ address: 'topic@post.example' });
    expect((await of('relay').messages.send(booking('topic@post.example'))).deliveries[0]!.state).toBe('withheld');
    expect((await of('parcel').messages.send(booking('topic@post.example'))).deliveries[0]!.state).toBe('queued');
  });

  test('CSV out and in, with a word for every line', async () => {
    const csv =
      'address,topic,reason,note\r\n"one@post.example",,failed,"a ""quoted"" note"\r\nno address,,,\r\ntwo@POST.example,pier-news,,\r\none@post.example,,,\r\nx@post.example,,rain,\r\n';
    const made = await of('parcel').suppressions.import(csv);
    expect(made).toMatchObject({ added: 2, known: 1, refused: 2 });
    expect(made.lines.filter((line) => line.result === 'refused')).toMatchObject([
      { line: 3, problem: expect.stringContaining('"no address"') },
      { line: 6, problem: expect.stringContaining('"rain" is no reason') },
    ]);
    const text = await of('parcel').suppressions.export();
    expect(text).toMatch(/^address,topic,reason,cause,evidence,since,note\r\n/);
    expect(text).toContain('one@post.example,,failed,');
    expect(await of('parcel').suppressions.import(text)).toMatchObject({ added: 0, refused: 0, known: 2 });
    expect(await of('parcel').suppressions.import('name\r\nx\r\n')).toMatchObject({
      lines: [{ problem: expect.stringContaining('no column "address"') }],
    });
  });
});

describe('callbacks', () => {
  const call = async (
    name: 'parcel' | 'postbox',
    news: unknown[],
    { secret, now, headers = {}, body }: { secret?: string; now?: number; headers?: Record<string, string>; body?: string } = {},
  ) => {
    const signed = signedCall(name, news, secret ?? (name === 'parcel' ? SECRET : PRIVATE), now);
    return fetch(`${all.service.url}/v1/callbacks/${name}`, {
      method: 'POST',
      headers: { ...signed.headers, ...headers },
      body: body ?? signed.body,
    });
  };

  test.each(['parcel', 'postbox'] as const)('%s: what it says becomes facts of the right delivery', async (space) => {
    await sent(space, 'fine@post.example', 'delivered');
    const failed = await sent(space, 'bounced@post.example', 'failed');
    expect(failed.deliveries[0]).toMatchObject({
      cause: 'mailbox-unknown',
      facts: expect.arrayContaining([
        expect.objectContaining({ kind: 'failed', source: 'return', replyCode: 550, returnId: expect.stringMatching(/^r/) }),
      ]),
    });
    const angry = await sent(space, 'angry@post.example', 'complained');
    const { suppressions } = await of(space).suppressions.list();
    expect(suppressions.map((suppression) => [suppression.address, suppression.reason])).toEqual(
      expect.arrayContaining([
        ['angry@post.example', 'complained'],
        ['bounced@post.example', 'failed'],
      ]),
    );
    const kept = await of(space).returns.get(angry.deliveries[0]!.facts.find((fact) => fact.kind === 'complained')!.returnId!);
    expect(kept).toMatchObject({ source: 'callback', provider: space, kind: 'complaint', matched: true, messageId: angry.id });
  });

  test('the same event again, late and out of order, changes nothing; what is not known is kept', async () => {
    const message = await sent('parcel', 'again@post.example', 'accepted');
    const letter = message.deliveries[0]!.attempts[0]!.providerId!;
    const failed = {
      nr: 'e1',
      what: 'came-back',
      how: 'hard',
      letter,
      when: new Date().toISOString(),
      answer: { code: 552, enhanced: '5.2.2', text: 'mailbox full' },
    };
    const delivered = { nr: 'e2', what: 'arrived', letter, when: new Date(Date.now() - 60_000).toISOString() };
    for (const news of [[failed], [failed, failed], [delivered, failed], [delivered]])
      expect((await call('parcel', news)).status).toBe(200);
    await call('parcel', [{ nr: 'e3', what: 'teleported', letter }, { nr: 'e4', what: 'arrived', letter: 'nobody-knows' }, 7, null]);
    const ended = await until(async () => {
      const found = await of('parcel').messages.get(message.id);
      return found.deliveries[0]!.facts.length === 3 ? found : undefined;
    });
    expect(ended.deliveries[0]).toMatchObject({ state: 'failed', cause: 'mailbox-full' });
    const strange = await until(async () => {
      const { returns } = await of('parcel').returns.list({ matched: 'no' });
      return returns.length >= 3 ? returns : undefined;
    });
    expect(strange.map(({ subject }) => subject)).toContain('arrived');
    const teleported = (await of('parcel').returns.list({ matched: 'yes', kind: 'other' })).returns.find(
      ({ subject }) => subject === 'teleported',
    );
    expect(teleported?.problem).toContain('no word for "teleported"');
  });

  test('forged, old, cut and malformed calls change nothing and are counted', async () => {
    const message = await sent('parcel', 'safe@post.example', 'accepted');
    const news = [{ nr: 'f1', what: 'minded', letter: message.deliveries[0]!.attempts[0]!.providerId! }];
    expect((await call('parcel', news, { secret: 'another' })).status).toBe(401);
    expect((await call('parcel', news, { now: Date.now() - 3_600_000 })).status).toBe(401);
    expect((await call('parcel', news, { body: '{"news":[]}' })).status).toBe(401);
    expect((await call('parcel', news, { headers: { 'X-Parcel-Signature': '' } })).status).toBe(401);
    const other = generateKeyPairSync('ed25519').privateKey.export({ type: 'pkcs8', format: 'pem' }).toString();
    expect((await call('postbox', news, { secret: other })).status).toBe(401);
    expect(
      (
        await call(
          'parcel',
          Array.from({ length: 5001 }, () => 1),
        )
      ).status,
    ).toBe(413);
    expect((await fetch(`${all.service.url}/v1/callbacks/nobody`, { method: 'POST', body: '{}' })).status).toBe(401);
    expect((await of('parcel').messages.get(message.id)).deliveries[0]!.state).toBe('accepted');
    const metrics = await (await fetch(`${all.service.url}/metrics`)).text();
    expect(metrics).toMatch(/verbalis_callbacks_refused_total\{provider="parcel"\} 4/);
  });

  test(
    'a storm: batches of 500 while emails are being sent; none is lost',
    async () => {
      const EVENTS = scaled(5000, 100_000);
      const targets = await Promise.all(Array.from({ length: 20 }, (_, i) => sent('parcel', `storm${i}@post.example`, 'accepted')));
      const letters = targets.map((target) => target.deliveries[0]!.attempts[0]!.providerId!);
      const before = process.memoryUsage().rss;
      const from = performance.now();
      let slowest = 0;
      const done = (async () => {
        for (let n = 0; n < EVENTS; n += 500) {
          const news = Array.from({ length: 500 }, (_, i) => ({
            nr: `s${n + i}`,
            what: 'came-back',
            how: 'soft',
            letter: letters[(n + i) % letters.length],
            answer: { code: 450, text: 'later' },
          }));
          expect((await call('parcel', news)).status).toBe(200);
        }
      })();
      let moved = 0;
      while (moved < 5) {
        const start = performance.now();
        await sent('relay', `during${moved}@post.example`, 'accepted');
        slowest = Math.max(slowest, performance.now() - start);
        moved += 1;
      }
      await done;
      const count = async (): Promise<number> => {
        const text = await (await fetch(`${all.service.url}/metrics`)).text();
        return Number(/verbalis_callbacks_waiting (\d+)/.exec(text)?.[1] ?? 1);
      };
      await until(async () => ((await count()) === 0 ? true : undefined));
      const seconds = (performance.now() - from) / 1000;
      const facts = await Promise.all(
        targets.map(async (target) => (await of('parcel').messages.get(target.id)).deliveries[0]!.facts.length - 1),
      );
      expect(facts.reduce((sum, fact) => sum + fact, 0)).toBe(EVENTS);
      process.stderr.write(
        `storm: ${EVENTS} events in ${seconds.toFixed(1)} s (${Math.round(EVENTS / seconds)}/s), emails meanwhile in at most ${slowest.toFixed(0)} ms, memory +${Math.round((process.memoryUsage().rss - before) / 1e6)} MB\n`,
      );
    },
    LIMITS.longTest,
  );
});

describe('uploads and the unmatched', () => {
  test('handed in by a key: matched by token, by Message-ID, or by hand; twice is once', async () => {
    const message = await sent('relay', 'upload@post.example', 'accepted');
    const fields =
      'Final-Recipient: rfc822; upload@post.example\nAction: failed\nStatus: 5.2.2\nDiagnostic-Code: smtp; 552 5.2.2 over quota';
    const id = `Content-Type: text/rfc822-headers\r\n\r\nMessage-ID: <${message.id}@saltmarsh-ferries.example>\r\nSubject: x\r\n`;
    const mail = report('someone@elsewhere.example', fields, id);
    const { returns } = await of('relay').returns.add(mail);
    expect(returns).toMatchObject([{ kind: 'delivery-status', deliveryId: message.deliveries[0]!.id, repeated: false }]);
    expect((await of('relay').returns.add(mail)).returns).toMatchObject([{ repeated: true, deliveryId: message.deliveries[0]!.id }]);
    expect((await of('relay').messages.get(message.id)).deliveries[0]).toMatchObject({ state: 'failed', cause: 'mailbox-full' });
    // Another space's key says nothing of this space's mail.
    const foreign = await of('parcel').returns.add(report('x@elsewhere.example', fields.replace('over', 'way over'), id));
    expect(foreign.returns[0]!.deliveryId).toBeUndefined();

    const other = await sent('relay', 'byhand@post.example', 'accepted');
    const lost = (
      await of('relay').returns.add(
        report('x@elsewhere.example', 'Final-Recipient: rfc822; byhand@post.example\nAction: failed\nStatus: 5.1.1'),
      )
    ).returns[0]!;
    expect(lost.deliveryId).toBeUndefined();
    expect((await of('relay').returns.list({ matched: 'no' })).returns.map(({ id }) => id)).toContain(lost.id);
    expect(Buffer.from(await of('relay').returns.source(lost.id)).toString()).toContain('Final-Recipient');
    const matched = await of('relay').returns.match(lost.id, { deliveryId: other.deliveries[0]!.id });
    expect(matched).toMatchObject({ matched: true, messageId: other.id });
    expect((await of('relay').messages.get(other.id)).deliveries[0]!.state).toBe('failed');
    await expect(of('relay').returns.match(lost.id, { deliveryId: other.deliveries[0]!.id })).rejects.toMatchObject({
      problem: { status: 409 },
    });
  });

  test('one bounce is one return and one fact, whichever ways it comes', async () => {
    const message = await sent('relay', 'ways@post.example', 'accepted');
    const path = all.simulator.seen.get('ways@post.example')!.from!;
    const fields = 'Final-Recipient: rfc822; ways@post.example\nAction: failed\nStatus: 5.2.2\nDiagnostic-Code: smtp; 552 5.2.2 over quota';
    const mail = report(path, fields).toString('latin1');
    const { connection, opened } = await open();
    expect(opened).toBe('ready');
    const passed = `Received: from mx2.example by mx3.example; Fri, 27 Nov 2026 08:01:00 +0000\r\n${mail}`;
    for (const bytes of [mail, passed])
      expect(await connection.deliver({ from: '', to: path }, foreignMail(Buffer.from(bytes, 'latin1')))).toMatchObject({
        kind: 'accepted',
      });
    connection.close();
    const { returns } = await of('relay').returns.add(Buffer.from(mail.replaceAll('\r\n', '\n'), 'latin1'));
    expect(returns).toMatchObject([{ repeated: true, deliveryId: message.deliveries[0]!.id }]);
    expect((await of('relay').returns.add(Buffer.from(passed.replaceAll('\r\n', '\n'), 'latin1'))).returns).toMatchObject([
      { repeated: true },
    ]);
    const { facts } = (await of('relay').messages.get(message.id)).deliveries[0]!;
    expect(facts.filter(({ kind }) => kind === 'failed')).toHaveLength(1);
    expect((await of('relay').returns.list({ message: message.id })).returns).toHaveLength(1);
  });

  test('a bounce that says nothing suppresses nobody', async () => {
    const message = await sent('relay', 'bare@post.example', 'accepted');
    const path = all.simulator.seen.get('bare@post.example')!.from!;
    const bare =
      'Final-Recipient: rfc822; bare@post.example\nAction: failed\nStatus: 5.0.0\nDiagnostic-Code: smtp; 550 Requested action not taken';
    await of('relay').returns.add(report(path, bare));
    const failed = await of('relay').messages.get(message.id);
    expect(failed.deliveries[0]).toMatchObject({ state: 'failed', cause: 'other' });
    await sent('relay', 'bare@post.example', 'accepted');
  });

  test('a complaint of which little is left finds its delivery by the Message-ID, and other feedback is none', async () => {
    const message = await sent('relay', 'minds@post.example', 'accepted');
    const feedback = (type: string): Buffer =>
      Buffer.from(
        `From: feedback@post.example\r\nTo: abuse@returns.saltmarsh-ferries.example\r\nSubject: FW: ${type}\r\nContent-Type: multipart/report; report-type=feedback-report; boundary=f\r\n\r\n` +
          `--f\r\nContent-Type: message/feedback-report\r\n\r\nFeedback-Type: ${type}\r\nUser-Agent: Reports/1\r\nVersion: 1\r\n\r\n` +
          `--f\r\nContent-Type: text/rfc822-headers\r\n\r\nFrom: redacted\r\nTo: redacted\r\nMessage-ID: <${message.id}@saltmarsh-ferries.example>\r\n\r\n--f--\r\n`,
      );
    const { connection, opened } = await open();
    expect(opened).toBe('ready');
    const bring = (type: string) =>
      connection.deliver({ from: 'feedback@post.example', to: 'abuse@returns.saltmarsh-ferries.example' }, foreignMail(feedback(type)));
    expect(await bring('virus')).toMatchObject({ kind: 'accepted' });
    const other = await until(async () => (await of('relay').returns.list({ kind: 'feedback', message: message.id })).returns[0]);
    expect(other).toMatchObject({ feedbackType: 'virus', recipients: [], matched: true });
    expect((await of('relay').messages.get(message.id)).deliveries[0]!.state).toBe('accepted');
    expect(await bring('abuse')).toMatchObject({ kind: 'accepted' });
    await until(async () => ((await of('relay').messages.get(message.id)).deliveries[0]!.state === 'complained' ? true : undefined));
    connection.close();
  });

  test('an mbox file, and answers that are no bounces', async () => {
    const sample = (name: string) => readFileSync(join(ROOT, `tests/fixtures/returns/hand/${name}.eml`), 'latin1');
    const mbox = ['vacation', 'human', 'receipt']
      .map((name) => `From x@y.example Mon Mar  2 09:00:00 2026\r\n${sample(name)}\r\n`)
      .join('');
    const file = join(all.folder, 'all.mbox');
    writeFileSync(file, mbox, 'latin1');
    const { returns } = await of('relay').returns.add(readFileSync(file));
    expect(returns.map(({ kind }) => kind)).toEqual(['auto-reply', 'other', 'read-receipt']);
  });
});

describe('the listener', () => {
  test('STARTTLS; tokens that were never made are refused before DATA, and counted', async () => {
    const { connection, opened } = await open();
    expect(opened).toBe('ready');
    const forged = await connection.deliver(
      { from: '', to: 'returns+d01aaaaaaaaaaaaaaaaaaaaaa-aaaaaaaaaaaaaaaa@returns.saltmarsh-ferries.example' },
      foreignMail(Buffer.from('Subject: x\r\n\r\nx')),
    );
    expect(forged).toMatchObject({ kind: 'refused', phase: 'recipient', reply: { code: 550 } });
    connection.close();
    expect(await (await fetch(`${all.service.url}/metrics`)).text()).toMatch(/verbalis_returns_forged [1-9]/);
  });

  test('who comes too often is sent away', async () => {
    const many = await Promise.all(
      Array.from({ length: 80 }, async () => {
        const connection = new SmtpConnection({ host: '127.0.0.1', port: all.service.returnsPort, helloName: 'mx.example' });
        const opened = await connection.open();
        connection.close();
        return opened;
      }),
    );
    expect(many.filter((answer) => answer === 'ready').length).toBeLessThanOrEqual(60);
    expect(many.find((answer) => answer !== 'ready')).toMatchObject({ reply: { code: 421 } });
  });
});

describe('unsubscribing', () => {
  test('one click of a mail program ends the topic; a person is asked first', async () => {
    const data = JSON.parse(readFileSync(join(DEMO_FOLDER, 'templates/pier-bulletin/samples/typical.json'), 'utf8')) as Record<
      string,
      unknown
    >;
    const bulletin = () => of('relay').messages.send({ template: 'pier-bulletin', to: ['reader@post.example'], data });
    const { id } = await bulletin();
    const source = await until(async () =>
      of('relay')
        .messages.source(id)
        .then(
          (bytes) => Buffer.from(bytes).toString('latin1'),
          () => undefined,
        ),
    );
    expect(source).toContain('List-Unsubscribe-Post: List-Unsubscribe=One-Click');
    const link = /List-Unsubscribe:\s+<(https:\/\/mail\.saltmarsh-ferries\.example\/unsubscribe\/[^>]+)>/.exec(
      source.replace(/\r\n[ \t]+/g, ' '),
    )![1]!;
    expect((await of('relay').messages.mail(id)).html).toContain(link);
    const here = link.replace('https://mail.saltmarsh-ferries.example', all.service.url);
    const asked = await fetch(here);
    expect(await asked.text()).toContain('reader@post.example will get no more emails about');
    expect((await bulletin()).deliveries[0]!.state).toBe('queued');
    const done = await fetch(here, {
      method: 'POST',
      body: 'List-Unsubscribe=One-Click',
      headers: { 'Content-Type': 'application/x-www-form-urlencoded' },
    });
    expect(await done.text()).toContain('gets no more');
    expect((await bulletin()).deliveries[0]!.state).toBe('withheld');
    // Essential mail still comes.
    expect((await of('relay').messages.send(booking('reader@post.example'))).deliveries[0]!.state).toBe('queued');
    expect((await fetch(`${here.slice(0, -3)}aaa`, { method: 'POST' })).status).toBe(404);
    const essential = await sent('relay', 'essential@post.example', 'accepted');
    expect(Buffer.from(await of('relay').messages.source(essential.id)).toString('latin1')).not.toContain('List-Unsubscribe');
  });

  test('what the sender did wrong suppresses nobody: the operator is told', async () => {
    const message = await sent('parcel', 'blocked@post.example', 'accepted');
    const letter = message.deliveries[0]!.attempts[0]!.providerId!;
    const { body, headers } = signedCall(
      'parcel',
      [{ nr: 'b1', what: 'came-back', how: 'hard', letter, answer: { code: 550, enhanced: '5.7.1', text: 'blocked using a block list' } }],
      SECRET,
    );
    await fetch(`${all.service.url}/v1/callbacks/parcel`, { method: 'POST', headers, body });
    const note = await until(async () => (await of('parcel').messages.list({ address: 'op@saltmarsh-ferries.example' })).messages[0]);
    expect(note.subject).toContain('does not trust the sending server');
    expect((await of('parcel').messages.get(message.id)).deliveries[0]).toMatchObject({ state: 'failed', cause: 'reputation' });
    expect((await of('parcel').suppressions.list({ address: 'blocked@post.example' })).suppressions).toEqual([]);
  });
});
