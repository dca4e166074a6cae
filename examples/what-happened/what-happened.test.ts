// What people get from what happens in an app: each case runs against a service of its own.
import { once } from 'node:events';
import { cpSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer, type RequestListener } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, test } from '@jest/globals';
import { createClient } from '@verbalis/client';
import { startMailService, TEST_SPACE, type MailService } from '@verbalis/test-kit';
import '@verbalis/test-kit/jest';
import Sqlite from 'better-sqlite3';
import { browserTest, launch } from '../../tests/support/browser.js';
import { movableClock } from '../../tests/support/clock.js';
import { startIssuer, type Issuer } from '../../tests/support/issuer.js';
import { PUBLIC } from '../../tests/support/links.js';
import { OPERATOR, startTestService, temporaryFolder, until } from '../../tests/support/service.js';
import type { SignalData, TemplateData } from './src/mail-types.js';
import { emptyOutbox, TABLES } from './src/record-change.js';
import { signedIn } from './src/signed-in.js';
import { signUp } from './src/sign-up.js';
import { weeklySummary, type Booked } from './src/weekly-summary.js';

const FOLDER = join(import.meta.dirname, 'mail');

async function listening(app: RequestListener, port = 0): Promise<{ readonly url: string; readonly close: () => void }> {
  const server = createServer(app).listen(port, '127.0.0.1');
  await once(server, 'listening');
  return {
    url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    close: () => {
      server.closeAllConnections();
      server.close();
    },
  };
}

