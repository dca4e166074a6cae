import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, beforeEach, expect } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { axe, browserTest, launch, signedIn } from './support/browser.js';
import { LIMITS } from './support/limits.js';
import { PUBLIC } from './support/links.js';
import { DEMO_FOLDER, OPERATOR, startTestService, until, type TestService } from './support/service.js';

// The step Send in the console: signals, schedules, bulk sends.
let all: TestService;
let client: Client;
let browser: Browser;
let context: BrowserContext;
let page: Page;

const sample = (path: string) => JSON.parse(readFileSync(join(DEMO_FOLDER, path), 'utf8')) as { data: any };
const FOUND = sample('signals/samples/item-found.json').data;
const PAID = sample('signals/samples/booking-paid.json').data;

beforeAll(async () => {
  all = await startTestService({ change: { publicUrl: PUBLIC } });
  client = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
  browser = await launch();
});
afterAll(async () => {
  await browser.close();
  await all.stop();
});
beforeEach(async () => {
  context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  page = await context.newPage();
  page.setDefaultTimeout(LIMITS.element);
  await signedIn(page, all.service.url, OPERATOR);
});
afterEach(() => context.close());

const isWide = (): Promise<boolean> => page.evaluate(() => document.documentElement.scrollWidth > document.documentElement.clientWidth);
/** A row of a table with all of these words. */
const row = (...words: string[]) => words.reduce((found, hasText) => found.filter({ hasText }), page.getByRole('row'));
const at = (path: string): Promise<unknown> => page.goto(all.service.url + path);

browserTest('signals: what followed, one that waits is canceled, and one that was refused is tried again', async () => {
  await at('/send');
  await page.getByRole('link', { name: 'Signals' }).click();
  await page.getByText('No signal has come in').waitFor();
  expect(await axe(page)).toEqual([]);
  const bad = structuredClone(PAID);
  bad.passenger.email = 'nobody';
  await client.signal('booking.paid', PAID, { subject: 'SM-1042' });
  await client.signal('booking.paid', bad, { subject: 'SM-1050' });
  await client.signal('item.found', FOUND, { subject: 'LP-204' });
  await client.signal('ramp.closed', {}, { subject: 'ramp 2' });
  await row('SM-1042', 'sent').waitFor();
  await row('SM-1050', 'refused').waitFor();
  await row('ramp.closed', 'no rule is on this type').waitFor();
  await row('item-found', 'after 10 minutes, unless item.collected comes', '1 waiting').waitFor();
  expect(await axe(page)).toEqual([]);
  await page.setViewportSize({ width: 320, height: 700 });
  expect(await isWide()).toBe(false);
  await page.setViewportSize({ width: 1280, height: 800 });

  await page.getByRole('radio', { name: 'waiting' }).click();
  await row('SM-1042').waitFor({ state: 'detached' });
  await row('LP-204').click();
  await page.getByRole('heading', { name: 'item.found LP-204' }).waitFor();
  await page.getByText('its email is due later').waitFor();
  expect(await axe(page)).toEqual([]);
  await page.getByRole('button', { name: 'Cancel what waits' }).click();
  await page.getByRole('button', { name: 'Cancel it' }).click();
  await page.getByText('A person canceled it.').waitFor();
  expect((await client.signals.list({ type: 'item.found' })).signals[0]!.rules).toMatchObject([{ state: 'canceled' }]);

  const [refused] = (await client.signals.list({ state: 'refused' })).signals;
  await at(`/send/signals/${refused!.id}`);
  await page.getByText('is not a valid address').waitFor();
  await page.getByRole('button', { name: 'Try again' }).click();
  const before = refused!.rules[0]!.changedAt;
  await until(async () => ((await client.signals.get(refused!.id)).rules[0]!.changedAt > before ? true : undefined));
  const [sent] = (await client.signals.list({ state: 'sent' })).signals;
  await at(`/send/signals/${sent!.id}`);
  await page.getByRole('link', { name: 'The message' }).click();
  await page.getByRole('heading', { name: /SM-1042/ }).waitFor();
});

