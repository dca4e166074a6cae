import { afterAll, beforeAll, expect } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { foreignMail } from '@verbalis/core/mime';
import { SmtpConnection } from '@verbalis/service/smtp';
import type { Browser, Page } from 'playwright-core';
import { axe, browserTest, launch, signedIn } from './support/browser.js';
import { LIMITS } from './support/limits.js';
import { scaled } from './support/scale.js';
import { booking, OPERATOR, startTestService, until, type TestService } from './support/service.js';

// Every page of the console, with long and hostile content, at every width: a heading, nothing that axe finds, nothing that overflows.

const [WIDEST, NARROWEST] = [1280, 320];
const WIDTHS = [WIDEST, 768, NARROWEST];
const LONG = 'unbroken'.repeat(40);
let all: TestService;
let browser: Browser;
let page: Page;
const ids: Record<string, string> = {};
beforeAll(async () => {
  all = await startTestService({
    script: { 'failed@post.example': 'report-failed' },
    change: { inbound: { addresses: [{ address: 'help@returns.saltmarsh-ferries.example', space: 'harbour', name: 'help' }] } },
  });
  const operator: Client = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
  const drydock = createClient({ url: all.service.url, key: OPERATOR, space: 'drydock' });
  const { id } = await all.client.messages.send({ ...booking(`failed@post.example`, 'SM-6001'), labels: { till: LONG.slice(0, 200) } });
  await all.ended(id, 'failed');
  await all.client.messages.send({ to: [`${'a'.repeat(60)}@${'b'.repeat(60)}.example`], subject: LONG, text: LONG });
  await drydock.messages.send(booking('asa@post.example', 'SM-6002'));
  const captured = await until(async () => (await drydock.captured.list({})).captured[0]);
  const back = await until(async () => (await operator.returns.list({})).returns[0]);
  await writeIn();
  const inbound = await until(async () => (await operator.inbound.list({})).inbound[0]);
  const { id: subscription } = await operator.subscriptions.add({
    url: `http://127.0.0.1:9/${LONG}`,
    handshake: false,
    name: LONG.slice(0, 100),
    filter: 'type in [failed, complained, withheld, expired, canceled, delayed] and domain = "post.example"',
  });
  await operator.suppressions.add({ address: `${'c'.repeat(60)}@${'d'.repeat(60)}.example`, note: LONG });
  await operator.domains.add({ name: 'curlew-charters.example' });
  await operator.keys.add({ name: LONG.slice(0, 100), scopes: ['send', 'read'], bounds: { recipients: [`${'d'.repeat(60)}.example`] } });
  await operator.people.invite({
    email: `${'e'.repeat(60)}@saltmarsh-ferries.example`,
    grants: [{ space: '*', role: 'viewer' }],
    send: false,
  });
  Object.assign(ids, { message: id, captured: captured.id, return: back.id, subscription, inbound: inbound.id });
  browser = await launch();
  page = await browser.newPage();
  page.setDefaultTimeout(LIMITS.element);
  await signedIn(page, all.service.url, OPERATOR);
});
afterAll(async () => {
  await browser.close();
  await all.stop();
});

/** A stranger writes, at length. */
async function writeIn(): Promise<void> {
  const connection = new SmtpConnection({ host: '127.0.0.1', port: all.service.returnsPort, helloName: 'mx.post.example' });
  await connection.open();
  const text = `From: ${LONG.slice(0, 60)} <una@post.example>\r\nTo: help@returns.saltmarsh-ferries.example\r\nSubject: ${LONG}\r\nMessage-ID: <1@post.example>\r\n\r\n${'Is there still room on the car deck? '.repeat(20)}${LONG}\r\n`;
  await connection.deliver({ from: 'una@post.example', to: 'help@returns.saltmarsh-ferries.example' }, foreignMail(Buffer.from(text)));
  connection.close();
}

const PAGES = [
  'harbour/write',
  'harbour/write/templates/booking-confirmed',
  'harbour/write/editions',
  'drydock/try',
  'drydock/try/:captured',
  'harbour/search?q=post.example',
  'harbour/send',
  'harbour/send/compose?template=booking-confirmed',
  'harbour/send/signals',
  'harbour/send/schedules',
  'harbour/send/bulk-sends',
  'harbour/track',
  'harbour/track/messages/:message',
  'harbour/track/inbound',
  'harbour/track/inbound/:inbound',
  'harbour/track/returns',
  'harbour/track/returns/:return',
  'harbour/track/suppressions',
  'harbour/track/figures',
  'harbour/track/subscriptions',
  'harbour/track/subscriptions/:subscription',
  'harbour/track/live',
  'harbour/track/alerts',
  'harbour/set-up/quarantine',
  'harbour/set-up/domains',
  'harbour/set-up/domains/curlew-charters.example',
  'harbour/set-up/senders',
  'harbour/set-up/topics',
  'harbour/set-up/keys',
  'harbour/set-up/people',
  'harbour/set-up/spaces',
  'harbour/set-up/providers',
  'harbour/set-up/backups',
  'harbour/set-up/cluster',
  'harbour/set-up/configuration',
  'harbour/set-up/audit?of=service',
  'harbour/set-up/health',
  'harbour/nowhere',
  'nowhere/track',
];

browserTest('on the smallest screen a list begins on the first screen', async () => {
  await page.setViewportSize({ width: 320, height: 800 });
  await page.goto(`${all.service.url}/in/harbour/track`);
  const row = page.getByRole('row').nth(1);
  await row.waitFor();
  const top = await row.evaluate((element) => element.getBoundingClientRect().top);
  expect(top).toBeLessThan(800);
});

browserTest.each(PAGES)('%s', async (path) => {
  const address = path.replace(/:(\w+)/, (_all, name: string) => ids[name] ?? '');
  const found: string[] = [];
  await page.setViewportSize({ width: WIDEST, height: 800 });
  await page.goto(`${all.service.url}/in/${address}`);
  await page.getByRole('heading', { level: 1 }).first().waitFor();
  await page.waitForLoadState('load');
  // What a page reads comes after its heading.
  await page.waitForFunction(() => !document.body.innerText.includes('Reading the'));
  for (const width of WIDTHS) {
    await page.setViewportSize({ width, height: 800 });
    const { overflow, headings, mains } = await page.evaluate(() => ({
      overflow: document.documentElement.scrollWidth - document.documentElement.clientWidth,
      headings: document.querySelectorAll('h1').length,
      mains: document.querySelectorAll('main').length,
    }));
    if (overflow > 0) found.push(`${width}: ${overflow} px too wide`);
    if (headings !== 1 || mains !== 1) found.push(`${width}: ${headings} h1 and ${mains} main`);
    // Between the extremes nothing appears that neither of them has; colours are the same at both.
    const without = { [WIDEST]: [], [NARROWEST]: scaled(['color-contrast'], []) }[width];
    if (without) found.push(...(await axe(page, without)).map((fault) => `${width}: ${fault}`));
  }
  expect(found).toEqual([]);
});
