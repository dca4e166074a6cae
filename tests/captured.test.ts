import { execFile } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, RefusedError, type Client } from '@verbalis/client';
import { SmtpConnection } from '@verbalis/service/smtp';
import { foreignMail } from '@verbalis/core/mime';
import { SYSTEM_CLOCK } from '@verbalis/service/kernel';
import { openStore } from '@verbalis/service/records';
import { pino } from 'pino';
import { needs } from './support/browser.js';
import { scaled } from './support/scale.js';
import { booking, OPERATOR, startTestService, temporaryFolder, until, type TestService } from './support/service.js';

/** Not in step with it: the service it speaks to runs in this process. */
const run = promisify(execFile);

let all: TestService;
let drydock: Client;
let port: number;

beforeAll(async () => {
  all = await startTestService({
    change: { submission: { port: 0, openTo: 'drydock' }, captured: { most: 100, days: 14 }, limits: { bodyBytes: 40_000_000 } },
  });
  drydock = createClient({ url: all.service.url, key: OPERATOR, space: 'drydock' });
  port = all.service.submissionPort ?? 0;
});
afterAll(() => all.stop());

/** Hands bytes in as any app does. */
async function submit(bytes: string | Buffer, to: string, credentials?: { user: string; password: string }) {
  const connection = new SmtpConnection({ host: '127.0.0.1', port, helloName: 'app.example', credentials, openLogin: true });
  const opened = await connection.open();
  const outcome = opened === 'ready' ? await connection.deliver({ from: 'app@app.example', to }, foreignMail(Buffer.from(bytes))) : opened;
  connection.close();
  return outcome;
}

const plain = (subject: string, body: string): string =>
  `From: The app <app@app.example>\r\nTo: x@post.example\r\nSubject: ${subject}\r\n\r\n${body}\r\n`;

describe('a message to a capturing space', () => {
  test('is kept with all that is in it, and waited for without asking again', async () => {
    const waiting = drydock.captured.waitFor({ to: 'asa@post.example', subject: 'booking' });
    await drydock.messages.send(booking('Ása <asa@post.example>', 'SM-7001'));
    const mail = await waiting;
    expect(mail).toMatchObject({
      to: 'asa@post.example',
      subject: 'Booking SM-7001: Brackwater to Tern Island',
      links: expect.arrayContaining([{ text: 'Change this booking', href: 'https://saltmarsh-ferries.example/bookings/SM-7001' }]),
    });
    expect(mail.link('Change this')).toBe('https://saltmarsh-ferries.example/bookings/SM-7001');
    expect(() => mail.link('Buy')).toThrow('"Change this booking"');
    expect(mail.html).toContain('You are on board');
    expect(mail.text).toContain('Total');
    expect(mail.header('auto-submitted')).toBe('auto-generated');
    expect(Buffer.from(await mail.source()).toString()).toContain(`Message-ID:`);
    // Nothing of it reached a provider, and its provider's name says so.
    // (How the attempt ended is written a moment after the mail can be looked at.)
    const delivery = await until(async () => {
      const [found] = (await drydock.messages.get(mail.messageId ?? '')).deliveries;
      return found?.state === 'queued' ? undefined : found;
    });
    expect(delivery).toMatchObject({ state: 'accepted', attempts: [{ provider: 'capture', outcome: 'accepted' }] });
    expect(all.simulator.seen.size).toBe(0);
  });

  test('what does not come is said with what came instead', async () => {
    const fault = await drydock.captured.waitFor({ to: 'nobody@post.example' }, { timeout: 50 }).catch((error: unknown) => error);
    expect(fault).toBeInstanceOf(RefusedError);
    expect((fault as RefusedError).problem).toMatchObject({
      status: 404,
      detail: expect.stringMatching(/to nobody@post\.example.*The newest is to asa@post\.example/),
    });
  });

  test.each(['delivered', 'delayed', 'bounced', 'complained', 'image-loaded', 'link-followed'] as const)('can be %s', async (outcome) => {
    const address = `${outcome}@post.example`;
    await drydock.messages.send(booking(address, 'SM-7002'));
    const mail = await drydock.captured.waitFor({ to: address });
    await drydock.captured.simulate(mail, outcome, outcome === 'bounced' ? { cause: 'mailbox-full' } : {});
    const delivery = await until(async () => {
      const found = (await drydock.messages.get(mail.messageId ?? '')).deliveries[0]!;
      return found.facts.length > 1 ? found : undefined;
    });
    const wanted = {
      delivered: { state: 'delivered' },
      delayed: { state: 'delayed' },
      bounced: { state: 'failed', cause: 'mailbox-full' },
      complained: { state: 'complained' },
      'image-loaded': { state: 'accepted' },
      'link-followed': { state: 'accepted' },
    };
    expect(delivery).toMatchObject(wanted[outcome]);
    expect(delivery.facts.map((fact) => fact.kind)).toContain({ bounced: 'failed' }[outcome as 'bounced'] ?? outcome);
  });

  test('a cause that suppresses does so, and a delivering space is untouched', async () => {
    await drydock.messages.send(booking('gone@post.example'));
    const mail = await drydock.captured.waitFor({ to: 'gone@post.example' });
    await drydock.captured.simulate(mail, 'bounced', { cause: 'mailbox-unknown' });
    await until(async () =>
      (await drydock.suppressions.list()).suppressions.some((suppression) => suppression.address === 'gone@post.example')
        ? true
        : undefined,
    );
    expect((await all.client.suppressions.list()).suppressions).toEqual([]);
  });
});