describe('from an app', () => {
  let mail: MailService<TemplateData, SignalData>;
  let issuer: Issuer;
  /** The origin of the page; it is known before the service starts. */
  let page: { readonly url: string; readonly close: () => void };
  let app: RequestListener = (_request, response) => response.end();

  beforeAll(async () => {
    issuer = await startIssuer(Date.now);
    page = await listening((request, response) => {
      app(request, response);
    });
    const identity = { issuer: issuer.url, jwksUrl: issuer.jwksUrl, audience: 'ferry-app' };
    mail = await startMailService<TemplateData, SignalData>({
      settings: {
        publicUrl: PUBLIC,
        spaces: { [TEST_SPACE]: { mode: 'capture', mailFolder: FOLDER, browser: { origins: [page.url], identity } } },
      },
    });
  });
  afterAll(async () => {
    await mail.stop();
    page.close();
    await issuer.close();
  });
  beforeEach(() => mail.captured.clear());

  test('who signs up is welcomed, once', async () => {
    const desk = await listening(signUp(mail.client));
    try {
      const open = (body: object) =>
        fetch(`${desk.url}/accounts`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) });
      expect((await open({ name: 'Ása', address: 'asa@post.example' })).status).toBe(201);
      const sent = await mail.captured.waitFor({ to: 'asa@post.example' });
      expect(sent.subject).toBe('Welcome aboard, Ása');
      expect(sent).toHaveLink('Go to your bookings');
      expect((await open({ name: 'Ása' })).status).toBe(400);
      // A second account of one person within a month: the rule says that once is enough.
      await open({ name: 'Ása again', address: 'asa@post.example' });
      const { signals } = await until(async () => {
        const found = await mail.client.signals.list({ type: 'account.opened' });
        return found.signals.every(({ isOpen, rules }) => !isOpen && rules.every(({ state }) => state !== 'waiting')) ? found : undefined;
      });
      expect(signals.map(({ rules }) => rules[0]?.state)).toEqual(['limited', 'sent']);
    } finally {
      desk.close();
    }
  });

  test('a sailing that moves is known to the owner of each booking, with the data of both records', async () => {
    const db = new Sqlite(':memory:');
    db.exec(TABLES);
    db.exec(`insert into sailings values (1, 'Brackwater', 'Tern Island', '2026-12-04T08:45:00Z'), (2, 'Vagur', 'Brackwater', '2026-12-05T08:45:00Z');
      insert into bookings values ('SM-1042', 1, 'Ása', 'asa@post.example'), ('SM-1043', 1, 'Nour', 'nour@post.example'),
        ('SM-1044', 2, 'Liv', 'liv@post.example'), ('SM-1045', 1, 'Nobody', 'no address');`);
    // A change that is taken back said nothing; one that changes nothing neither.
    db.exec("begin; update sailings set departs_at = '2026-12-04T09:00:00Z' where id = 1; rollback;");
    db.exec("update sailings set departs_at = departs_at, origin = 'Brackwater' where id = 1");
    expect(db.prepare('select count(*) from outbox').pluck().get()).toBe(0);
    db.exec("update sailings set departs_at = '2026-12-04T10:15:00Z' where id = 1");
    expect(await emptyOutbox(db, mail.client)).toBe(2);
    expect(db.prepare('select count(*) from outbox').pluck().get()).toBe(0);
    // What does not fit holds up no other record, and is not lost.
    expect(db.prepare('select json_extract(data, $path), why from refused').raw().all({ path: '$.booking.reference' })).toEqual([
      ['SM-1045', expect.stringContaining('address')],
    ]);
    const asa = await mail.captured.waitFor({ to: 'asa@post.example' });
    expect(asa.subject).toMatch(/^SM-1042: your sailing leaves at 11:15/);
    expect(asa).toSay('Ása, your sailing from Brackwater to Tern Island was planned for 9:45');
    await mail.captured.waitFor({ to: 'nour@post.example', subject: 'SM-1043' });
    await expect(mail.captured).not.toHaveSentMailTo('liv@post.example');
  });

  test('an outbox that is handed over twice, since the app was killed in between, leads to one email', async () => {
    const db = new Sqlite(':memory:');
    db.exec(TABLES);
    db.exec(`insert into sailings values (1, 'Brackwater', 'Tern Island', '2026-12-04T08:45:00Z');
      insert into bookings values ('SM-2001', 1, 'Sanna', 'sanna@post.example');
      update sailings set departs_at = '2026-12-04T10:15:00Z';`);
    const before = db.prepare('select * from outbox').all() as { n: number; type: string; data: string; at: string }[];
    await emptyOutbox(db, mail.client, '/twice');
    for (const { n, type, data, at } of before) db.prepare('insert into outbox values (?, ?, ?, ?)').run(n, type, data, at);
    await emptyOutbox(db, mail.client, '/twice');
    await mail.captured.waitFor({ to: 'sanna@post.example' });
    expect((await mail.client.messages.list({ address: 'sanna@post.example' })).messages).toHaveLength(1);
  });

  browserTest('a signed-in person gets an email at their own address from a page, and nobody else does', async () => {
    let claims: Record<string, unknown> = {};
    let tokens = issuer;
    app = signedIn({ mail: mail.client, mailUrl: mail.url, tokenOf: () => tokens.token(claims) });
    const stranger = await startIssuer(Date.now);
    const browser = await launch();
    try {
      const tab = await (await browser.newContext()).newPage();
      await tab.goto(page.url);
      const ask = async (note: string): Promise<string> => {
        await tab.getByLabel('A note').fill(note);
        await tab.locator('#outcome').evaluate((element) => {
          element.textContent = '';
        });
        await tab.getByRole('button', { name: 'Email them to me' }).click();
        await tab.locator('#outcome:not(:empty)').waitFor();
        return (await tab.locator('#outcome').textContent()) ?? '';
      };
      expect(await ask('<b>For the archive</b>')).toBe('They are on their way.');
      const sent = await mail.captured.waitFor({ to: 'asa@post.example' });
      expect(sent).toSay('Your note: <b>For the archive</b>');
      expect(sent.html).not.toContain('<b>For the archive');
      // A token of another issuer, one that has expired, an address that is not verified.
      tokens = stranger;
      expect(await ask('x')).toMatch(/This token does not prove who is signed in/);
      tokens = issuer;
      claims = { exp: Math.floor(Date.now() / 1000) - 100 };
      expect(await ask('x')).toMatch(/It has expired/);
      claims = { email: 'victim@post.example', email_verified: false };
      expect(await ask('x')).toMatch(/not verified/);
      claims = {};
      expect(await ask('x'.repeat(201))).toMatch(/not valid/);
      // A page that asks for more than its permit says.
      const asked = await tab.evaluate(async (mailUrl) => {
        const { permit, token } = (await (await fetch('/permit', { method: 'POST' })).json()) as { permit: string; token: string };
        const post = async (body: object) => {
          const response = await fetch(`${mailUrl}/v1/permitted-messages`, {
            method: 'POST',
            headers: { 'content-type': 'application/json' },
            body: JSON.stringify(body),
          });
          return response.status;
        };
        const to = ['victim@post.example'];
        return [
          await post({ permit, identity: token, to }),
          await post({ permit, identity: token, data: { tickets: [], to } }),
          await post({ permit, identity: token }),
          await post({ permit, identity: token }),
        ];
      }, mail.url);
      expect(asked).toEqual([422, 422, 202, 403]);
      await expect(mail.captured).not.toHaveSentMailTo('victim@post.example');
      const foreign = await (await browser.newContext()).newPage();
      const other = await listening((_request, response) => response.setHeader('content-type', 'text/html').end('<p>elsewhere</p>'));
      await foreign.goto(other.url);
      const blocked = await foreign.evaluate(
        (mailUrl) =>
          fetch(`${mailUrl}/v1/permitted-messages`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: '{}' }).then(
            () => 'answered',
            () => 'blocked',
          ),
        mail.url,
      );
      other.close();
      expect(blocked).toBe('blocked');
    } finally {
      await browser.close();
      await stranger.close();
    }
  });
});

