import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { createClient, RefusedError, type Client } from '@verbalis/client';
import { partText, partsOf, readMail } from '@verbalis/core/mime';
import { startNameServer } from '@verbalis/simulators';
import { movableClock, type MovableClock } from './support/clock.js';
import { booking, DEMO_FOLDER, OPERATOR, ROOT, startTestService, type TestService } from './support/service.js';
import { talkTo } from './support/talk.js';

// Whom a space sends as. Single addresses on domains of others are confirmed by their owners, and by nobody and nothing else.

const AGNES = 'agnes@harbour-mail.example';
const SAMPLE = join(DEMO_FOLDER, 'templates/booking-confirmed/samples/typical.json');
const [MINUTE, DAY] = [60_000, 86_400_000];

let all: TestService;
let operator: Client;
let clock: MovableClock;

async function start(change: Record<string, unknown> = {}): Promise<void> {
  clock = movableClock(Date.UTC(2026, 10, 2, 9));
  all = await startTestService({
    clock,
    change: {
      submission: { port: 0 },
      spaces: {
        harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'], senderDomains: ['saltmarsh-ferries.example'] },
        pier: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'], senderDomains: ['saltmarsh-ferries.example'] },
        // Nobody but the mail folder names its sender.
        quay: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'], senderDomains: [] },
        drydock: { mode: 'capture', mailFolder: DEMO_FOLDER, senderDomains: [] },
      },
      ...change,
    },
  });
  clock.busy = all.service.busy;
  operator = as('harbour');
}
beforeEach(() => start());
afterEach(() => all.stop());

const as = (space: string): Client => createClient({ url: all.service.url, key: OPERATOR, space });

const refusal = (promise: Promise<unknown>): Promise<unknown> =>
  promise.then(
    () => 'accepted',
    (error: unknown) => (error instanceof RefusedError ? error.problem.type.split(':').at(-1) : String(error)),
  );

let n = 0;
const send = (client: Client, from?: string | { name: string; address: string }) => {
  n += 1;
  return client.messages.send({ ...booking(`guest${n}@post.example`, `SM-${4000 + n}`), ...(from === undefined ? {} : { from }) });
};

/** The link in an email that asks an owner. */
async function linkOf(messageId: string | undefined): Promise<string> {
  await all.ended(messageId ?? '', 'accepted', 'failed');
  const bytes = await all.received(operator, messageId ?? '');
  const text = [...partsOf(readMail(bytes))].map((part) => (part.type === 'text/plain' ? partText(part) : '')).join('');
  const link = /https?:\/\/\S+\/confirm\/[^\s)>]+/.exec(text)?.[0];
  if (link === undefined) throw new Error(`No link in:\n${text}`);
  return link;
}
const confirmations = async () => (await operator.events.list({ filter: 'type = sender-confirmed' })).events.map(({ data }) => data);