describe('an app that knows SMTP only', () => {
  test.each<[string, { user: string; password: string } | undefined]>([
    ['without a login', undefined],
    ['with any user and password', { user: 'whoever', password: 'whatever' }],
  ])('hands its mail in %s', async (_words, login) => {
    expect(await submit(plain('Tide table', 'High water 09:12'), 'tide@post.example', login)).toMatchObject({ kind: 'accepted' });
    expect(await drydock.captured.waitFor({ to: 'tide@post.example', subject: 'tide' })).toMatchObject({ text: 'High water 09:12\r\n' });
    await drydock.captured.clear({ to: 'tide@post.example' });
  });

  test('what looks like a key and is none is refused: its mail was meant to be delivered', async () => {
    const outcome = await submit(plain('x', 'x'), 'a@post.example', { user: 'u', password: 'verbalis-of-another-place' });
    expect(outcome).toMatchObject({ kind: 'trouble', reply: { code: 535 } });
  });

  test.each<[string, string | Buffer]>([
    ['no From at all', 'Subject: none\r\n\r\nbody\r\n'],
    ['no header', '\r\nbody only\r\n'],
    ['bytes of no charset', Buffer.from('From: a@b.example\r\nSubject: gr\xfc\xdfe\r\n\r\n\xff\xfe\x80\r\n', 'latin1')],
    ['a boundary that never comes', 'From: a@b.example\r\nContent-Type: multipart/mixed; boundary=x\r\n\r\nnothing\r\n'],
    ['dots and long lines', `From: a@b.example\r\n\r\n.\r\n..two\r\n${'x'.repeat(5000)}\r\n`],
  ])('broken mail is kept as it came: %s', async (_words, bytes) => {
    await drydock.captured.clear();
    expect(await submit(bytes, 'odd@post.example')).toMatchObject({ kind: 'accepted' });
    const mail = await drydock.captured.waitFor({ to: 'odd@post.example' });
    expect(Buffer.compare(Buffer.from(await mail.source()), Buffer.from(bytes))).toBe(0);
  });

  needs('/usr/bin/python3')('Python’s smtplib: what was sent is what is shown, byte for byte', async () => {
    const folder = temporaryFolder();
    const file = join(folder.path, 'sent.eml');
    const script = `
import smtplib, sys
from email.message import EmailMessage
m = EmailMessage()
m["From"] = "Fähre <till@saltmarsh-ferries.example>"
m["To"] = "py@post.example"
m["Subject"] = "Quittung für Zoë, 42 €"
m.set_content("Ihr Code: 204 816\\n.\\n..\\nGrüße\\n")
m.add_alternative("<p>Ihr Code: <b>204 816</b></p>", subtype="html")
m.add_attachment(b"\\x00\\x01\\xff" * 999, maintype="application", subtype="octet-stream", filename="Fahrplan Süd.bin")
data = m.as_bytes(policy=m.policy.clone(linesep="\\r\\n"))
open(sys.argv[2], "wb").write(data)
with smtplib.SMTP("127.0.0.1", int(sys.argv[1])) as s:
    s.login("any", "thing")
    s.sendmail("till@saltmarsh-ferries.example", ["py@post.example"], data)
`;
    await run('/usr/bin/python3', ['-c', script, String(port), file]);
    const mail = await drydock.captured.waitFor({ to: 'py@post.example' });
    expect(Buffer.compare(Buffer.from(await mail.source()), readFileSync(file))).toBe(0);
    expect(mail).toMatchObject({
      subject: 'Quittung für Zoë, 42 €',
      code: '204816',
      attachments: [{ name: 'Fahrplan Süd.bin', size: 2997 }],
    });
    expect(Buffer.from(await mail.attachments[0]!.content()).subarray(0, 3)).toEqual(Buffer.from([0, 1, 255]));
    folder.remove();
  });

  needs('/usr/bin/swaks')('swaks: what was sent is what is shown, byte for byte', async () => {
    const folder = temporaryFolder();
    const file = join(folder.path, 'sent.eml');
    writeFileSync(file, plain('From swaks', 'One line\r\n.\r\n.a dot before it'));
    await run('/usr/bin/swaks', [
      ...['--server', `127.0.0.1:${port}`, '--from', 'till@saltmarsh-ferries.example', '--to', 'sw@post.example', '--data', `@${file}`],
      ...['--auth', 'PLAIN', '--auth-user', 'any', '--auth-password', 'thing'],
    ]);
    const mail = await drydock.captured.waitFor({ to: 'sw@post.example' });
    // swaks ends its data with a line end of its own.
    expect(
      Buffer.from(await mail.source())
        .toString()
        .trimEnd(),
    ).toBe(plain('From swaks', 'One line\r\n.\r\n.a dot before it').trimEnd());
    folder.remove();
  });
});

