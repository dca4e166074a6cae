import { afterAll, beforeAll, expect } from '@jest/globals';
import type { Browser } from 'playwright-core';
import { axe, browserTest, launch, signInWithSecret } from './support/browser.js';
import { OPERATOR, startTestService, type TestService } from './support/service.js';

// The documentation as the service serves it. It must be built: verify does that before.
let all: TestService;
let browser: Browser;
beforeAll(async () => {
  all = await startTestService({});
  browser = await launch();
});
afterAll(async () => {
  await browser.close();
  await all.stop();
});

browserTest('it is found from the console, is read, and is searched, without anything from elsewhere', async () => {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  const complaints: string[] = [];
  page.on('console', (message) => {
    if (message.type() === 'error') complaints.push(message.text());
  });
  page.on('request', (request) => {
    if (!request.url().startsWith(all.service.url)) complaints.push(request.url());
  });
  await signInWithSecret(page, all.service.url, OPERATOR);
  await page.getByRole('heading', { name: 'Messages', exact: true }).waitFor();
  complaints.length = 0;
  await page.getByRole('link', { name: 'Documentation' }).click();
  await page.getByRole('heading', { name: 'Verbalis documentation' }).waitFor();
  expect(await axe(page)).toEqual([]);
  await page.getByRole('navigation').getByRole('link', { name: 'Command line' }).click();
  await page.getByRole('heading', { name: 'Command line', level: 1 }).waitFor();
  expect(await axe(page)).toEqual([]);
  await page.keyboard.press('/');
  await page.keyboard.type('exit stat');
  await page.getByRole('link', { name: 'Exit status Command line' }).waitFor();
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await page.waitForURL('**/docs/reference/cli.html#exit-status');
  await page.fill('#search', 'zzqqxx');
  await page.getByText('Nothing found for “zzqqxx”.').waitFor();
  await page.keyboard.press('Escape');
  expect(await page.locator('#found').isVisible()).toBe(false);
  expect(complaints).toEqual([]);
  // On a phone the list of pages is folded, and nothing is wider than the page.
  await page.setViewportSize({ width: 375, height: 800 });
  await page.goto(`${all.service.url}/docs/reference/configuration.html`);
  expect(await page.getByRole('navigation').isVisible()).toBe(false);
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(375);
  const missing = await fetch(`${all.service.url}/docs/nothing.html`);
  expect([missing.status, missing.headers.get('content-security-policy')]).toEqual([404, expect.stringContaining("default-src 'none'")]);
});
