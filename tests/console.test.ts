import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { createClient } from '@verbalis/client';
import { afterAll, afterEach, beforeAll, beforeEach, expect, test } from '@jest/globals';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { axe, browserTest, launch, signedIn, signInWithSecret } from './support/browser.js';
import { booking, OPERATOR, ROOT, startTestService, type TestService } from './support/service.js';

// The console as people meet it, in headless Chromium. It must be built: verify does that before.
let all: TestService;
let browser: Browser;
let context: BrowserContext;
let page: Page;
const foreign: string[] = [];
const complaints: string[] = [];

beforeAll(async () => {
  all = await startTestService({ script: { 'refused@post.example': 'refuse', 'bounced@post.example': 'report-failed' } });
  browser = await launch();
});
afterAll(async () => {
  await browser.close();
  await all.stop();
});
beforeEach(async () => {
  context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  page = await context.newPage();
  page.on('request', (request) => {
    if (!request.url().startsWith(all.service.url) && !request.url().startsWith('data:')) foreign.push(request.url());
  });
  page.on('console', (message) => {
    if (message.type() === 'error' && !/40[19]|422/.test(message.text())) complaints.push(message.text());
  });
});
afterEach(() => context.close());

const signIn = async (): Promise<void> => {
  await signedIn(page, all.service.url, OPERATOR);
  await page.goto(all.service.url);
  await page.getByRole('heading', { name: 'Messages', exact: true }).waitFor();
};

browserTest('signs in with the secret, refuses a wrong one, and out again', async () => {
  await page.goto(all.service.url);
  expect(await axe(page)).toEqual([]);
  await signInWithSecret(page, all.service.url, 'wrong');
  await page.getByRole('alert').waitFor();
  expect(await page.getByRole('alert').textContent()).toContain('not the operator’s secret');
  await signInWithSecret(page, all.service.url, OPERATOR);
  await page.getByRole('heading', { name: 'Messages', exact: true }).waitFor();
  await page.getByRole('button', { name: 'Sign out' }).click();
  await page.getByRole('button', { name: 'Send me a link' }).waitFor();
});

browserTest('the button of a one-time link opens it, and leaves no token in the address', async () => {
  await page.goto(await all.service.signInLink());
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('heading', { name: 'Messages', exact: true }).waitFor();
  expect(page.url()).not.toContain('token');
});

browserTest('an empty space teaches; a message appears by itself; filters stand in the address', async () => {
  await signIn();
  await page.getByText('Nothing has been sent here yet').waitFor();
  await all.client.messages.send(booking('fine@post.example', 'SM-2001'));
  await all.client.messages.send(booking('refused@post.example', 'SM-2002'));
  await page.getByRole('row', { name: /fine@post\.example/ }).waitFor();
  expect(await axe(page)).toEqual([]);
  await page.getByRole('radio', { name: /^failed/ }).click();
  await page.getByRole('row', { name: /fine@post\.example/ }).waitFor({ state: 'detached' });
  expect(page.url()).toContain('state=failed');
  await page.reload();
  await page.getByRole('row', { name: /refused@post\.example/ }).waitFor();
  expect(await page.getByRole('row').count()).toBe(2);
});

browserTest('one message: sentence, advice, journey with evidence, the mail in a frame where nothing runs', async () => {
  const { id } = await all.client.messages.send(booking('bounced@post.example', 'SM-2003'));
  await all.ended(id, 'failed');
  await signIn();
  await page.getByRole('row', { name: /bounced@post\.example/ }).click();
  await page.getByText('after the provider had accepted it: there is no such mailbox').waitFor();
  const timeline = await page.getByRole('list', { name: 'Timeline' }).textContent();
  expect(timeline).toContain('relay accepted it');
  expect(timeline).toContain('550 5.1.1 <bounced@post.example>: no such user here');
  const frame = page.frameLocator('iframe[title="HTML part"]');
  await frame.getByRole('heading', { name: 'You are on board, Ása' }).waitFor();
  expect(await page.locator('iframe').getAttribute('sandbox')).toBe('');
  // A style that came in the mail is in force, and the page around it is not touched.
  expect(await frame.locator('h1').evaluate((node) => getComputedStyle(node).fontSize)).toBe('26px');
  expect(await page.getByLabel('Text part').textContent()).toContain(
    'Change this booking: https://saltmarsh-ferries.example/bookings/SM-2003',
  );
  expect(await axe(page)).toEqual([]);
  const headers = (await page.request.get(`${all.service.url}/v1/messages/${id}/html?space=harbour`)).headers()['content-security-policy'];
  expect(headers).toContain("sandbox; default-src 'none'");
});

