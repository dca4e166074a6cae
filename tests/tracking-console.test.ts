import { readFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, beforeEach, expect } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import Sqlite from 'better-sqlite3';
import { LIMITS } from './support/limits.js';
import { axe, browserTest, launch, signedIn } from './support/browser.js';
import { booking, OPERATOR, startTestService, until, type TestService } from './support/service.js';

// The step Track: figures, subscriptions, live events, alerts, and the histogram over the messages.
let all: TestService;
let client: Client;
let browser: Browser;
let context: BrowserContext;
let page: Page;
let consumer: Server;
let consumerUrl: string;
const got: string[] = [];
const bodies: string[] = [];

beforeAll(async () => {
  consumer = createServer((request, response) => {
    if (request.method === 'OPTIONS') response.setHeader('WebHook-Allowed-Origin', '*');
    else got.push(request.url ?? '');
    let body = '';
    request.on('data', (chunk: Buffer) => (body += chunk.toString()));
    request.on('end', () => {
      if (request.method === 'POST') bodies.push(body);
      response.end();
    });
  });
  await new Promise<void>((done) => consumer.listen(0, '127.0.0.1', done));
  consumerUrl = `http://127.0.0.1:${(consumer.address() as AddressInfo).port}`;
  all = await startTestService({
    script: { 'refused@post.example': 'refuse', 'arrives@post.example': 'report-delivered' },
    change: { outside: { allow: ['127.0.0.1'] }, alerts: { 'any-failure': { of: ['failed'], count: 1, least: 1, by: 'template' } } },
  });
  client = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
  await client.messages.send(booking('arrives@post.example', 'SM-7001'));
  const { id } = await client.messages.send(booking('refused@post.example', 'SM-7002'));
  await all.ended(id, 'failed');
  await until(async () => ((await client.figures.get()).total.created >= 2 ? true : undefined));
  browser = await launch();
});
afterAll(async () => {
  await browser.close();
  await all.stop();
  consumer.closeAllConnections();
  consumer.close();
});
beforeEach(async () => {
  context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  page = await context.newPage();
  page.setDefaultTimeout(LIMITS.element);
  await signedIn(page, all.service.url, OPERATOR);
});
afterEach(() => context.close());

browserTest('figures: tiles, bars, the same as a table, by what they are; the period stands in the address', async () => {
  await page.goto(`${all.service.url}/track/figures`);
  await page.getByRole('img', { name: /Deliveries by the day/ }).waitFor();
  expect(await page.getByLabel('Figures of the period').textContent()).toMatch(/Deliveries2.*Failed50\.0%/);
  expect(await axe(page)).toEqual([]);
  await page.getByRole('button', { name: 'As a table' }).click();
  await page.getByRole('grid', { name: 'The same as a table' }).waitFor();
  await page.getByRole('button', { name: /By/ }).last().click();
  await page.getByRole('option', { name: 'cause' }).click();
  await page.getByRole('row', { name: /mailbox-unknown/ }).waitFor();
  expect(page.url()).toMatch(/table=yes.*by=cause|by=cause.*table=yes/);
  expect(await axe(page)).toEqual([]);
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'Save as CSV' }).click()]);
  expect(download.suggestedFilename()).toBe('figures.csv');
});

browserTest('the histogram chooses a span by the arrow keys, and the list follows', async () => {
  await page.goto(`${all.service.url}/track`);
  await page.getByRole('row', { name: /refused@post/ }).waitFor();
  const to = page.getByRole('slider', { name: /To/ });
  await to.focus();
  await page.keyboard.press('ArrowLeft');
  await page.waitForURL(/to=/);
  await page.getByText('No message fits').waitFor();
  await to.focus();
  await page.keyboard.press('ArrowRight');
  await page.getByRole('row', { name: /refused@post/ }).waitFor();
  expect(await axe(page)).toEqual([]);
});

