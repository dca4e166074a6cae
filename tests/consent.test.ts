import { spawn } from 'node:child_process';
import { cpSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { createClient, RefusedError, type Client, type NewMessage } from '@verbalis/client';
import { fieldOf, partsOf, partText, readMail } from '@verbalis/core/mime';
import { SmtpConnection } from '@verbalis/service/smtp';
import { movableClock, type MovableClock } from './support/clock.js';
import { booking, DEMO_FOLDER, OPERATOR, ROOT, startTestService, temporaryFolder, until, type TestService } from './support/service.js';

// Which topics an address wants. Every way out ends in the same place, and the app learns of it.

const READER = 'reader@post.example';
const PUBLIC = 'https://mail.saltmarsh-ferries.example';
const [DAY, MINUTE] = [86_400_000, 60_000];
const SAMPLE = JSON.parse(readFileSync(join(DEMO_FOLDER, 'templates/pier-bulletin/samples/typical.json'), 'utf8')) as Record<
  string,
  unknown
>;

let all: TestService;
let operator: Client;
let clock: MovableClock;
const folder = temporaryFolder();

/** Makes the demo's mail folder with descriptions in several languages, and one more optional topic. */
function makeMailFolder(): string {
  const path = join(folder.path, 'mail');
  cpSync(DEMO_FOLDER, path, { recursive: true });
  const file = join(path, 'mail.yaml');
  writeFileSync(
    file,
    readFileSync(file, 'utf8').replace(
      'topics:\n',
      'topics:\n  offers:\n    label: { en: Offers, fr: Offres, ar: عروض }\n    purpose: optional\n',
    ),
  );
  return path;
}
const MAIL_FOLDER = makeMailFolder();

async function start(change: Record<string, unknown> = {}): Promise<void> {
  clock = movableClock(Date.UTC(2026, 10, 2, 9));
  all = await startTestService({
    clock,
    change: {
      publicUrl: PUBLIC,
      spaces: { harbour: { mode: 'deliver', mailFolder: MAIL_FOLDER, route: ['relay'], runaway: false } },
      ...change,
    },
  });
  clock.busy = all.service.busy;
  operator = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
}
beforeEach(() => start());
afterEach(() => all.stop());

const bulletin = (to = READER, more: Partial<NewMessage> = {}) =>
  all.client.messages.send({ template: 'pier-bulletin', to: [to], data: SAMPLE, ...more });

interface Ways {
  readonly id: string;
  readonly url: string;
  readonly mailto: string;
  readonly token: string;
}

/** An email of the topic, with its ways out. */
async function sent(to = READER, more: Partial<NewMessage> = {}): Promise<Ways> {
  const { id } = await bulletin(to, more);
  await all.ended(id, 'accepted');
  const mail = readMail(Buffer.from(await all.client.messages.source(id)));
  const found = /^<(https:\S+)>, <(mailto:\S+)>$/.exec(fieldOf(mail, 'list-unsubscribe') ?? '');
  if (found === null) throw new Error(`No way out: ${fieldOf(mail, 'list-unsubscribe') ?? ''}`);
  const [, url = '', mailto = ''] = found;
  return { id, url: url.replace(PUBLIC, all.service.url), mailto, token: url.slice(url.lastIndexOf('/') + 1) };
}

const get = async (url: string, language = 'en') => {
  const response = await fetch(url, { headers: { 'accept-language': language } });
  return { status: response.status, text: await response.text() };
};
const post = async (url: string, body: string | FormData = '') => {
  const form = typeof body === 'string' ? { headers: { 'content-type': 'application/x-www-form-urlencoded' } } : {};
  const response = await fetch(url, { method: 'POST', body, ...form });
  return { status: response.status, text: await response.text() };
};
const events = async () =>
  (await operator.events.list({ filter: 'type = topic-left or type = topic-rejoined', limit: 100 })).events
    .map(({ type, data }): Record<string, unknown> => ({ type, ...data }))
    .reverse();
const wants = async (topic = 'pier-news', address = READER): Promise<boolean | undefined> =>
  (await operator.consents.get({ address })).topics.find((found) => found.topic === topic)?.wanted;
const refusal = (promise: Promise<unknown>): Promise<unknown> =>
  promise.then(
    () => 'accepted',
    (error: unknown) => (error instanceof RefusedError ? error.problem.type.split(':').at(-1) : String(error)),
  );

/** Brings an email to the listener of return paths. @returns what it answered */
async function bring(to: string, subject: string): Promise<string> {
  const connection = new SmtpConnection({ host: '127.0.0.1', port: all.service.returnsPort, helloName: 'mx.post.example' });
  expect(await connection.open()).toBe('ready');
  const bytes = Buffer.from(`From: ${READER}\r\nTo: ${to}\r\nSubject: ${subject}\r\n\r\n\r\n`);
  const { kind } = await connection.deliver({ from: READER, to }, { size: bytes.length, utf8: false, chunks: () => [bytes] });
  connection.close();
  return kind;
}

describe('every way out', () => {
  test.each<[string, string, (ways: Ways) => Promise<unknown>]>([
    ['one click, urlencoded', 'one-click', ({ url }) => post(url, 'List-Unsubscribe=One-Click')],
    [
      'one click, as multipart/form-data',
      'one-click',
      ({ url }) => {
        const form = new FormData();
        form.set('List-Unsubscribe', 'One-Click');
        return post(url, form);
      },
    ],
    ['the button of the page', 'page', ({ url }) => post(url)],
    ['all off on the page of preferences', 'page', ({ token }) => post(`${all.service.url}/preferences/${token}`, 'do=none')],
    [
      'an email',
      'email',
      ({ mailto }) => {
        const [, to = '', subject = ''] = /^mailto:([^?]+)\?subject=(.+)$/.exec(mailto) ?? [];
        return bring(to, subject);
      },
    ],
    ['the API', 'api', () => operator.consents.add({ address: READER, topic: 'pier-news', kind: 'left', source: 'the app’s own page' })],
  ])('%s: a suppression of the topic, a row in the history, one event', async (_name, how, leave) => {
    const ways = await sent();
    expect(await wants()).toBe(true);
    await leave(ways);
    await until(async () => ((await wants()) === false ? true : undefined));
    await leave(ways);
    const { history, topics } = await operator.consents.get({ address: READER });
    expect(history.filter(({ topic }) => topic === 'pier-news')).toEqual([expect.objectContaining({ kind: 'left', how })]);
    expect(topics.find(({ topic }) => topic === 'pier-news')?.why).toContain('the recipient has unsubscribed');
    const told = (await events()).filter(({ topic }) => topic === 'pier-news');
    expect(told).toEqual([
      expect.objectContaining({
        type: 'verbalis.topic.left',
        address: READER,
        how,
        ...(how === 'api' ? { source: 'the app’s own page' } : { messageId: ways.id, template: 'pier-bulletin' }),
      }),
    ]);
    expect((await bulletin()).deliveries[0]?.state).toBe('withheld');
    // Essential email still goes, and so does the topic to others.
    expect((await all.client.messages.send(booking(READER, 'SM-7001'))).deliveries[0]?.state).toBe('queued');
    expect((await bulletin('other@post.example')).deliveries[0]?.state).toBe('queued');
  });

  test('a field of List-Unsubscribe fits a line, however long the address is', async () => {
    const to = `${'a'.repeat(60)}@${`${'b'.repeat(60)}.`.repeat(3)}example`;
    const { url } = await sent(to);
    const { messages } = await operator.messages.list({ address: to });
    const source = Buffer.from(await operator.messages.source(messages[0]?.id ?? '')).toString();
    for (const line of source.split('\r\n')) expect(line.length).toBeLessThanOrEqual(998);
    expect((await post(url)).status).toBe(200);
    expect(await wants('pier-news', to)).toBe(false);
  });

  test('joining again is an event, too; what a bounce or the operator has switched off stays off', async () => {
    const { token } = await sent();
    const page = `${all.service.url}/preferences/${token}`;
    await post(page, 'do=none');
    await clock.move(MINUTE);
    expect((await post(page, 'do=save&topic=pier-news')).text).toContain('value="pier-news" checked');
    expect((await events()).map(({ type, topic }) => [type, topic])).toEqual([
      ['verbalis.topic.left', 'offers'],
      ['verbalis.topic.left', 'pier-news'],
      ['verbalis.topic.rejoined', 'pier-news'],
    ]);
    expect((await bulletin()).deliveries[0]?.state).toBe('queued');
    await operator.suppressions.add({ address: READER, topic: 'pier-news', note: 'asked by phone' });
    expect((await get(page)).text).toMatch(/value="pier-news" disabled/);
    await post(page, 'do=save&topic=pier-news&topic=offers');
    expect([await wants(), await wants('offers')]).toEqual([false, true]);
    const ofTopic = (await operator.consents.get({ address: READER })).history.filter(({ topic }) => topic === 'pier-news');
    expect(ofTopic.map(({ kind }) => kind)).toEqual(['rejoined', 'left']);
    // Lifted by the operator; it had not left by itself.
    const { suppressions } = await operator.suppressions.list({ address: READER, topic: 'pier-news' });
    await operator.suppressions.lift(suppressions[0]?.id ?? '', { note: 'asked again' });
    expect(await wants()).toBe(true);
  });

  test('who had left stays out when another reason is lifted; lifting what they asked for is a row of the history', async () => {
    await operator.suppressions.add({ address: READER, topic: 'pier-news', note: 'asked by phone' });
    const { url } = await sent('other@post.example');
    await post(url);
    await operator.consents.add({ address: READER, topic: 'pier-news', kind: 'left', source: 'letter' });
    const inForce = async () => (await operator.suppressions.list({ address: READER, topic: 'pier-news' })).suppressions[0];
    await operator.suppressions.lift((await inForce())?.id ?? '', { note: 'mistake' });
    expect(await inForce()).toMatchObject({ reason: 'unsubscribed' });
    clock.jump(-DAY);
    await operator.suppressions.lift((await inForce())?.id ?? '', { note: 'she called' });
    expect(await inForce()).toBeUndefined();
    // A report of before does not bring it back.
    const at = new Date(clock.now() - MINUTE).toISOString();
    await operator.consents.add({ address: READER, topic: 'pier-news', kind: 'left', source: 'old report', at });
    expect(await inForce()).toBeUndefined();
    expect((await operator.consents.get({ address: READER })).history[0]).toMatchObject({
      kind: 'rejoined',
      how: 'api',
      source: 'she called',
    });
  });
});

describe('what becomes known late', () => {
  test('a fact of before changes nothing, whatever order it comes in, also where the clock is set back', async () => {
    const say = (kind: 'left' | 'rejoined', minutes: number) =>
      operator.consents.add({
        address: READER,
        topic: 'pier-news',
        kind,
        source: `at ${minutes}`,
        at: new Date(clock.now() + minutes * MINUTE).toISOString(),
      });
    await say('left', -1);
    await say('rejoined', -5);
    expect(await wants()).toBe(false);
    const { token } = await sent('reader2@post.example');
    expect((await events()).map(({ type }) => type)).toEqual(['verbalis.topic.left']);
    // Someone joins again, and is imported as unsubscribed after that: a report of long ago does not undo it.
    await say('rejoined', 0);
    await operator.suppressions.import(Buffer.from(`address,topic,reason\n${READER},pier-news,unsubscribed\n`));
    await say('left', -9);
    expect(await wants()).toBe(false);
    clock.jump(-DAY);
    // What someone does now comes after all that is known.
    await say('rejoined', 60);
    expect(await wants()).toBe(true);
    expect(token).not.toBe('');
  });
});

describe('a link', () => {
  test('opening it changes nothing, in whatever way; the page says what it would do, in the language of the email', async () => {
    const { url, token } = await sent(READER, { locale: 'fr' });
    for (const method of ['GET', 'HEAD', 'OPTIONS', 'GET']) await fetch(url, { method });
    for (const page of [url, `${all.service.url}/preferences/${token}`]) {
      const { status, text } = await get(page, 'de');
      expect(status).toBe(200);
      expect(text).toContain('lang="fr"');
      expect(text).toContain('Nouvelles du quai');
    }
    await post(`${all.service.url}/preferences/${token}`, '');
    await post(`${all.service.url}/preferences/${token}`, 'topic=offers');
    expect([await wants(), (await events()).length]).toEqual([true, 0]);
  });

  test('works in five languages and from right to left, without anything of the message', async () => {
    const { id, token } = await sent();
    await all.ended(id, 'accepted');
    await operator.addresses.erase('someone@post.example');
    const page = `${all.service.url}/preferences/${token}`;
    const titles = { en: 'Your emails', de: 'Ihre E-Mails', fr: 'Vos e-mails', es: 'Sus correos', ar: 'رسائلك' };
    // Its message is removed: the browser's language counts then.
    clock.jump(800 * DAY);
    await until(async () => {
      await clock.move(60 * MINUTE);
      return operator.messages.get(id).then(
        () => undefined,
        () => true as const,
      );
    });
    for (const [language, title] of Object.entries(titles)) {
      const { text } = await get(page, language);
      expect([language, text.includes(`<h1>${title}</h1>`), text.includes(`dir="${language === 'ar' ? 'rtl' : 'ltr'}"`)]).toEqual([
        language,
        true,
        true,
      ]);
    }
    expect((await get(page, 'ar')).text).toContain('عروض');
    expect((await post(page, 'do=none')).status).toBe(200);
    expect(await wants()).toBe(false);
    const [last] = await events();
    expect(last?.['messageId']).toBeUndefined();
  });

  test('that is altered or made up shows nothing and does nothing', async () => {
    const { token } = await sent();
    const flip = (at: number): string => `${token.slice(0, at)}${token[at] === 'A' ? 'B' : 'A'}${token.slice(at + 1)}`;
    const altered = [flip(0), flip(20), flip(40), flip(60), token.slice(0, -2), `${token}AA`, 'A'.repeat(60), 'x', '%00', 'A'.repeat(5000)];
    for (const other of altered)
      for (const path of ['unsubscribe', 'preferences']) {
        const shown = await get(`${all.service.url}/${path}/${other}`);
        const done = await post(`${all.service.url}/${path}/${other}`, 'do=none');
        for (const { status, text } of [shown, done]) {
          expect(status).toBeGreaterThanOrEqual(400);
          expect(status).toBeLessThan(500);
          expect(text).not.toContain('post.example');
        }
      }
    // By email as well: it is kept as what came in, and nothing more.
    expect(await bring('unsubscribe@returns.saltmarsh-ferries.example', flip(30))).toBe('accepted');
    expect(await bring('unsubscribe@returns.saltmarsh-ferries.example', 'please stop')).toBe('accepted');
    expect(await bring('unsubscribe@elsewhere.example', token)).not.toBe('accepted');
    expect([await wants(), (await events()).length]).toEqual([true, 0]);
    expect(token).not.toContain('reader');
  });

  test('shows what it was given as text', async () => {
    const { url, token } = await sent('"<b>&x</b>"@post.example');
    for (const page of [url, `${all.service.url}/preferences/${token}`]) {
      const { text } = await get(page);
      expect(text).not.toContain('<b>&x');
      expect(text).toContain('&lt;b&gt;&amp;x');
    }
    expect((await post(url, 'x'.repeat(100_000))).status).toBe(413);
  });
});

test('email of an optional topic is refused where people cannot reach the service; essential email is not', async () => {
  await all.stop();
  await start({ publicUrl: undefined });
  await expect(bulletin()).rejects.toMatchObject({
    problem: { type: 'urn:verbalis:problem:no-unsubscribe', hint: expect.stringContaining('publicUrl') as unknown },
  });
  expect(await refusal(all.client.messages.send(booking(READER, 'SM-7002')))).toBe('accepted');
});

test('what is erased leaves nothing but the hash that keeps the topic off', async () => {
  const { url } = await sent();
  await post(url);
  await operator.consents.add({ address: READER, topic: 'offers', kind: 'left', source: `letter of ${READER}` });
  const kept = await operator.addresses.export(READER);
  expect(kept.consents).toHaveLength(2);
  expect(await operator.addresses.erase(READER)).toMatchObject({ consents: 2, suppressions: 2 });
  const bytes = readFileSync(join(all.folder, 'verbalis.sqlite'));
  expect(bytes.includes(READER)).toBe(false);
  expect(await wants()).toBe(false);
  expect((await operator.consents.get({ address: READER })).history).toEqual([]);
  // The link still leads somewhere, and its owner may change their mind.
  expect((await post(url)).status).toBe(200);
  expect((await operator.consents.get({ address: READER })).history).toEqual([]);
  await operator.consents.add({ address: READER, topic: 'pier-news', kind: 'rejoined', source: 'asked on the phone' });
  expect(await wants()).toBe(true);
});

test('the API refuses what cannot be, with what to do', async () => {
  const add = (more: object) =>
    refusal(operator.consents.add({ address: READER, topic: 'pier-news', kind: 'left', source: 'x', ...more } as never));
  expect(await add({ topic: 'bookings' })).toBe('essential-topic');
  expect(await add({ topic: 'pier-nws' })).toBe('invalid-request');
  expect(await add({ topic: 'toString' })).toBe('invalid-request');
  expect(await add({ address: 'nobody' })).toBe('invalid-request');
  expect(await add({ source: '' })).toBe('invalid-request');
  expect(await add({ source: 'a\nb' })).toBe('invalid-request');
  expect(await add({ at: 'yesterday' })).toBe('invalid-request');
  expect((await operator.consents.get({ address: READER })).history).toEqual([]);
});

test('on the command line', async () => {
  const run = (...args: string[]): Promise<{ code: number | null; out: string; err: string }> => {
    const child = spawn(process.execPath, [join(ROOT, 'packages/cli/bin/verbalis.js'), 'consents', ...args, '--space', 'harbour'], {
      env: { PATH: process.env['PATH'], VERBALIS_URL: all.service.url, VERBALIS_KEY: OPERATOR },
    });
    const ran = { out: '', err: '' };
    child.stdout.on('data', (bytes: Buffer) => (ran.out += bytes.toString()));
    child.stderr.on('data', (bytes: Buffer) => (ran.err += bytes.toString()));
    return new Promise((done) => child.on('close', (code) => done({ ...ran, code })));
  };
  expect((await run('leave', READER, 'pier-news', '--source', 'letter of 2 November')).out).toMatch(/pier-news +optional +no/);
  await clock.move(MINUTE);
  expect((await run('rejoin', READER, 'pier-news', '--source', 'phone')).out).toMatch(/pier-news +optional +yes/);
  await run('leave', 'other@post.example', 'pier-news', '--source', 'phone');
  expect((await run('topics')).out).toMatch(
    /bookings +Bookings +essential +none +0 +.*booking-confirmed[^]*pier-news +Pier news +optional +links, images \(individual\) +1 +pier-bulletin/,
  );
  expect((await run('show', READER)).out).toMatch(/rejoined +pier-news +api +phone[^]*left +pier-news +api +letter of 2 November/);
  expect(await run('leave', READER, 'bookings', '--source', 'x')).toMatchObject({
    code: 4,
    err: expect.stringContaining('essential') as unknown,
  });
});

test('a rule counts who leaves, by topic', async () => {
  await all.stop();
  await start({ alerts: { leaving: { of: ['topic-left'], by: 'topic', count: 1, minutes: 60, least: 1 } } });
  for (const to of ['a@post.example', 'b@post.example']) await post((await sent(to)).url);
  const alert = await until(async () => {
    await clock.move(MINUTE);
    return (await operator.events.list({ filter: 'type = alert-firing' })).events[0];
  });
  expect(alert.data).toMatchObject({ rule: 'leaving', group: 'pier-news', events: 2 });
});

describe('joining with a confirmation', () => {
  const ask = (more: object = {}) =>
    operator.consents.add({ address: READER, topic: 'pier-news', kind: 'rejoined', source: 'form on the pier', confirm: true, ...more });
  /** The link in the email that asks. */
  const linkIn = async (messageId: string | undefined): Promise<string> => {
    await all.ended(messageId ?? '', 'accepted', 'failed');
    const parts = [...partsOf(readMail(await all.received(operator, messageId ?? '')))];
    const text = parts.map((part) => (part.type === 'text/plain' ? partText(part) : '')).join('');
    return (/https:\S+\/join\/[\w-]+/.exec(text)?.[0] ?? '').replace(PUBLIC, all.service.url);
  };

  test('the address joins when its owner presses the button, once, in the language that was asked for', async () => {
    await operator.consents.add({ address: READER, topic: 'pier-news', kind: 'left', source: 'letter' });
    const { asked, topics } = await ask({ locale: 'fr' });
    expect(topics.find(({ topic }) => topic === 'pier-news')?.wanted).toBe(false);
    expect((await operator.messages.get(asked?.messageId ?? '')).subject).toBe(
      'Saltmarsh Ferries : souhaitez-vous recevoir « Nouvelles du quai » ?',
    );
    const link = await linkIn(asked?.messageId);
    for (const method of ['GET', 'HEAD', 'GET']) expect((await fetch(link, { method })).status).toBe(200);
    expect((await get(link, 'ar')).text).toContain('dir="rtl"');
    expect(await wants()).toBe(false);
    for (let i = 0; i < 3; i += 1) expect((await post(link)).status).toBe(200);
    expect(await wants()).toBe(true);
    const told = (await events()).filter(({ type }) => type === 'verbalis.topic.rejoined');
    expect(told).toEqual([expect.objectContaining({ how: 'page', source: 'form on the pier', address: READER })]);
    // Who leaves afterwards is not brought back by the same link.
    await clock.move(MINUTE);
    await operator.consents.add({ address: READER, topic: 'pier-news', kind: 'left', source: 'letter' });
    await post(link);
    expect(await wants()).toBe(false);
  });

  test('is an event for an address that was never asked before, too; an email is sent every five minutes at most', async () => {
    const { asked } = await ask();
    expect(await refusal(ask())).toBe('asked-already');
    await post(await linkIn(asked?.messageId));
    expect((await events()).map(({ type, source }) => [type, source])).toEqual([['verbalis.topic.rejoined', 'form on the pier']]);
    await clock.move(5 * MINUTE);
    expect(await refusal(ask())).toBe('accepted');
  });

  test('a link of another kind, altered or ended does nothing', async () => {
    const { asked } = await ask();
    const link = await linkIn(asked?.messageId);
    const token = link.slice(link.lastIndexOf('/') + 1);
    const ways = await sent('other@post.example');
    const paths = [`unsubscribe/${token}`, `preferences/${token}`, `join/${ways.token}`, `join/${token.slice(0, -3)}AAA`, 'join/x'];
    for (const path of paths) expect([path, (await post(`${all.service.url}/${path}`, 'do=none')).status]).toEqual([path, 404]);
    clock.jump(7 * DAY);
    expect((await get(link)).status).toBe(404);
    expect((await post(link)).status).toBe(404);
    expect(await events()).toEqual([]);
    expect(await refusal(ask({ kind: 'left' }))).toBe('invalid-request');
    expect(await refusal(ask({ at: '2026-11-01T00:00:00Z' }))).toBe('invalid-request');
    expect(await refusal(ask({ topic: 'bookings' }))).toBe('essential-topic');
  });
});

describe('a pause', () => {
  const preferences = (url: string, body: string) =>
    fetch(url.replace('/unsubscribe/', '/preferences/'), { method: 'POST', body }).then((response) => response.text());
  const wants = async (topic: string) =>
    (await operator.consents.get({ address: READER })).topics.find((found) => found.topic === topic)?.wanted;
  const kinds = async () => (await operator.consents.get({ address: READER })).history.map(({ topic, kind }) => `${topic} ${kind}`).sort();

  test('ends by itself after thirty days, with an event for both', async () => {
    const { url } = await sent();
    const page = await preferences(url, 'do=pause');
    expect(page).toContain('Paused until December 2, 2026.');
    expect([await wants('pier-news'), await wants('offers')]).toEqual([false, false]);
    const { history } = await operator.consents.get({ address: READER });
    expect(history.every(({ kind, until: end }) => kind === 'left' && end === '2026-12-02T09:00:00.000Z')).toBe(true);
    clock.jump(30 * DAY - 2 * MINUTE);
    await clock.move(MINUTE);
    expect(await wants('pier-news')).toBe(false);
    await clock.move(2 * MINUTE);
    expect([await wants('pier-news'), await wants('offers')]).toEqual([true, true]);
    const { events } = await all.client.events.list({ filter: 'topic = "pier-news" and type in [topic-left, topic-rejoined]' });
    expect(events.map(({ type, data }) => [type, data['until'], data['source']]).reverse()).toEqual([
      ['verbalis.topic.left', '2026-12-02T09:00:00.000Z', undefined],
      ['verbalis.topic.rejoined', undefined, 'The pause is over.'],
    ]);
    expect((await operator.suppressions.list({})).suppressions).toEqual([]);
  });

  test('brings nobody back who has left for good meanwhile, and ends once where someone came back before', async () => {
    const { url } = await sent();
    await preferences(url, 'do=pause');
    clock.jump(DAY);
    await fetch(url, { method: 'POST' });
    await preferences(url, 'do=save&topic=offers');
    clock.jump(31 * DAY);
    await clock.move(MINUTE);
    expect([await wants('pier-news'), await wants('offers')]).toEqual([false, true]);
    expect(await kinds()).toEqual(['offers left', 'offers rejoined', 'pier-news left', 'pier-news left']);
  });

  test('stays one when something else is saved, and is none any more when all is left', async () => {
    const { url } = await sent();
    await preferences(url, 'do=pause');
    await clock.move(1);
    const page = await preferences(url, 'do=save&topic=offers');
    expect(page).toContain('Paused until December 2, 2026.');
    expect([await wants('pier-news'), await wants('offers')]).toEqual([false, true]);
    await clock.move(1);
    expect(await preferences(url, 'do=none')).not.toContain('Paused');
    clock.jump(31 * DAY);
    await clock.move(MINUTE);
    expect([await wants('pier-news'), await wants('offers')]).toEqual([false, false]);
  });

  test('can be asked for by the app, and survives a restart; one that lies in the past or is for joining is refused', async () => {
    const say = (kind: 'left' | 'rejoined', end: string) =>
      operator.consents.add({ address: READER, topic: 'pier-news', kind, source: 'page of the app', until: end });
    await say('left', '2026-11-05T09:00:00Z');
    expect(await wants('pier-news')).toBe(false);
    expect(await refusal(say('left', '2026-10-05T09:00:00Z'))).toBe('invalid-request');
    expect(await refusal(say('rejoined', '2026-11-06T09:00:00Z'))).toBe('invalid-request');
    await operator.configuration.reload();
    clock.jump(4 * DAY);
    await clock.move(MINUTE);
    expect(await wants('pier-news')).toBe(true);
  });
});