browserTest('bulk sends: how far one is, who was refused, paused and canceled', async () => {
  await at('/send/bulk-sends');
  await page.getByText('No bulk send yet').waitFor();
  expect(await axe(page)).toEqual([]);
  const data = sample('templates/pier-bulletin/samples/typical.json') as unknown as Record<string, unknown>;
  const list = [...Array.from({ length: 40 }, (_, i) => ({ to: `guest${i}@post.example` })), { to: 'nobody' }];
  const whole = { template: 'pier-bulletin', data, essential: false };
  await client.bulkSends.start({ ...whole, name: 'Bulletin of week 48', recipients: { list: list.toReversed() }, perMinute: 60 });
  await row('Bulletin of week 48', 'running').click();
  await page.getByRole('heading', { name: 'Bulletin of week 48' }).waitFor();
  await row('nobody', 'is not a valid address').waitFor();
  expect(await axe(page)).toEqual([]);
  await page.getByRole('button', { name: 'Pause' }).click();
  await page.getByText('reads no more until it is resumed').waitFor();
  await page.getByRole('button', { name: 'Resume' }).click();
  await page.getByText('reads its recipients').waitFor();
  await page.getByRole('button', { name: 'Cancel' }).click();
  await page.getByRole('button', { name: 'Cancel it' }).click();
  await page.getByText('ended before its time').waitFor();
  await page.setViewportSize({ width: 320, height: 700 });
  expect(await isWide()).toBe(false);
  expect((await client.bulkSends.list({})).bulkSends).toMatchObject([{ state: 'canceled' }]);
});

browserTest('schedules: when one runs next, a time is skipped, it is paused, and runs out of turn', async () => {
  await at('/send/schedules');
  await row('pier-bulletin', 'active', 'not yet').waitFor();
  expect(await axe(page)).toEqual([]);
  await page.setViewportSize({ width: 320, height: 700 });
  expect(await isWide()).toBe(false);
  await page.setViewportSize({ width: 1280, height: 800 });
  await row('pier-bulletin').click();
  await page.getByRole('heading', { name: 'pier-bulletin' }).waitFor();
  const times = page.getByRole('region', { name: 'Next times' }).getByRole('listitem');
  expect(await times.count()).toBe(5);
  expect(await axe(page)).toEqual([]);
  await times.nth(1).getByRole('button').click();
  await times.nth(1).getByText('skipped').waitFor();
  expect((await client.schedules.get('pier-bulletin')).next.map(({ skipped }) => skipped)).toEqual([false, true, false, false, false]);
  await times
    .nth(1)
    .getByRole('button', { name: /^Do not skip/ })
    .click();
  await times.nth(1).getByText('skipped').waitFor({ state: 'detached' });
  expect((await client.schedules.get('pier-bulletin')).next.some(({ skipped }) => skipped)).toBe(false);
  await page.getByRole('button', { name: 'Pause' }).click();
  await page.getByText('does not run until it is resumed').waitFor();
  expect(await times.count()).toBe(0);
  await page.getByRole('button', { name: 'Resume' }).click();
  await page.getByText('runs at its times').waitFor();
  await page.getByRole('button', { name: 'Run now' }).click();
  await page.getByRole('button', { name: 'Run it' }).click();
  await row('started', 'out of turn').waitFor();
  expect(await axe(page)).toEqual([]);
  await page.setViewportSize({ width: 320, height: 700 });
  expect(await isWide()).toBe(false);
  await page.setViewportSize({ width: 1280, height: 800 });
  // Nobody says who gets it here: its bulk send says that.
  await row('started').getByRole('link').click();
  await page.getByText('run of the schedule').waitFor();
  await page.getByText(/could not be reached|private network/).waitFor();
});