browserTest('keyboard alone: to a message and back', async () => {
  await signIn();
  await page.getByRole('row', { name: /fine@post\.example/ }).waitFor();
  await page.getByLabel('Address or reference').focus();
  for (let i = 0; i < 10 && !(await page.evaluate(() => document.activeElement?.getAttribute('role') === 'row')); i += 1)
    await page.keyboard.press('Tab');
  await page.keyboard.press('Enter');
  await page.getByRole('heading', { level: 1, name: /Booking SM-/ }).waitFor();
  await page.getByRole('link', { name: '← Messages' }).focus();
  await page.keyboard.press('Enter');
  await page.getByRole('heading', { name: 'Messages', exact: true }).waitFor();
});

browserTest('a phone, in the dark: nothing scrolls sideways, axe finds nothing', async () => {
  await page.emulateMedia({ colorScheme: 'dark' });
  await page.setViewportSize({ width: 360, height: 760 });
  await signIn();
  await page.getByRole('row').nth(1).waitFor();
  const wide = () => page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth);
  expect(await wide()).toBeLessThanOrEqual(0);
  expect(await axe(page)).toEqual([]);
  await page.getByRole('row').nth(1).click();
  await page.frameLocator('iframe').getByRole('heading').first().waitFor();
  expect(await wide()).toBeLessThanOrEqual(0);
  expect(await axe(page)).toEqual([]);
  for (const [step, title] of [
    ['Write', 'Templates'],
    ['Try', 'Captured mail'],
    ['Send', 'Send'],
    ['Set up', 'Domains'],
  ] as const) {
    await page.getByRole('link', { name: step, exact: true }).click();
    await page.getByRole('heading', { level: 1, name: title }).waitFor();
    expect(await axe(page)).toEqual([]);
  }
});

/** A picture for whoever wants to look: PICTURES names a folder. */
const picture = async (name: string): Promise<void> => {
  const folder = process.env['PICTURES'];
  if (folder !== undefined) await page.screenshot({ path: `${folder}/${name}.png`, animations: 'disabled' });
};

browserTest('returns: from the journey to what came back; the unmatched are matched by hand', async () => {
  const { id } = await all.client.messages.send(booking('bounced@other.example', 'SM-2004'));
  const message = await all.ended(id, 'accepted', 'failed');
  const operator = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
  await operator.returns.add(readFileSync(join(ROOT, 'tests/fixtures/returns/hand/prose-transcript.eml')));
  await operator.returns.add(readFileSync(join(ROOT, 'tests/fixtures/returns/hand/complaint.eml')));
  await signIn();
  await page
    .getByRole('row', { name: /bounced@post\.example/ })
    .first()
    .click();
  await page.getByRole('link', { name: 'what came back' }).click();
  await page.getByText('no such user here').first().waitFor();
  await page.getByText('Found by').waitFor();
  expect(await page.getByLabel('Source').textContent()).toContain('Final-Recipient');
  expect(await axe(page)).toEqual([]);
  await picture('return');
  await page.getByRole('link', { name: '← Returns' }).click();
  await page
    .getByRole('row', { name: /asa@post\.example/ })
    .first()
    .waitFor();
  expect(await axe(page)).toEqual([]);
  await picture('returns');
  await page.getByRole('radio', { name: 'unmatched' }).click();
  await page.getByRole('row').filter({ hasText: 'delivery-status' }).first().click();
  await page.getByLabel('Id of the delivery').fill('d-nonsense');
  await page.getByRole('button', { name: 'Match' }).click();
  await page.getByRole('alert').waitFor();
  await page.getByLabel('Id of the delivery').fill(message.deliveries[0]!.id);
  await page.getByRole('button', { name: 'Match' }).click();
  await page.getByRole('link', { name: id }).waitFor();
  expect((await all.client.messages.get(id)).deliveries[0]!.state).toBe('failed');
});