browserTest('a subscription: chosen filter, how much it lets through, test, pause, and removed by name', async () => {
  await page.goto(`${all.service.url}/track/subscriptions`);
  await page.getByText('No subscriptions yet').waitFor();
  await page.getByLabel(/^Address/).fill(`${consumerUrl}/hook`);
  await page.getByLabel('Name', { exact: true }).fill('office');
  await page.getByRole('button', { name: 'complained', exact: true }).click();
  expect(await page.getByLabel('Filter').inputValue()).toBe('type in [failed]');
  await page.getByText(/It lets through 1 of the \d+ events/).waitFor();
  await page.getByRole('button', { name: 'mailbox-full', exact: true }).click();
  expect(await page.getByLabel('Filter').inputValue()).toBe('cause in [mailbox-full] and type in [failed]');
  await page.getByText(/It lets through 0 of/).waitFor();
  await page.getByRole('button', { name: 'mailbox-full', exact: true }).click();
  await page.getByLabel('Filter').fill('typ = failed');
  await page.getByRole('alert').getByText('no field "typ"').waitFor();
  await page.getByLabel('Filter').fill('type in [failed]');
  expect(await axe(page)).toEqual([]);
  await page.getByRole('button', { name: 'Subscribe', exact: true }).click();
  await page.getByText('whsec_').waitFor();
  await page.getByRole('row', { name: /office/ }).click();
  await page.getByRole('button', { name: 'Send a test' }).click();
  await page.getByText(/The test was accepted: 200/).waitFor();
  expect(got).toEqual(['/hook']);
  await page.getByRole('row', { name: /test/ }).waitFor();
  await page.getByRole('button', { name: 'Pause' }).click();
  await page.getByText('– paused').waitFor();
  await page.getByRole('button', { name: 'Go on' }).click();
  await page.getByText('● active').waitFor();
  expect(await axe(page)).toEqual([]);
  await page.getByRole('button', { name: 'Remove' }).click();
  await page.getByRole('alertdialog').getByText('Remove “office”?').waitFor();
  await page.getByRole('alertdialog').getByRole('button', { name: 'Remove' }).click();
  await page.getByText('No subscriptions yet').waitFor();
});

browserTest('a chat is sent what it takes: a payload of its own, looked at before it counts', async () => {
  await page.goto(`${all.service.url}/track/subscriptions`);
  await page.getByLabel(/^Address/).fill(`${consumerUrl}/chat`);
  await page.getByLabel(/chat’s incoming address/).focus();
  await page.keyboard.press('Space');
  const payload = page.getByLabel(/^What it is sent/);
  await payload.fill('{"text": ');
  await page.keyboard.press('Enter');
  await page
    .getByRole('alert')
    .getByText(/is not valid JSON/)
    .waitFor();
  await payload.fill('{"text": "{{ evnt.id }}"}');
  await page.keyboard.press('Enter');
  await page
    .getByRole('alert')
    .getByText(/Did you mean "event"/)
    .waitFor();
  expect(await axe(page)).toEqual([]);
  await payload.fill('{"text": "It says: {{ event.data.text }}"}');
  await page.keyboard.press('Enter');
  await page.getByText('whsec_').waitFor();
  const [made] = (await client.subscriptions.list()).subscriptions;
  bodies.length = 0;
  expect(await client.subscriptions.test(made?.id ?? '')).toMatchObject({ ok: true });
  expect(bodies).toEqual([expect.stringMatching(/^\{"text":"It says: .+"\}$/)]);
  await client.subscriptions.remove(made?.id ?? '');
});

