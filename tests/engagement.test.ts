import { createHash } from 'node:crypto';
import { cpSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { request as httpRequest } from 'node:http';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { createClient, type Client, type NewMessage } from '@verbalis/client';
import { readMail, shownText } from '@verbalis/core/mime';
import { movableClock, type MovableClock } from './support/clock.js';
import { booking, DEMO_FOLDER, OPERATOR, startTestService, temporaryFolder, type TestService } from './support/service.js';

// Links that are followed and pictures that are loaded: through the service, by people and by machines.

const PUBLIC = 'https://mail.saltmarsh-ferries.example';
const BROWSER = 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0';
const MINUTE = 60_000;
const STORY = 'https://saltmarsh-ferries.example/news/ramp';
const SAMPLE = JSON.parse(readFileSync(join(DEMO_FOLDER, 'templates/pier-bulletin/samples/typical.json'), 'utf8')) as Record<
  string,
  unknown
>;

let all: TestService;
let operator: Client;
let clock: MovableClock;
const folder = temporaryFolder();

/** The demo's mail folder with other settings. */
function mailFolder(name = 'mail', change: (settings: string) => string = (text) => text): string {
  const path = join(folder.path, name);
  rmSync(path, { recursive: true, force: true });
  cpSync(DEMO_FOLDER, path, { recursive: true });
  const file = join(path, 'mail.yaml');
  writeFileSync(file, change(readFileSync(join(DEMO_FOLDER, 'mail.yaml'), 'utf8')));
  return path;
}

async function start(change: Record<string, unknown> = {}, space: Record<string, unknown> = {}): Promise<void> {
  clock = movableClock(Date.UTC(2026, 10, 25, 9));
  all = await startTestService({
    clock,
    change: {
      publicUrl: PUBLIC,
      spaces: { harbour: { mode: 'deliver', mailFolder: mailFolder(), route: ['relay'], runaway: false, ...space } },
      ...change,
    },
  });
  clock.busy = all.service.busy;
  operator = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
}
beforeEach(() => start());
afterEach(() => all.stop());

interface Sent {
  readonly id: string;
  readonly html: string;
  readonly text: string;
  /** The addresses of links through the service, as they are reached here. */
  readonly links: string[];
  readonly image: string | undefined;
}

const here = (url: string): string => url.replace(PUBLIC, all.service.url);

async function sent(message: Partial<NewMessage> = {}): Promise<Sent> {
  const { id } = await all.client.messages.send({ template: 'pier-bulletin', to: ['reader@post.example'], data: SAMPLE, ...message });
  await all.ended(id, 'accepted');
  const mail = readMail(Buffer.from(await all.client.messages.source(id)));
  const html = shownText(mail, 'html') ?? '';
  return {
    id,
    html,
    text: shownText(mail, 'plain') ?? '',
    links: [...html.matchAll(/href="([^"]*\/go\/[^"]*)"/g)].map(([, url = '']) => here(url)),
    image: /src="([^"]*\/image\/[^"]*)"/.exec(html)?.[1],
  };
}

const ask = (url: string, { method = 'GET', ...headers }: { method?: string } & Record<string, string> = {}): Promise<Response> =>
  fetch(url, { method, redirect: 'manual', headers: { 'user-agent': BROWSER, ...headers } });

/** Hits are judged when all that could speak against them has come. */
const judged = (): Promise<void> => clock.move(MINUTE);

async function hits(): Promise<Record<string, any>[]> {
  const { events } = await all.client.events.list({ filter: 'type in [link-followed, image-loaded]' });
  return events.map(({ data }) => data).reverse();
}

describe('a link', () => {
  test('leads to its target, and the app learns who followed which', async () => {
    const { id, links, text } = await sent({ reference: 'SM-1042' });
    expect(links).toHaveLength(1);
    expect(text).toContain(STORY);
    await clock.move(5 * MINUTE);
    const answer = await ask(links[0]!);
    expect([
      answer.status,
      answer.headers.get('location'),
      answer.headers.get('cache-control'),
      answer.headers.get('referrer-policy'),
    ]).toEqual([302, STORY, 'no-store, private', 'no-referrer']);
    await judged();
    const [hit] = await hits();
    expect(hit).toMatchObject({
      kind: 'link-followed',
      messageId: id,
      by: 'person',
      reason: 'A browser followed the link.',
      link: { url: STORY, label: 'Read on', index: 1, block: '' },
      topic: 'pier-news',
      reference: 'SM-1042',
    });
    const { deliveries } = await all.client.messages.get(id);
    expect(deliveries[0]).toMatchObject({ state: 'accepted' });
    expect(deliveries[0]!.facts.at(-1)).toMatchObject({ kind: 'link-followed', by: 'person', link: { label: 'Read on' } });
  });

  test('keeps query, fragment, encoded signs, names in other scripts and two thousand characters', async () => {
    const long = `https://saltmarsh-ferries.example/search?${Array.from({ length: 90 }, (_, i) => `filter-${i}=value+${i * 7919}`).join('&')}`;
    expect(long.length).toBeGreaterThan(2000);
    const targets = [
      'https://saltmarsh-ferries.example/a?x=1&y=2#part',
      'https://saltmarsh-ferries.example/%C3%9Cber%20uns/%2F?q=%26%3D&leer=',
      'https://saltmarsh-ferries.example/a?q=a+b%2Bc#/route?x=%23',
      'https://fähre.example/søk?ord=blå',
      'http://saltmarsh-ferries.example:8080/plain',
      long,
    ];
    const html = targets.map((url, i) => `<p><a href="${url.replaceAll('&', '&amp;')}">Target ${i}</a></p>`).join('');
    const { links } = await sent({ template: undefined, data: undefined, subject: 'Links', html, text: 'x', topic: 'pier-news' });
    expect(links).toHaveLength(targets.length);
    const led = await Promise.all(links.map(async (link) => (await ask(link)).headers.get('location')));
    expect(led).toEqual(targets.map((url) => new URL(url).href));
  });

  test('that is too long for a proxy stays as it is', async () => {
    const noise = createHash('sha512');
    const random = Array.from({ length: 120 }, (_, i) => noise.copy().update(String(i)).digest('base64url')).join('/');
    const url = `https://saltmarsh-ferries.example/a/${random}`;
    const { html, links } = await sent({
      template: undefined,
      data: undefined,
      subject: 's',
      html: `<a href="${url}" data-track="yes">long</a><a href="${STORY}">x</a>`,
      text: 'x',
      topic: 'pier-news',
    });
    expect(html).toContain(url);
    expect(links).toHaveLength(1);
  });

  test('that was altered leads nowhere, nor does anything else', async () => {
    const { links, image } = await sent();
    const [link = ''] = links;
    const token = link.slice(link.lastIndexOf('/') + 1);
    const base = `${all.service.url}/go/`;
    const other = Buffer.from('https://elsewhere.example/').toString('base64url');
    const picture = (image ?? '').slice((image ?? '').lastIndexOf('/') + 1);
    for (const bad of [
      `${token}A`,
      token.slice(1),
      token.replace(/.$/, (sign) => (sign === 'A' ? 'B' : 'A')),
      other,
      'x',
      '%00',
      `${other}.${token}`,
      picture,
      token.toUpperCase(),
    ]) {
      const answer = await ask(base + bad);
      expect([bad, answer.status, answer.headers.get('location')]).toEqual([bad, 404, null]);
    }
    for (const url of [`${base}${token}/https://elsewhere.example`, `${base}?url=https://elsewhere.example`])
      expect((await ask(url)).headers.get('location')).toBeNull();
    // What stands after the token changes nothing.
    expect((await ask(`${link}?to=https://elsewhere.example`)).headers.get('location')).toBe(STORY);
    const posted = await ask(link, { method: 'POST' });
    expect([posted.status, posted.headers.get('allow'), posted.headers.get('location')]).toEqual([405, 'GET, HEAD', null]);
    await judged();
    expect(await hits()).toHaveLength(1);
  });

  test('works when retention has long removed its email, and says nothing then', async () => {
    const { id, links } = await sent();
    await operator.addresses.erase('reader@post.example');
    await expect(all.client.messages.get(id)).rejects.toThrow();
    expect((await ask(links[0]!)).headers.get('location')).toBe(STORY);
    await judged();
    expect(await hits()).toEqual([]);
  });

  test('with a secret is never rewritten: passcodes, sign-in, unsubscribe, mail addresses, track=no', async () => {
    const secrets = [
      'https://saltmarsh-ferries.example/sign-in?token=49302749302749302749',
      'https://saltmarsh-ferries.example/reset/8f14e45fceea167a5a36dedd4bea2543',
      'mailto:harbour@saltmarsh-ferries.example',
      'tel:+3545550100',
    ];
    const html = `${secrets.map((url) => `<a href="${url}">x</a>`).join('')}<a href="https://saltmarsh-ferries.example/quiet" data-track="no">x</a>`;
    const made = await sent({ template: undefined, data: undefined, subject: 'Secrets', html, text: 'x', topic: 'pier-news' });
    expect(made.links).toEqual([]);
    for (const url of [...secrets, 'https://saltmarsh-ferries.example/quiet']) expect(made.html).toContain(`href="${url}"`);
    expect(made.html).not.toContain('data-track');
    const { html: bulletin } = await sent();
    expect(bulletin).toMatch(/href="https:\/\/mail\.saltmarsh-ferries\.example\/unsubscribe\//);
  });

  test('in Markdown can be left alone, and buttons too', async () => {
    const path = mailFolder('markdown');
    writeFileSync(
      join(path, 'templates/pier-bulletin/message.md'),
      '---\nsubject: "s"\ntopic: pier-news\n---\n[One](https://saltmarsh-ferries.example/one){track=no} and [two](https://saltmarsh-ferries.example/two).\n\n::action "Three" to="https://saltmarsh-ferries.example/three" track=no\n\n[Unsubscribe]({{ mail.unsubscribe }})\n',
    );
    rmSync(join(path, 'templates/pier-bulletin/message.html'));
    await all.stop();
    clock = movableClock(Date.UTC(2026, 10, 25, 9));
    all = await startTestService({
      clock,
      change: { publicUrl: PUBLIC, spaces: { harbour: { mode: 'deliver', mailFolder: path, route: ['relay'] } } },
    });
    clock.busy = all.service.busy;
    const { html, text, links } = await sent();
    expect(links).toHaveLength(2);
    expect(html).not.toContain('saltmarsh-ferries.example/two');
    expect(html).toContain('href="https://saltmarsh-ferries.example/one"');
    expect(html.match(/href="https:\/\/saltmarsh-ferries\.example\/three"/g)).toHaveLength(2);
    expect(html + text).not.toContain('track=');
    expect(html).not.toContain('data-track');
    expect(text).toContain('One');
  });
});

test('whoever looks at an email in the console is not its reader', async () => {
  const { id } = await sent();
  const page = await (
    await fetch(`${all.service.url}/v1/messages/${id}/html?remote=yes`, { headers: { authorization: `Bearer ${all.key}` } })
  ).text();
  expect(page).toContain(`href="${STORY}"`);
  expect(page).not.toMatch(/\/go\/|\/image\//);
});

describe('a topic decides', () => {
  test('nothing is tracked where it says nothing, in a space that captures, and where people cannot reach the service', async () => {
    const { id } = await all.client.messages.send(booking('asa@post.example'));
    await all.ended(id, 'accepted');
    expect(Buffer.from(await all.client.messages.source(id)).toString()).not.toMatch(/\/go\/|\/image\//);
    await all.stop();
    await start({ publicUrl: undefined });
    const { html } = await sent({
      template: undefined,
      data: undefined,
      subject: 's',
      html: `<a href="${STORY}">x</a>`,
      text: 'x',
      topic: 'service-changes',
    });
    expect(html).toContain(STORY);
    expect(html).not.toContain('/go/');
  });

  test('a message may want less, and not more', async () => {
    const none = await sent({ tracking: false });
    expect([none.links, none.image]).toEqual([[], undefined]);
    const noPicture = await sent({ tracking: { opens: false } });
    expect([noPicture.links.length, noPicture.image]).toEqual([1, undefined]);
    await ask((await sent({ tracking: { mode: 'counts' } })).links[0]!);
    await judged();
    expect(await hits()).toEqual([]);
    await expect(sent({ tracking: { opens: true } as never })).rejects.toThrow(/tracking/);
  });

  test('with counts nothing that is kept leads to a person', async () => {
    const { links } = await sent({
      template: undefined,
      data: undefined,
      subject: 's',
      html: `<a href="${STORY}?who=reader">Rebook</a>`,
      text: 'x',
      topic: 'service-changes',
    });
    await clock.move(3 * 60 * MINUTE);
    await ask(links[0]!);
    await judged();
    expect(await hits()).toEqual([]);
    const { total, links: byLink, hours } = await all.client.engagement.get({});
    expect(total.links).toEqual({ people: 1, unique: 0, machines: 0, unknown: 0 });
    expect(byLink).toEqual([{ template: '', index: 1, label: 'Rebook', people: 1, unique: 0, machines: 0, unknown: 0 }]);
    expect(hours).toMatchObject([{ hour: 3, links: { people: 1 } }]);
    await clock.move(MINUTE);
    expect(statSync(join(all.folder, 'verbalis.sqlite.hits')).size).toBe(0);
  });

  test('the words of a link hold nothing that leads to its recipient', async () => {
    const { links } = await sent({
      template: undefined,
      data: undefined,
      subject: 's',
      to: [{ name: 'Ása Þórsdóttir', address: 'reader@post.example' }],
      reference: 'SM-1042',
      html: `<a href="${STORY}">Ása Þórsdóttir (reader@post.example), rebook SM-1042</a>`,
      text: 'x',
      topic: 'service-changes',
    });
    await ask(links[0]!);
    await judged();
    const { links: byLink } = await all.client.engagement.get({});
    expect(byLink.map(({ label }) => label)).toEqual(['… (…), rebook …']);
  });

  test('the text part too, where that is wanted', async () => {
    await all.stop();
    await start(
      {},
      {
        mailFolder: mailFolder('text', (text) =>
          text.replace('clicks: true, mode: individual', 'clicks: true, text: true, mode: individual'),
        ),
      },
    );
    const { text, links } = await sent();
    const [, url = ''] = /(https:\S+\/go\/\S+)/.exec(text.replace(/ \n/g, '')) ?? [];
    expect(here(url)).toBe(links[0]);
    expect(text).not.toContain(STORY);
  });
});

describe('who it was', () => {
  test('a scanner that follows all links is a machine, whoever comes before and after it is not', async () => {
    const html = [1, 2, 3, 4].map((i) => `<a href="https://saltmarsh-ferries.example/${i}">Link ${i}</a>`).join('');
    const { links } = await sent({ template: undefined, data: undefined, subject: 's', html, text: 'x', topic: 'pier-news' });
    await clock.move(MINUTE);
    for (const link of links) {
      await ask(link, { 'user-agent': `${BROWSER} X` });
      await clock.move(200);
    }
    await clock.move(5000);
    await ask(links[1]!);
    await judged();
    const found = await hits();
    expect(found.map(({ by, link }) => [by, link.index])).toEqual([
      ['machine', 1],
      ['machine', 2],
      ['machine', 3],
      ['machine', 4],
      ['person', 2],
    ]);
    expect(found[0]!['reason']).toBe('4 links were followed within three seconds.');
    const { total, links: byLink } = await all.client.engagement.get({});
    expect(total.links).toEqual({ people: 1, unique: 1, machines: 4, unknown: 0 });
    expect(byLink[0]).toMatchObject({ label: 'Link 2', people: 1, machines: 1 });
    const figures = await all.client.figures.get({});
    expect(figures.total.linksFollowed).toBe(1);
  });

  test('HEAD is answered without a body, and is a machine; so is prefetch, and what a machine does is no figure of the delivery', async () => {
    const { links, image } = await sent();
    await clock.move(MINUTE);
    const head = await ask(links[0]!, { method: 'HEAD' });
    expect([head.status, head.headers.get('location')]).toEqual([302, STORY]);
    const picture = await ask(here(image!), { 'sec-purpose': 'prefetch' });
    expect([picture.status, picture.headers.get('content-type'), (await picture.arrayBuffer()).byteLength]).toEqual([200, 'image/gif', 42]);
    await judged();
    expect((await hits()).map(({ kind, by }) => [kind, by])).toEqual([
      ['link-followed', 'machine'],
      ['image-loaded', 'machine'],
    ]);
    const { total } = await all.client.figures.get({});
    expect([total.linksFollowed, total.imagesLoaded]).toEqual([0, 0]);
    const { total: engaged } = await all.client.engagement.get({});
    expect(engaged).toMatchObject({ links: { machines: 1, people: 0 }, images: { machines: 1, people: 0 } });
  });

  test('the same link again is counted, and is unique once', async () => {
    const { links } = await sent();
    for (let n = 0; n < 3; n += 1) {
      await clock.move(30 * MINUTE);
      await ask(links[0]!);
    }
    await judged();
    const { total, templates } = await all.client.engagement.get({});
    expect(total.links).toEqual({ people: 3, unique: 1, machines: 0, unknown: 0 });
    expect(templates).toMatchObject([{ template: 'pier-bulletin', topic: 'pier-news', links: { people: 3, unique: 1 } }]);
  });

  test('events are filtered by link, words and who it was', async () => {
    const { links } = await sent();
    await clock.move(MINUTE);
    await ask(links[0]!);
    await ask(links[0]!, { 'user-agent': 'curl/8' });
    await judged();
    const passed = async (filter: string): Promise<number> => (await all.client.events.list({ filter })).events.length;
    expect(await passed('type = link-followed and link.url contains "/news"')).toBe(2);
    expect(await passed('type = link-followed and by = person')).toBe(1);
    expect(await passed('link.label = "Read on" and link.index = 1 and by = machine')).toBe(1);
    expect(await passed('block = action')).toBe(0);
    await expect(passed('by = robot')).rejects.toThrow(/robot/);
  });
});

describe('consent', () => {
  test('a space that asks for it counts until the recipient agrees, and again when they no longer do', async () => {
    await all.stop();
    await start({}, { requireConsent: true });
    const follow = async (): Promise<number> => {
      const before = (await hits()).length;
      const { links } = await sent();
      await clock.move(MINUTE);
      await ask(links[0]!);
      await judged();
      return (await hits()).length - before;
    };
    const say = (kind: 'left' | 'rejoined') =>
      operator.consents.add({ address: 'reader@post.example', topic: 'engagement', kind, source: 'box at booking SM-1042' });
    expect(await follow()).toBe(0);
    expect((await say('rejoined')).tracking).toBe('allowed');
    expect(await follow()).toBe(1);
    await clock.move(1);
    expect(await say('left')).toMatchObject({ tracking: 'not-allowed' });
    expect(await follow()).toBe(0);
    expect((await all.client.engagement.get({})).total.links.people).toBe(3);
    const { events } = await all.client.events.list({ filter: 'topic = "engagement"' });
    expect(events.map(({ type }) => type)).toEqual(['verbalis.topic.left', 'verbalis.topic.rejoined']);
    expect((await operator.suppressions.list({})).suppressions).toEqual([]);
  });

  test('recipients decide on their page', async () => {
    await all.stop();
    await start({}, { requireConsent: true });
    const { html } = await sent();
    const page = here(/href="([^"]*\/unsubscribe\/[^"]*)"/.exec(html)?.[1] ?? '').replace('/unsubscribe/', '/preferences/');
    const shown = await (await fetch(page)).text();
    expect(shown).toMatch(/<input type="checkbox" name="topic" value="engagement">/);
    const saved = await fetch(page, { method: 'POST', body: 'do=save&topic=pier-news&topic=engagement' });
    expect(await saved.text()).toMatch(/value="engagement" checked/);
    expect((await operator.consents.get({ address: 'reader@post.example' })).tracking).toBe('allowed');
  });
});

describe('hosts', () => {
  /** The status that a host answers with at a path. */
  const statusAt = (host: string, path: string, method = 'GET'): Promise<number> =>
    new Promise((done, failed) => {
      const { port } = new URL(all.service.url);
      httpRequest({ host: '127.0.0.1', port, path, method, headers: { host, 'user-agent': BROWSER } }, (response) => {
        response.resume();
        done(response.statusCode ?? 0);
      })
        .on('error', failed)
        .end();
    });

  test('each domain has links of its own on one listener; a host that nobody knows has none of them', async () => {
    await operator.domains.add({ name: 'saltmarsh-ferries.example', linkHost: 'links.saltmarsh-ferries.example' });
    const { html } = await sent();
    const link = new URL(/href="([^"]*\/go\/[^"]*)"/.exec(html)?.[1] ?? '');
    expect(link.origin).toBe('https://links.saltmarsh-ferries.example');
    expect(html).toContain('https://links.saltmarsh-ferries.example/unsubscribe/');
    const path = link.pathname;
    expect(await statusAt('links.saltmarsh-ferries.example', path)).toBe(302);
    expect(await statusAt('mail.saltmarsh-ferries.example', path)).toBe(302);
    expect(await statusAt('elsewhere.example', path)).toBe(404);
    expect(await statusAt('links.saltmarsh-ferries.example', '/v1/messages')).toBe(404);
    expect(await statusAt('links.saltmarsh-ferries.example', '/v1/messages', 'POST')).toBe(404);
    expect(await statusAt('links.saltmarsh-ferries.example', '/')).toBe(404);
    // Links in emails that were sent lead to the old host.
    await operator.domains.change('saltmarsh-ferries.example', { linkHost: null });
    expect((await sent()).html).toContain(`${PUBLIC}/go/`);
    expect(await statusAt('links.saltmarsh-ferries.example', path)).toBe(302);
    const records = (await operator.domains.change('saltmarsh-ferries.example', { linkHost: 'links.saltmarsh-ferries.example' })).records;
    expect(records.find(({ purpose }) => purpose === 'links')).toMatchObject({
      type: 'CNAME',
      name: 'links.saltmarsh-ferries.example',
      value: 'mail.saltmarsh-ferries.example',
      required: false,
    });
    await expect(operator.domains.add({ name: 'other.example', linkHost: 'links.saltmarsh-ferries.example' })).rejects.toThrow(
      'The links of saltmarsh-ferries.example are at links.saltmarsh-ferries.example.',
    );
  });

  test('where the names of the service are listed, every other name is refused', async () => {
    await all.stop();
    await start({ listen: { port: 0, hosts: ['inner.example'] } });
    expect(await statusAt('inner.example', '/health/ready')).toBe(200);
    expect(await statusAt('inner.example', '/v1/openapi.json')).toBe(200);
    expect(await statusAt('other.example', '/v1/openapi.json')).toBe(404);
    expect(await statusAt('127.0.0.1', '/v1/openapi.json')).toBe(200);
    for (const path of ['/v1/messages', '/console/session']) {
      expect(await statusAt('other.example', path, 'POST')).toBe(404);
      expect(await statusAt('inner.example', path, 'POST')).not.toBe(404);
    }
    // What watches the service does so by its address, whatever that is.
    expect(await statusAt('other.example', '/health/ready')).toBe(200);
  });
});
