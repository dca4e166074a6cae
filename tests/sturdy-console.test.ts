import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, expect } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { axe, browserTest, launch, signedIn } from './support/browser.js';
import { LIMITS } from './support/limits.js';
import { scaled } from './support/scale.js';
import { booking, DEMO_FOLDER, OPERATOR, startTestService, until, type TestService } from './support/service.js';

// The console for those who see it otherwise, on a slow way, with much in it; and what is published from it.

let all: TestService;
let harbour: Client;
let drydock: Client;
let browser: Browser;
let context: BrowserContext | undefined;
beforeAll(async () => {
  all = await startTestService();
  harbour = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
  drydock = createClient({ url: all.service.url, key: OPERATOR, space: 'drydock' });
  browser = await launch();
});
afterAll(async () => {
  await browser.close();
  await all.stop();
});
afterEach(async () => {
  await context?.close();
});

type PageOptions = Parameters<Browser['newContext']>[0];

/** A page that is signed in. @param path what it shows; nothing yet, when left out */
async function open(path: string | undefined, options: PageOptions = {}): Promise<Page> {
  context = await browser.newContext(options);
  const page = await context.newPage();
  page.setDefaultTimeout(LIMITS.element);
  await signedIn(page, all.service.url, OPERATOR);
  if (path !== undefined) await visit(page, path);
  return page;
}

async function visit(page: Page, path: string): Promise<void> {
  await page.goto(`${all.service.url}/in/${path}`);
  await page.getByRole('heading', { level: 1 }).waitFor();
}

browserTest('with forced colours, what is chosen, where one is and what has the focus can be told', async () => {
  await harbour.messages.send(booking('asa@post.example', 'SM-6101'));
  const page = await open('harbour/track?state=accepted', { forcedColors: 'active' });
  const looks = (name: string): Promise<{ back: string; line: string }> =>
    page.getByRole('radio', { name: new RegExp(`^${name}`) }).evaluate((element) => {
      const style = getComputedStyle(element);
      return { back: style.backgroundColor, line: style.outlineStyle };
    });
  expect((await looks('accepted')).back).not.toBe((await looks('failed')).back);
  const tab = (name: string): Promise<string> =>
    page
      .getByRole('navigation', { name: 'Track' })
      .getByRole('link', { name, exact: true })
      .evaluate((element) => getComputedStyle(element).borderBottomStyle);
  expect([await tab('Messages'), await tab('Returns')]).toEqual(['solid', 'none']);
  await page.keyboard.press('Tab');
  expect(await page.evaluate(() => getComputedStyle(document.activeElement ?? document.body).outlineStyle)).not.toBe('none');
  expect(await axe(page)).toEqual([]);
});

browserTest('with reduced motion nothing moves', async () => {
  const page = await open(undefined, { reducedMotion: 'reduce' });
  for (const path of ['harbour/track', 'harbour/track/figures', 'drydock/try', 'harbour/send']) {
    await visit(page, path);
    const moving = await page.evaluate(() =>
      [...document.querySelectorAll('*')].some((element) => {
        const { animationName, transitionDuration } = getComputedStyle(element);
        return animationName !== 'none' || !/^0s(?:, 0s)*$/.test(transitionDuration);
      }),
    );
    expect([path, moving]).toEqual([path, false]);
  }
});

browserTest('with letters twice as large, nothing is cut off', async () => {
  // 1280 px at 200 % are 640 px of the page's own.
  const page = await open(undefined, { viewport: { width: 640, height: 400 }, deviceScaleFactor: 2 });
  for (const path of ['harbour/track', 'harbour/send', 'harbour/set-up/keys', 'harbour/write', 'drydock/try']) {
    await visit(page, path);
    expect([path, await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth)]).toEqual([path, 0]);
  }
});

browserTest('while an answer is on its way, a page does not say that there is nothing', async () => {
  await harbour.messages.send(booking('slow@post.example', 'SM-6102'));
  const page = await open('harbour/set-up/spaces');
  for (const [api, path, empty, shown] of [
    ['messages', 'track', 'Nothing has been sent here yet', 'slow@post.example'],
    ['queue', 'send', 'The queue is empty', ''],
    ['suppressions', 'track/suppressions', 'No address is suppressed', ''],
    ['templates', 'write', 'Nothing is published to this space yet', 'booking-confirmed'],
  ] as const) {
    const held: (() => void)[] = [];
    await page.route(`**/v1/${api}*`, (route) => {
      held.push(() => void route.continue());
    });
    await page.goto(`${all.service.url}/in/harbour/${path}`);
    await page.getByRole('heading', { level: 1 }).waitFor();
    await until(() => (held.length > 0 ? true : undefined));
    expect([path, await page.getByText(empty, { exact: true }).count()]).toEqual([path, 0]);
    for (const go of held) go();
    await page.unroute(`**/v1/${api}*`);
    if (shown !== '') await page.getByText(shown).first().waitFor();
  }
});