describe('a space that delivers', () => {
  test('does not take the word of its mail folder for who it is; one that captures tries everything', async () => {
    await expect(send(as('quay'))).rejects.toMatchObject({
      problem: {
        type: 'urn:verbalis:problem:sender-not-confirmed',
        detail: 'Nothing shows that the space "quay" may send as harbour@saltmarsh-ferries.example.',
        hint: expect.stringContaining('verbalis domains add saltmarsh-ferries.example') as unknown,
      },
    });
    expect(await refusal(send(as('drydock')))).toBe('accepted');
    expect((await as('quay').senders.list()).senders).toEqual([
      expect.objectContaining({ address: 'harbour@saltmarsh-ferries.example', from: 'mail-folder', standing: 'unknown', usable: false }),
    ]);
    // A domain that was added is one's own; whether its email may go unsigned is another question.
    await operator.domains.add({ name: 'saltmarsh-ferries.example' });
    expect(await refusal(send(as('quay')))).toBe('accepted');
    const [own] = (await as('quay').senders.list()).senders;
    expect(own).toMatchObject({ standing: 'own-domain', usable: true });
  });

  test('sends as an address of a domain of others once its owner has pressed the button, and not before', async () => {
    expect(await refusal(send(operator, AGNES))).toBe('invalid-request');
    const added = await operator.senders.add({ address: AGNES, name: 'Agnes at the harbour' });
    expect(added).toMatchObject({ standing: 'waiting', usable: false, from: 'added' });
    expect(await refusal(send(operator, AGNES))).toBe('sender-not-confirmed');
    const link = await linkOf(added.messageId);
    // Scanners open links, in every way but one.
    for (const method of ['GET', 'HEAD', 'GET']) expect((await fetch(link, { method })).status).toBe(200);
    const page = await (await fetch(link)).text();
    expect(page).toContain('Saltmarsh Ferries would like to send');
    expect(await refusal(send(operator, AGNES))).toBe('sender-not-confirmed');
    expect(await confirmations()).toEqual([]);

    const thanks = await fetch(link, { method: 'POST' });
    expect([thanks.status, await thanks.text()]).toEqual([200, expect.stringContaining('may now send')]);
    await fetch(link, { method: 'POST' });
    expect(await confirmations()).toEqual([expect.objectContaining({ space: 'harbour', address: AGNES, name: 'Agnes at the harbour' })]);

    const { id } = await send(operator, AGNES);
    expect((await operator.messages.get(id)).from).toEqual({ name: 'Agnes at the harbour', address: AGNES });
    const named = await send(operator, { name: 'Agnes', address: 'Agnes@Harbour-Mail.example' });
    expect((await operator.messages.get(named.id)).from.name).toBe('Agnes');
    // It is this address, in this space.
    expect(await refusal(send(operator, 'someone@harbour-mail.example'))).toBe('invalid-request');
    expect(await refusal(send(as('pier'), AGNES))).toBe('invalid-request');
    expect(await refusal(operator.senders.ask(AGNES))).toBe('already-confirmed');
    expect(await (await fetch(link)).text()).toContain('nothing left to do');
  });

  test('an app that hands in whole emails is bound by the same', async () => {
    const { messageId } = await operator.senders.add({ address: AGNES });
    const submit = async (from: string): Promise<string> => {
      const { said } = await talkTo(all.service.submissionPort ?? 0, [
        'EHLO app\r\n',
        `AUTH PLAIN ${Buffer.from(`\0app\0${all.key}`).toString('base64')}\r\n`,
        'MAIL FROM:<app@saltmarsh-ferries.example>\r\n',
        'RCPT TO:<guest@post.example>\r\n',
        'DATA\r\n',
        `From: ${from}\r\nTo: guest@post.example\r\nSubject: By hand\r\n\r\nHello.\r\n.\r\n`,
      ]);
      return said.trim().split('\r\n').at(-1) ?? '';
    };
    expect(await submit(AGNES)).toMatch(/^550 5\.7\.1 The owner of agnes@harbour-mail\.example was asked/);
    await fetch(await linkOf(messageId), { method: 'POST' });
    expect(await submit(AGNES)).toMatch(/^250/);
    expect(await submit('someone@harbour-mail.example')).toMatch(/^550 5\.7\.1/);
  });
});

describe('a link', () => {
  test('that is altered, of another, ended, or of a sender that was removed confirms nothing', async () => {
    const { messageId } = await operator.senders.add({ address: AGNES });
    const link = await linkOf(messageId);
    const other = await linkOf((await operator.senders.add({ address: 'ben@harbour-mail.example' })).messageId);
    const [token, others] = [link, other].map((text) => text.slice(text.lastIndexOf('/') + 1));
    const [id = '', end = '', mac = ''] = (token ?? '').split('~');
    const [, , otherMac = ''] = (others ?? '').split('~');
    const altered = [
      `${id}~${end}~${otherMac}`,
      `${id}~zzzzzz~${mac}`,
      `${id}~${end}~`,
      `${id}~${end}`,
      `${token ?? ''}~`,
      id,
      '~~',
      '%00',
      'x'.repeat(9000),
    ];
    for (const path of altered)
      for (const method of ['GET', 'POST']) {
        const answer = await fetch(new URL(`/confirm/${path}`, all.service.url), { method });
        const page = await answer.text();
        expect([path, answer.status >= 400 && answer.status < 500, page.includes('harbour-mail')]).toEqual([path, true, false]);
      }
    expect((await fetch(link)).status).toBe(200);
    clock.jump(7 * DAY);
    expect((await fetch(link, { method: 'POST' })).status).toBe(404);
    clock.jump(-7 * DAY);
    await operator.senders.remove(AGNES);
    await operator.senders.add({ address: AGNES });
    expect((await fetch(link, { method: 'POST' })).status).toBe(404);
    expect(await confirmations()).toEqual([]);
    expect((await operator.senders.list()).senders.filter(({ from }) => from === 'added').map(({ standing }) => standing)).toEqual([
      'waiting',
      'waiting',
    ]);
  });

  test('is sent once, however often and at once it is asked for, and again after a while', async () => {
    const added = await Promise.all([1, 2, 3].map(() => operator.senders.add({ address: AGNES })));
    expect(new Set(added.map(({ messageId }) => messageId)).size).toBe(1);
    expect(await refusal(operator.senders.ask(AGNES))).toBe('asked-already');
    await clock.move(5 * MINUTE);
    const asked = await Promise.all(
      [1, 2].map(() => operator.senders.ask(AGNES).catch((error: unknown) => (error as RefusedError).problem.status)),
    );
    expect(asked).toContain(429);
    expect((await operator.messages.list({ limit: 100 })).messages.filter(({ template }) => template === 'confirm-sender')).toHaveLength(2);
    // Each link that was sent works.
    await fetch(await linkOf(added[0]?.messageId), { method: 'POST' });
    expect(await confirmations()).toHaveLength(1);
  });

  test('shows names as they are, whatever is in them', async () => {
    const { messageId } = await operator.senders.add({ address: '"<b>x</b>"@harbour-mail.example', name: '<script>alert(1)</script>' });
    const page = await (await fetch(await linkOf(messageId))).text();
    expect(page).not.toMatch(/<b>x|<script/);
    expect(page).toContain('&lt;b&gt;');
    for (const body of [
      { address: 'no-domain' },
      { address: 'a@b.example\r\nBcc: x@y.example' },
      { address: AGNES, name: 'a\r\nb' },
      { address: `${'a'.repeat(300)}@b.example` },
    ])
      expect(await refusal(operator.senders.add(body))).toBe('invalid-request');
    expect(await refusal(all.client.senders.add({ address: AGNES }))).toBe('operators-only');
  });
});