browserTest('suppressions: why, added by hand, lifted with a note', async () => {
  await signIn();
  await page.getByRole('link', { name: 'Suppressions' }).click();
  await page.getByRole('row', { name: /refused@post\.example/ }).waitFor();
  expect(await axe(page)).toEqual([]);
  await page.getByLabel('Send no more to').fill('asked@post.example');
  await page.getByLabel('Note').fill('asked by phone');
  await page.keyboard.press('Enter');
  await page.getByRole('row', { name: /asked@post\.example/ }).waitFor();
  await picture('suppressions');
  await page.getByRole('button', { name: 'Lift asked@post.example' }).click();
  await page.getByRole('dialog').waitFor();
  expect(await axe(page)).toEqual([]);
  await picture('suppressions-lift');
  await page.getByLabel('Why').fill('changed his mind');
  await page.getByRole('dialog').getByRole('button', { name: 'Lift' }).click();
  await page.getByRole('row', { name: /asked@post\.example/ }).waitFor({ state: 'detached' });
  const csv = await page.request.get(`${all.service.url}/v1/suppressions/export?space=harbour`);
  expect(await csv.text()).toContain('refused@post.example');
});

browserTest('what waits, and providers that can be paused', async () => {
  await signIn();
  await page.goto(`${all.service.url}/set-up/providers`);
  await page.getByRole('button', { name: 'Pause relay' }).click();
  await page.getByRole('button', { name: 'Resume relay' }).waitFor();
  expect(await axe(page)).toEqual([]);
  await page.getByRole('link', { name: 'Send', exact: true }).click();
  // What keeps email from leaving stands on top of the page.
  await page.getByRole('list', { name: 'Needs attention' }).getByRole('link', { name: 'relay is paused' }).waitFor();
  await all.client.messages.send(booking('waits@post.example', 'SM-2005'));
  await page.getByRole('row').filter({ hasText: 'essential' }).waitFor();
  expect(await axe(page)).toEqual([]);
  await picture('send');
  await all.client.messages.send({ ...booking('planned@post.example', 'SM-2007'), notBefore: '2027-03-01T08:00:00Z' });
  const planned = page.getByRole('table', { name: 'Planned' }).getByRole('row').filter({ hasText: 'planned@post.example' });
  await planned.getByRole('link').click();
  await page.getByRole('button', { name: 'Cancel the message' }).click();
  await page.getByRole('alertdialog').getByRole('button', { name: 'Cancel it' }).click();
  await page.getByText(/Canceled for 1 recipient/).waitFor();
  await page.goto(`${all.service.url}/set-up/providers`);
  await page.getByRole('button', { name: 'Resume relay' }).click();
  await page.getByRole('button', { name: 'Pause relay' }).waitFor();
});

browserTest('email is held by a filter, and released', async () => {
  await signIn();
  await page.getByRole('link', { name: 'Send', exact: true }).click();
  const hold = page.getByRole('button', { name: 'Hold', exact: true });
  await hold.click();
  await page.getByRole('alert').getByText('Fill in what is to be held').waitFor();
  await page.getByLabel('Template').fill('booking-confirmed');
  await page.getByLabel('Reason').fill('wrong prices');
  await hold.click();
  const row = page.getByRole('row', { name: /template booking-confirmed/ });
  await row.getByText('wrong prices').waitFor();
  const { id } = await all.client.messages.send(booking('held@post.example', 'SM-2006'));
  await row.locator('[data-name="held"]').getByText('1', { exact: true }).waitFor();
  await page.setViewportSize({ width: 360, height: 760 });
  expect(await axe(page)).toEqual([]);
  await page.setViewportSize({ width: 1280, height: 800 });
  await page.getByRole('button', { name: 'Release template booking-confirmed' }).click();
  await row.waitFor({ state: 'detached' });
  await all.ended(id, 'accepted', 'delivered');
});