browserTest('many messages: the page stays short, any of them is found, and all can be saved', async () => {
  const [batches, SIZE] = [scaled(1, 10), scaled(600, 1000)];
  for (let batch = 0; batch < batches; batch += 1)
    await drydock.messages.sendBatch({
      mode: 'all',
      messages: Array.from({ length: SIZE }, (_, i) => {
        const n = batch * SIZE + i;
        return { to: [`many-${n}@post.example`], subject: `Number ${n}`, text: 'x', reference: `MANY-${n}` };
      }),
    });
  const page = await open('drydock/track');
  const rows = page.getByRole('grid', { name: 'Messages' }).getByRole('row');
  await rows.filter({ hasText: `many-${batches * SIZE - 1}@post.example` }).waitFor();
  expect(await rows.count()).toBeLessThanOrEqual(51);
  // More comes as one goes down the page.
  await until(async () => {
    await page.mouse.wheel(0, 100_000);
    return (await rows.count()) > scaled(250, 600) ? true : undefined;
  });
  expect(await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth)).toBe(0);
  await page.goto(`${all.service.url}/in/drydock/search?q=MANY-17`);
  await page.getByRole('row').filter({ hasText: 'many-17@post.example' }).first().waitFor();
  await page.goto(`${all.service.url}/in/drydock/track`);
  const download = page.waitForEvent('download');
  await page.getByRole('button', { name: /CSV/ }).click();
  const file = join(all.folder, 'saved.csv');
  await (await download).saveAs(file);
  expect(readFileSync(file, 'utf8').trim().split('\n').length).toBeGreaterThan(batches * SIZE);
});

browserTest('a mail folder is published from the page, and one with errors is refused with their places', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'verbalis-published-'));
  const mail = join(folder, 'mail');
  cpSync(DEMO_FOLDER, mail, { recursive: true });
  writeFileSync(join(mail, '.notes'), 'not part of it');
  const page = await open('harbour/write/editions');
  const choose = async (): Promise<void> => {
    const chooser = page.waitForEvent('filechooser');
    await page.getByRole('button', { name: /^Publish a mail folder/ }).click();
    await (await chooser).setFiles(mail);
  };
  await choose();
  expect(await axe(page)).toEqual([]);
  await page.getByRole('button', { name: 'Publish it' }).click();
  await page.getByText('Nothing differs from edition 1.').waitFor();

  const template = join(mail, 'templates/sign-in-code/message.md');
  writeFileSync(template, '---\nsubject: "Code {{ code }}"\ntopic: account\n---\n# {{ cod }}\n');
  await choose();
  await page.getByRole('button', { name: 'Publish it' }).click();
  await page.getByText(/templates\/sign-in-code\/message\.md:5/).waitFor();
  expect(await axe(page)).toEqual([]);
  expect((await harbour.editions.list()).editions).toHaveLength(1);

  writeFileSync(template, '---\nsubject: "Code {{ code }}"\ntopic: account\n---\n# {{ code }}\n');
  await choose();
  await page.getByRole('button', { name: 'Publish it' }).click();
  await page.getByText('Edition 2 is in use: 1 file differs from the one before.').waitFor();
  await page.getByRole('row').filter({ hasText: 'in use' }).filter({ hasText: '2' }).waitFor();
  rmSync(folder, { recursive: true });
});

browserTest('a page whose script is not there shows so, leaves the others usable, and is loaded again when asked for', async () => {
  const page = await open('harbour/track');
  const script = '**/assets/figures-*.js';
  await page.route(script, (route) => route.fulfill({ status: 404 }));
  const tabs = page.getByRole('navigation', { name: 'Track' });
  await tabs.getByRole('link', { name: 'Figures', exact: true }).click();
  await page.getByRole('heading', { name: 'This page cannot be shown' }).waitFor();
  await page.getByText('/assets/figures-').waitFor();
  expect(await axe(page)).toEqual([]);
  await page.getByRole('navigation', { name: 'Steps of the work' }).getByRole('link', { name: 'Track' }).click();
  await page.getByRole('heading', { name: 'Messages' }).waitFor();
  await tabs.getByRole('link', { name: 'Figures', exact: true }).click();
  await page.unroute(script);
  await page.getByRole('button', { name: 'Load it again' }).click();
  await page.getByRole('heading', { name: 'Figures' }).waitFor();
});