test('an address whose domain asks receivers to refuse email of others is added with that warning', async () => {
  const names = await startNameServer();
  await all.stop();
  names.setZone('harbour-mail.example', [{ name: '_dmarc.harbour-mail.example', type: 'TXT', value: 'v=DMARC1; p=reject' }]);
  await start({ dns: { servers: [`127.0.0.1:${names.port}`], port: names.port, waitSeconds: 2 } });
  expect((await operator.senders.add({ address: AGNES })).advice).toContain('DMARC p=reject');
  expect((await operator.senders.add({ address: 'x@nowhere.example' })).advice).toBeUndefined();
  await names.close();
});

test('a display name is changed, and fills in for senders that have none', async () => {
  await operator.senders.add({ address: 'tickets@saltmarsh-ferries.example', name: 'Tickets' });
  const nameOf = async () => (await operator.messages.get((await send(operator, 'tickets@saltmarsh-ferries.example')).id)).from.name;
  expect(await nameOf()).toBe('Tickets');
  expect(await operator.senders.change('Tickets@saltmarsh-ferries.example', { name: 'Ticket office' })).toMatchObject({
    name: 'Ticket office',
    standing: 'configured',
  });
  expect(await nameOf()).toBe('Ticket office');
  await operator.senders.add({ address: 'tickets@saltmarsh-ferries.example' });
  expect(await nameOf()).toBe('Ticket office');
  await operator.senders.remove('tickets@saltmarsh-ferries.example');
  await expect(operator.senders.remove('tickets@saltmarsh-ferries.example')).rejects.toMatchObject({ problem: { status: 404 } });
});

test('on the command line: list, add, ask, change, remove', async () => {
  const run = (...args: string[]): Promise<{ code: number | null; out: string; err: string }> => {
    const child = spawn(process.execPath, [join(ROOT, 'packages/cli/bin/verbalis.js'), ...args], {
      env: { PATH: process.env['PATH'], VERBALIS_URL: all.service.url, VERBALIS_KEY: OPERATOR },
    });
    const ran = { out: '', err: '' };
    child.stdout.on('data', (bytes: Buffer) => (ran.out += bytes.toString()));
    child.stderr.on('data', (bytes: Buffer) => (ran.err += bytes.toString()));
    return new Promise((done) => child.on('close', (code) => done({ ...ran, code })));
  };
  const senders = (...args: string[]) => run('senders', ...args, '--space', 'harbour');
  const added = await senders('add', AGNES, '--name', 'Agnes');
  expect(added).toMatchObject({ code: 0, out: expect.stringContaining(`Agnes <${AGNES}>: waits for its owner`) as unknown });
  expect(added.err).toContain('once its owner has agreed');
  expect((await senders('list')).out).toMatch(
    /harbour@saltmarsh-ferries\.example +Saltmarsh Ferries +mail folder +yes[^]*agnes@harbour-mail\.example +Agnes +added +no/,
  );
  expect(await senders('ask', AGNES)).toMatchObject({ code: 4, err: expect.stringContaining('Its owner was asked just now') as unknown });
  expect((await senders('change', AGNES, '--name', 'Ben')).out).toContain(`Ben <${AGNES}>`);
  const sent = await run(
    'send',
    'booking-confirmed',
    '--to',
    'guest@post.example',
    '--from',
    AGNES,
    '--data',
    SAMPLE,
    '--space',
    'harbour',
  );
  expect(sent.err).toContain('The owner of agnes@harbour-mail.example was asked');
  expect((await senders('remove', AGNES)).out).toContain('removed');
  expect((await senders('remove', AGNES)).code).toBe(4);
});