browserTest('the pages of what came back on a phone, in the dark', async () => {
  await page.emulateMedia({ colorScheme: 'dark' });
  await page.setViewportSize({ width: 360, height: 760 });
  await signIn();
  for (const name of ['Returns', 'Suppressions']) {
    await page.getByRole('link', { name, exact: true }).click();
    // The page before has rows too, and stays until the script of this one has come.
    await page.getByRole('heading', { level: 1, name }).waitFor();
    await page.getByRole('row').nth(1).waitFor();
    expect(await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth)).toBeLessThanOrEqual(0);
    expect(await axe(page)).toEqual([]);
    await picture(`${name.toLowerCase()}-phone-dark`);
  }
});

browserTest('a capturing space cannot be taken for a delivering one', async () => {
  await signIn();
  await page.getByRole('button', { name: /Space/ }).click();
  await page.getByRole('option', { name: 'drydock' }).click();
  await page.getByText('Nothing has been sent here yet').waitFor();
  expect(await page.getByRole('button', { name: /Space/ }).textContent()).toContain('captures');
});

browserTest('each page has a title, the keyboard comes to it, and an address that leads nowhere says so', async () => {
  const long = 'x'.repeat(300);
  const { id } = await all.client.messages.send({ subject: long, text: 'x', to: ['long@post.example'] });
  await signIn();
  await page.waitForFunction(() => document.title === 'Messages · harbour · Verbalis');
  await page.goto(`${all.service.url}/track`);
  await page.getByRole('row').nth(1).waitFor();
  await page.keyboard.press('Tab');
  expect(await page.evaluate(() => document.activeElement?.textContent)).toBe('Skip to the page');
  await page.keyboard.press('Enter');
  expect(await page.evaluate(() => document.activeElement?.id)).toBe('page');
  await page
    .getByRole('row')
    .filter({ hasText: long.slice(0, 40) })
    .first()
    .click();
  await page.waitForFunction((subject) => document.title === `${subject} · harbour · Verbalis`, long);
  expect(await page.evaluate(() => document.activeElement?.id)).toBe('page');
  expect(page.url()).toContain(id);
  expect(await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth)).toBeLessThanOrEqual(0);
  await page.goto(`${all.service.url}/track/nothing-here`);
  await page.getByRole('heading', { level: 1, name: 'There is no such page' }).waitFor();
  await page.waitForFunction(() => document.title === 'There is no such page · harbour · Verbalis');
  expect(await axe(page)).toEqual([]);
  await page.getByRole('link', { name: 'To the first page' }).click();
  await page.waitForFunction(() => document.title === 'Messages · harbour · Verbalis');
});

test('scripts are sent compressed to those who take that, with the same content', async () => {
  const page = await (await fetch(all.service.url)).text();
  const script = /<script[^>]* src="(\/assets\/[^"]+)"/.exec(page)?.[1] ?? '';
  const asked = async (encoding: string) => {
    const response = await fetch(all.service.url + script, { headers: { 'accept-encoding': encoding } });
    return {
      encoding: response.headers.get('content-encoding'),
      caching: response.headers.get('cache-control'),
      text: await response.text(),
    };
  };
  const plain = await asked('identity');
  expect(plain).toMatchObject({ encoding: null, caching: 'public, max-age=31536000, immutable' });
  expect(plain.text.length).toBeGreaterThan(100_000);
  expect(await asked('br')).toEqual({ ...plain, encoding: 'br' });
  expect((await fetch(`${all.service.url}/assets/%E0%A4%A`)).status).toBe(400);
});

browserTest('no request to another host, and nothing that the policy had to stop', () => {
  expect(foreign).toEqual([]);
  expect(complaints).toEqual([]);
});