browserTest('live: what becomes known appears by itself, waits while paused, and is filtered', async () => {
  await page.goto(`${all.service.url}/track/live`);
  await page.getByRole('list', { name: 'Events' }).getByText('refused@post.example').first().waitFor();
  await page.getByRole('button', { name: 'Pause' }).click();
  await client.messages.send(booking('arrives@post.example', 'SM-7003'));
  await page.getByRole('button', { name: /Go on \([1-9]/ }).waitFor();
  expect(await page.getByText('SM-7003').count()).toBe(0);
  await page.getByRole('button', { name: /Go on/ }).click();
  await page.getByText('SM-7003').first().waitFor();
  expect(await axe(page)).toEqual([]);
  await page.getByLabel('Filter').fill('type = failed');
  await page.keyboard.press('Enter');
  await page.getByText('SM-7003').first().waitFor({ state: 'detached' });
  expect(page.url()).toContain('filter=');
});

browserTest('a table is saved as it is filtered, whole, and nothing in it is a formula', async () => {
  await all.client.messages.send({ ...booking('=sum@post.example', 'SM-7991') });
  await page.goto(`${all.service.url}/track`);
  const saved = page.getByRole('button', { name: 'Save as CSV' });
  const download = async () => {
    const [file] = await Promise.all([page.waitForEvent('download'), saved.click()]);
    expect(file.suggestedFilename()).toBe('deliveries.csv');
    return readFileSync(await file.path(), 'utf8')
      .trim()
      .split('\n');
  };
  const [head, ...lines] = await download();
  expect(head).toBe('messageId,deliveryId,to,state,cause,template,subject,reference,createdAt');
  expect(lines.length).toBeGreaterThanOrEqual(3);
  expect(lines.find((line) => line.includes('SM-7991'))).toContain(",'=sum@post.example,");
  await page.goto(`${all.service.url}/track?state=failed`);
  const failed = await download();
  expect(failed.slice(1).every((text) => text.includes(',failed,'))).toBe(true);
  expect(failed.length).toBeLessThan(lines.length);
  for (const path of ['returns', 'subscriptions', 'live', 'alerts']) {
    await page.goto(`${all.service.url}/track/${path}`);
    await page.getByRole('heading', { level: 1 }).waitFor();
    expect(await axe(page)).toEqual([]);
  }
});

browserTest('alerts teach, and say what holds; rules are set, changed and taken away by the keyboard', async () => {
  await page.goto(`${all.service.url}/track/alerts`);
  await page.getByText('Rules in force').waitFor();
  expect(await page.getByRole('main').textContent()).toContain('more than 1 failed in 15 minutes');
  expect(await axe(page)).toEqual([]);
  await page.getByLabel(/^Name/).fill('many-complaints');
  await page.getByLabel('More than').fill('3');
  await page.getByRole('button', { name: 'complained' }).focus();
  await page.keyboard.press('Space');
  await page.getByLabel(/Only events/).fill('topik = 4');
  await page.keyboard.press('Enter');
  await page.getByText(/is not a valid filter/).waitFor();
  await page.getByLabel(/Only events/).fill('topic = bookings');
  await page.keyboard.press('Enter');
  await page.getByText('more than 3% failed or complained in 15 minutes, where topic = bookings').waitFor();
  await page.getByRole('button', { name: 'Change many-complaints' }).press('Enter');
  await page.getByRole('heading', { name: 'Change many-complaints' }).waitFor();
  await page.getByLabel('More than').fill('4');
  await page.keyboard.press('Enter');
  await page.getByText('more than 4% failed or complained').waitFor();
  expect(await axe(page)).toEqual([]);
  await page.getByRole('button', { name: 'Remove many-complaints' }).press('Enter');
  await page.getByRole('alertdialog').getByRole('button', { name: 'Remove' }).press('Enter');
  await page.getByText('more than 4% failed or complained').waitFor({ state: 'detached' });
});

browserTest('quarantine teaches when it is empty; an item is looked at, retried and dropped by the keyboard', async () => {
  await page.goto(`${all.service.url}/set-up/quarantine`);
  await page.getByRole('heading', { name: 'Nothing is in quarantine' }).waitFor();
  expect(await axe(page)).toEqual([]);
  // As a worker writes it; what it belongs to is gone, so a retry finds nothing to do.
  const raw = new Sqlite(join(all.folder, 'verbalis.sqlite'), { timeout: LIMITS.condition });
  const insert = raw.prepare(
    "insert into quarantine (id, worker, key, space, title, error, stack, payload, quarantined_at) values (?, 'returns', ?, 'harbour', ?, 'It could not be read.', 'Error: at line 1', ?, ?)",
  );
  for (const n of [1, 2]) insert.run(`q${n}`, `r${n}`, `Return ${n}`, JSON.stringify({ returnId: `r${n}` }), Date.now());
  raw.close();
  const items = page.getByRole('list', { name: 'Items in quarantine' });
  await items.getByRole('heading', { name: 'Return 1' }).waitFor();
  await page.getByRole('button', { name: 'Details of Return 1' }).press('Enter');
  await items.getByText('"returnId": "r1"').waitFor();
  expect(await axe(page)).toEqual([]);
  await page.getByRole('button', { name: 'Retry Return 1' }).press('Enter');
  await items.getByRole('heading', { name: 'Return 1' }).waitFor({ state: 'detached' });
  await page.getByRole('button', { name: 'Drop Return 2' }).press('Enter');
  await page.getByRole('alertdialog').getByRole('button', { name: 'Drop' }).press('Enter');
  await page.getByRole('heading', { name: 'Nothing is in quarantine' }).waitFor();
});

browserTest('at 360 px and in the dark, all of it holds', async () => {
  await page.emulateMedia({ colorScheme: 'dark' });
  await page.setViewportSize({ width: 360, height: 760 });
  for (const path of ['', '/figures', '/figures?table=yes&by=cause', '/subscriptions', '/live', '/alerts', '/quarantine']) {
    await page.goto(`${all.service.url}/track${path}`);
    await page.getByRole('heading', { level: 1 }).waitFor();
    if (path.startsWith('/figures')) await page.getByLabel('Figures of the period').waitFor();
    expect({ path, wide: await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth) }).toEqual({ path, wide: 0 });
    expect(await axe(page)).toEqual([]);
  }
});