test('every Friday at five all who want it get their week, also after the clocks changed and when the service was down', async () => {
  const clock = movableClock(Date.parse('2026-03-27T03:58:00Z'));
  const folder = temporaryFolder();
  const mail = join(folder.path, 'mail');
  cpSync(FOLDER, mail, { recursive: true });
  let people: readonly Booked[] = [];
  let secret = '';
  const app = await listening((request, response) => {
    weeklySummary(
      () => people,
      secret,
      () => clock.now(),
    )(request, response);
  });
  const schedule = join(mail, 'schedules/weekly-summary.yaml');
  writeFileSync(schedule, readFileSync(schedule, 'utf8').replace('http://127.0.0.1:8651', app.url));
  const sailing = (departsAt: string) => ({ reference: 'SM-1042', from: 'Brackwater', to: 'Tern Island', departsAt });
  people = [
    { address: 'asa@post.example', wantsSummary: true, sailings: [sailing('2026-03-28T08:00:00Z'), sailing('2026-04-09T08:00:00Z')] },
    { address: 'nour@post.example', wantsSummary: false, sailings: [] },
    { address: 'liv@post.example', wantsSummary: true, sailings: [] },
  ];
  const service = await startTestService({
    clock,
    change: {
      publicUrl: PUBLIC,
      outside: { allow: ['127.0.0.1'] },
      spaces: { harbour: { mode: 'deliver', mailFolder: mail, route: ['relay'] } },
    },
  });
  clock.busy = service.service.busy;
  try {
    const { client } = service;
    const operator = createClient({ url: service.service.url, key: OPERATOR, space: 'harbour' });
    ({ secret } = await operator.bulkSends.secret());
    await operator.consents.add({ address: 'liv@post.example', topic: 'weekly-summary', kind: 'left', source: 'letter' });
    const weeks = async (n: number): Promise<string[]> => {
      await until(async () => {
        await clock.move(2000);
        const { runs } = await client.schedules.runs('weekly-summary');
        const bulk = runs[0]?.bulkSend === undefined ? undefined : await client.bulkSends.get(runs[0].bulkSend);
        return runs.length === n && bulk?.state === 'done' && bulk.deliveries['queued'] === undefined ? true : undefined;
      });
      const { messages } = await client.messages.list({ template: 'weekly-summary' });
      return messages.map(({ to, subject, deliveries }) => `${to[0]?.address ?? ''} ${subject} ${deliveries[0]?.state ?? ''}`).sort();
    };
    await clock.move(3 * 60_000);
    expect(await weeks(1)).toEqual([
      expect.stringMatching(/^asa@post.example Your week from .*27.* accepted$/),
      expect.stringMatching(/^liv@post.example .* withheld$/),
    ]);
    // Summer time has begun: five o'clock is an hour earlier by UTC. And on the next Friday the service is down until noon.
    clock.jump(Date.parse('2026-04-03T02:59:00Z') - clock.now());
    await clock.move(2 * 60_000);
    expect(await weeks(2)).toHaveLength(4);
    clock.jump(Date.parse('2026-04-10T10:00:00Z') - clock.now());
    const all = await weeks(3);
    expect(all).toHaveLength(6);
    const { runs } = await client.schedules.runs('weekly-summary');
    expect(runs.map(({ plannedAt }) => plannedAt)).toEqual([
      '2026-04-10T03:00:00.000Z',
      '2026-04-03T03:00:00.000Z',
      '2026-03-27T04:00:00.000Z',
    ]);
    // Each is about the week of its run: the first has the sailing of the 28th, the second that of the 9th.
    const texts = await Promise.all(
      (await client.messages.list({ address: 'asa@post.example' })).messages.map(async ({ id }) => (await client.messages.mail(id)).text),
    );
    expect(texts.map((text) => text.includes('SM-1042'))).toEqual([false, true, true]);
    expect(texts.every((text) => text.includes('weekly summary'))).toBe(true);
  } finally {
    await service.stop();
    app.close();
    folder.remove();
  }
});