describe('the captured mail of a space', () => {
  test('is listed, searched, grouped by recipient and cleared by filter', async () => {
    await drydock.captured.clear();
    for (const [i, to] of ['a@post.example', 'b@post.example', 'a@post.example'].entries())
      await submit(plain(`Number ${i}`, `word${i} common`), to);
    await drydock.captured.waitFor({ subject: 'Number 2' });
    expect((await drydock.captured.list({ limit: 2 })).captured.map(({ subject }) => subject)).toEqual(['Number 2', 'Number 1']);
    const first = await drydock.captured.list({ limit: 2 });
    expect((await drydock.captured.list({ limit: 2, cursor: first.nextCursor })).captured.map(({ subject }) => subject)).toEqual([
      'Number 0',
    ]);
    expect((await drydock.captured.list({ find: 'COMMON word1' })).captured).toMatchObject([{ subject: 'Number 1' }]);
    expect(await drydock.captured.addresses()).toMatchObject({
      addresses: [
        { address: 'a@post.example', emails: 2 },
        { address: 'b@post.example', emails: 1 },
      ],
    });
    expect(await drydock.captured.clear({ to: 'a@post.example' })).toBe(2);
    expect((await drydock.captured.list()).captured).toMatchObject([{ to: 'b@post.example' }]);
    expect((await all.client.captured.list()).captured).toEqual([]);
  });

  test('never grows beyond what is kept', async () => {
    for (let i = 0; i < 160; i += 1) await submit(plain(`Bound ${i}`, 'x'), 'many@post.example');
    await drydock.captured.waitFor({ subject: 'Bound 159' });
    const { captured } = await drydock.captured.list({ limit: 200 });
    expect(captured.length).toBeLessThanOrEqual(150);
    expect(captured[0]?.subject).toBe('Bound 159');
  });

  test('comes live, and goes on after a break from what was seen last', async () => {
    const end = new AbortController();
    const seen: string[] = [];
    const following = (async () => {
      for await (const one of drydock.captured.follow({ signal: end.signal })) {
        seen.push(one.subject);
        if (seen.length === 2) return;
      }
    })();
    await until(async () => {
      await submit(plain(`Live ${seen.length}`, 'x'), 'live@post.example');
      return seen.length > 0 ? true : undefined;
    });
    await submit(plain('Live last', 'x'), 'live@post.example');
    await following;
    end.abort();
    expect(seen[0]).toMatch(/^Live/);
  });

  test('25 MB are taken and shown', async () => {
    const big = plain('Large', `${`${'x'.repeat(76)}\r\n`.repeat(320_000)}the end`);
    expect(await submit(big, 'large@post.example')).toMatchObject({ kind: 'accepted' });
    const mail = await drydock.captured.waitFor({ to: 'large@post.example' });
    expect((await mail.source()).length).toBe(big.length);
  });
});

const MANY = scaled(1500, 10_000);
test(`${MANY} captured emails: lists and searches find what there is`, async () => {
  const folder = temporaryFolder();
  const store = await openStore(join(folder.path, 'many.sqlite'), { log: pino({ level: 'silent' }), clock: SYSTEM_CLOCK });
  const words = 'the quick ferry jumps over the lazy pier '.repeat(60);
  await store.write((tx) => {
    for (let i = 0; i < MANY; i += 1)
      store.captured.keep(tx, {
        id: `l${String(i).padStart(24, '0')}`,
        space: 'drydock',
        deliveryId: null,
        messageId: null,
        address: `guest${i % 300}@post.example`,
        sender: 'App <app@app.example>',
        subject: `Mail ${i}`,
        receivedAt: i,
        size: 3000,
        attachments: 0,
        code: null,
        words: `mail ${i}\n${words}`,
        contentId: null,
        bytes: Buffer.from(words),
      });
  });
  const timed = (look: () => unknown): number => {
    const from = performance.now();
    look();
    return performance.now() - from;
  };
  const took = {
    list: timed(() => store.captured.list({ space: 'drydock' }, 51)),
    search: timed(() => store.captured.list({ space: 'drydock', find: 'mail 77 lazy' }, 51)),
    nothing: timed(() => store.captured.list({ space: 'drydock', find: 'unheard-of' }, 51)),
    short: timed(() => store.captured.list({ space: 'drydock', find: '77' }, 51)),
    address: timed(() => store.captured.list({ space: 'drydock', address: 'guest7@post.example' }, 51)),
    addresses: timed(() => store.captured.addresses('drydock', 500)),
  };
  process.stderr.write(
    `captured, ${MANY} emails: ${Object.entries(took)
      .map(([name, ms]) => `${name} ${ms.toFixed(1)} ms`)
      .join(', ')}\n`,
  );
  expect(store.captured.list({ space: 'drydock', find: 'unheard-of' }, 51)).toEqual([]);
  expect(store.captured.list({ space: 'drydock', address: 'guest7@post.example' }, 51)).toHaveLength(Math.ceil((MANY - 7) / 300));
  await store.close();
  folder.remove();
});
