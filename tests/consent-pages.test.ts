import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, beforeEach, expect } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { fieldOf, readMail } from '@verbalis/core/mime';
import type { Browser, BrowserContext } from 'playwright-core';
import { axe, browserTest, launch, signedIn } from './support/browser.js';
import { LIMITS } from './support/limits.js';
import { DEMO_FOLDER, OPERATOR, startTestService, type TestService } from './support/service.js';

// The pages on which recipients choose, as a browser without scripts shows them.
const PUBLIC = 'https://mail.saltmarsh-ferries.example';
const DATA = JSON.parse(readFileSync(join(DEMO_FOLDER, 'templates/pier-bulletin/samples/typical.json'), 'utf8')) as Record<string, unknown>;
let all: TestService;
let operator: Client;
let browser: Browser;
let context: BrowserContext;

beforeAll(async () => {
  all = await startTestService({ change: { publicUrl: PUBLIC } });
  operator = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
  browser = await launch();
});
afterAll(async () => {
  await browser.close();
  await all.stop();
});
beforeEach(async () => {
  context = await browser.newContext({ viewport: { width: 360, height: 740 } });
});
afterEach(() => context.close());

/** The link to unsubscribe in an email to someone. */
async function linkTo(address: string, locale: string): Promise<string> {
  const { id } = await all.client.messages.send({ template: 'pier-bulletin', to: [address], data: DATA, locale });
  await all.ended(id, 'accepted');
  const field = fieldOf(readMail(Buffer.from(await operator.messages.source(id))), 'list-unsubscribe') ?? '';
  return (/^<(https:[^>]+)>/.exec(field)?.[1] ?? '').replace(PUBLIC, all.service.url);
}

browserTest('in five languages, on a phone, bright and dark: nothing is too wide, unlabelled or hard to read', async () => {
  for (const [locale, dir] of Object.entries({ en: 'ltr', de: 'ltr', fr: 'ltr', es: 'ltr', ar: 'rtl' })) {
    const link = await linkTo(`${locale}@post.example`, locale);
    for (const colorScheme of ['light', 'dark'] as const) {
      const page = await context.newPage();
      await page.emulateMedia({ colorScheme });
      for (const url of [link, link.replace('/unsubscribe/', '/preferences/')]) {
        await page.goto(url);
        const shown = await page.evaluate(() => ({
          lang: document.documentElement.lang,
          dir: document.documentElement.dir,
          isWide: document.documentElement.scrollWidth > document.documentElement.clientWidth,
        }));
        expect([url, shown, await axe(page)]).toEqual([url, { lang: locale, dir, isWide: false }, []]);
      }
      await page.close();
    }
  }
});

browserTest('without scripts: leave by one button, come back by a box, all by keyboard', async () => {
  const link = await linkTo('reader@post.example', 'en');
  const wants = async () =>
    (await operator.consents.get({ address: 'reader@post.example' })).topics.find(({ topic }) => topic === 'pier-news')?.wanted;
  const bare = await browser.newContext({ javaScriptEnabled: false });
  const page = await bare.newPage();
  page.setDefaultTimeout(LIMITS.element);
  await page.goto(link);
  expect(await wants()).toBe(true);
  await page.keyboard.press('Tab');
  await page.keyboard.press('Enter');
  await page.getByRole('heading', { name: 'Unsubscribed' }).waitFor();
  expect(await wants()).toBe(false);
  await page.getByRole('link', { name: 'All my choices' }).click();
  const box = page.getByRole('checkbox', { name: 'Pier news' });
  expect(await box.isChecked()).toBe(false);
  await box.focus();
  await page.keyboard.press('Space');
  await page.getByRole('button', { name: 'Save' }).focus();
  await page.keyboard.press('Enter');
  await page.getByRole('status').getByText('Saved.').waitFor();
  expect(await page.getByRole('checkbox', { name: 'Pier news' }).isChecked()).toBe(true);
  expect(await wants()).toBe(true);
  await page.getByRole('button', { name: 'None of these' }).click();
  await page.getByRole('status').waitFor();
  expect(await wants()).toBe(false);
  await bare.close();
});

browserTest('the topics in the console: what recipients see, how many have left', async () => {
  await operator.consents.add({ address: 'gone@post.example', topic: 'pier-news', kind: 'left', source: 'letter' });
  const page = await context.newPage();
  page.setDefaultTimeout(LIMITS.element);
  await signedIn(page, all.service.url, OPERATOR);
  await page.goto(`${all.service.url}/set-up/topics`);
  const row = page.getByRole('row', { name: /pier-news/ });
  await row.getByText('Optional: can be left').waitFor();
  expect(await row.textContent()).toMatch(/Every Wednesday\..*In en, fr, ar.*pier-bulletin/);
  expect(Number(/by recipient(\d+)pier-bulletin/.exec((await row.textContent()) ?? '')?.[1])).toBeGreaterThan(0);
  for (const width of [360, 1280]) {
    await page.setViewportSize({ width, height: 740 });
    const isWide = await page.evaluate(() => document.documentElement.scrollWidth > document.documentElement.clientWidth);
    expect([width, isWide, await axe(page)]).toEqual([width, false, []]);
  }
});
