import { cpSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from '@jest/globals';
import { startPreview, type Preview } from '@verbalis/service/preview';
import type { Browser, BrowserContext, Locator, Page } from 'playwright-core';
import { LIMITS } from './support/limits.js';
import { axe, browserTest, launch } from './support/browser.js';
import { DEMO_FOLDER, temporaryFolder, until } from './support/service.js';

// The local page for a mail folder, as its writer meets it: a copy of the demo's folder, in headless Chromium.
const folder = temporaryFolder();
const mail = join(folder.path, 'mail');
const SOURCE = join(mail, 'templates/booking-confirmed/message.md');
const original = readFileSync(join(DEMO_FOLDER, 'templates/booking-confirmed/message.md'), 'utf8');
let preview: Preview;
let large: Preview | undefined;
let browser: Browser;
let context: BrowserContext;
let page: Page;
const foreign: string[] = [];
const complaints: string[] = [];

beforeAll(async () => {
  cpSync(DEMO_FOLDER, mail, { recursive: true });
  preview = await startPreview({ folder: mail, host: '127.0.0.1', port: 0, editable: true });
  browser = await launch();
});
afterAll(async () => {
  await browser.close();
  await preview.stop();
  folder.remove();
});
beforeEach(async () => {
  writeFileSync(SOURCE, original);
  context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  page = await context.newPage();
  page.setDefaultTimeout(LIMITS.element);
  page.on('request', (request) => {
    if (![preview.url, large?.url ?? preview.url].some((text) => request.url().startsWith(text)) && !request.url().startsWith('data:'))
      foreign.push(request.url());
  });
  page.on('console', (message) => {
    // An email's frame runs no scripts, and says so of those that the browser's driver puts in.
    if (message.type() === 'error' && !/sandboxed|40[49]|422/.test(message.text())) complaints.push(message.text());
  });
});
afterEach(() => context.close());

const frame = () => page.frameLocator('iframe[title="Mail"]:visible');
const open = async (query = ''): Promise<void> => {
  await page.goto(`${preview.url}/write/templates/booking-confirmed${query}`);
  await frame().getByRole('heading', { level: 1 }).waitFor();
};
/** A picture for whoever wants to look: PICTURES names a folder. */
const picture = async (name: string): Promise<void> => {
  const to = process.env['PICTURES'];
  if (to !== undefined) await page.screenshot({ path: `${to}/${name}.png`, animations: 'disabled' });
};

browserTest('all templates with their state, and the way to one of them', async () => {
  await page.goto(preview.url);
  await page.getByRole('row', { name: /booking-confirmed/ }).waitFor();
  expect(await page.getByRole('row').count()).toBe(8);
  await page.getByText('✓ fine').first().waitFor();
  expect(await axe(page)).toEqual([]);
  await picture('preview-templates');
  await page.getByRole('row', { name: /sign-in-code/ }).click();
  await frame().getByText('493 027').first().waitFor();
});

browserTest('every switch: widths, dark, pictures off, styles stripped, text, HTML, whole mail, links', async () => {
  await open();
  await picture('preview-template');
  expect(await axe(page)).toEqual([]);
  const shell = page.locator('iframe[title="Mail"]:visible');
  const wide = async () => (await shell.boundingBox())?.width ?? 0;
  const desktop = await wide();
  await page.getByRole('radio', { name: 'Phone' }).click();
  expect(await wide()).toBeLessThan(380);
  await picture('preview-phone');
  await page.getByRole('radio', { name: 'Free' }).click();
  await page.getByRole('radio', { name: 'Desktop' }).click();
  expect(Math.abs((await wide()) - desktop)).toBeLessThan(2);

  const background = () =>
    frame()
      .locator('body')
      .evaluate((node) => getComputedStyle(node).backgroundColor);
  const light = await background();
  await page.getByRole('button', { name: 'Dark' }).click();
  await frame().getByRole('heading', { level: 1 }).waitFor();
  await page.waitForFunction(
    (was) => {
      const shown = [...document.querySelectorAll('iframe')].find((frame) => frame.offsetParent !== null && frame.title === 'Mail');
      return shown?.contentDocument?.body && getComputedStyle(shown.contentDocument.body).backgroundColor !== was;
    },
    light,
    { timeout: LIMITS.element },
  );
  await picture('preview-dark');
  await page.getByRole('button', { name: 'Dark' }).click();
  await page.getByRole('button', { name: 'Styles stripped' }).click();
  await page.waitForFunction(() => {
    const shown = [...document.querySelectorAll('iframe')].find((frame) => frame.offsetParent !== null && frame.title === 'Mail');
    return shown?.contentDocument?.querySelector('h1') !== null && shown?.contentDocument?.querySelector('style') === null;
  });
  await page.getByRole('button', { name: 'Pictures off' }).click();
  expect(page.url()).toMatch(/pictures=off/);
  expect(page.url()).toMatch(/styles=stripped/);

  await page.getByRole('radio', { name: 'Text' }).click();
  expect(await page.getByLabel('Text part').textContent()).toContain('Change this booking: https://');
  await page.getByRole('radio', { name: 'HTML' }).click();
  await page.getByText('<!doctype html>', { exact: false }).first().waitFor();
  await page.getByRole('radio', { name: 'Whole mail' }).click();
  await page.getByText('MIME-Version: 1.0').first().waitFor();
  await page.getByRole('radio', { name: 'Links' }).click();
  expect(await page.getByRole('list', { name: 'Links' }).textContent()).toContain('Change this booking');
  expect(await axe(page)).toEqual([]);
});

browserTest('sample and locale; data in a form with its problems', async () => {
  await open();
  await page.getByRole('button', { name: /Locale/ }).click();
  await page.getByRole('option', { name: 'fr', exact: true }).click();
  await frame().locator('html[lang="fr"]').waitFor();
  await page.getByRole('button', { name: /Sample/ }).click();
  await page.getByRole('option', { name: 'nasty' }).click();
  expect(page.url()).toContain('sample=nasty');
  await page.getByRole('radio', { name: 'Data' }).click();
  await page.getByRole('button', { name: 'Add givenName' }).click();
  const field = page.getByLabel(/givenName/).first();
  await field.fill('Þórunn');
  await page.getByRole('radio', { name: 'Mail', exact: true }).click();
  await frame().getByText('Þórunn').first().waitFor();
  await page.getByRole('radio', { name: 'Data' }).click();
  await picture('preview-data');
  expect(await axe(page)).toEqual([]);
  await page
    .getByLabel(/currency/)
    .first()
    .fill('euro');
  await page.getByRole('alert').first().waitFor();
});

browserTest('what is typed is seen, and what is wrong is said with its line, without a file being written', async () => {
  await open();
  const editor = page.locator('.cm-content');
  await editor.click();
  await page.keyboard.press('Control+End');
  await page.keyboard.type('\n\nand more');
  await frame().getByText('and more').first().waitFor();
  await page.keyboard.type(' {{ booking.refrence }}');
  await page.getByRole('alert').waitFor();
  const problems = page.getByRole('list', { name: 'Problems and suggestions' });
  await problems.getByText('refrence').first().waitFor();
  expect(await problems.textContent()).toMatch(/reference/);
  await picture('preview-problems');
  expect(await axe(page)).toEqual([]);
  await problems.getByRole('button').first().click();
  expect(await page.evaluate(() => document.activeElement?.classList.contains('cm-content'))).toBe(true);
  expect(readFileSync(SOURCE, 'utf8')).toBe(original);
  await page.getByRole('button', { name: 'Take back' }).click();
  await frame().getByText('and more').first().waitFor({ state: 'detached' });
});

browserTest('with leave to write, Ctrl+S saves', async () => {
  await open();
  await page.locator('.cm-content').click();
  await page.keyboard.press('Control+End');
  await page.keyboard.type('\n\nSafe crossing!\n');
  await page.keyboard.press('Control+s');
  await expect(
    (async () => {
      for (let i = 0; i < 100 && !readFileSync(SOURCE, 'utf8').includes('Safe crossing!'); i += 1)
        await new Promise((done) => setTimeout(done, 20));
      return readFileSync(SOURCE, 'utf8');
    })(),
  ).resolves.toContain('Safe crossing!');
});

browserTest('a template is mended with the keyboard alone, in at most 8 actions from the start page', async () => {
  writeFileSync(SOURCE, original.replace('{{ passenger.givenName', '{{ passenger.givnName'));
  await page.goto(preview.url);
  await page.getByRole('row', { name: /booking-confirmed.*error/ }).waitFor();
  let actions = 0;
  const press = async (target: Locator): Promise<void> => {
    for (let i = 0; i < 80 && !(await target.evaluate((element) => element === document.activeElement)); i += 1) {
      if (await page.evaluate(() => document.activeElement?.classList.contains('cm-content') === true)) await page.keyboard.press('Escape');
      await page.keyboard.press('Tab');
    }
    await page.keyboard.press('Enter');
    actions += 1;
  };
  // What needs attention leads to the template, and each problem to its line.
  await press(page.getByRole('list', { name: 'Needs attention' }).getByRole('link').first());
  const problems = page.getByRole('list', { name: 'Problems and suggestions' });
  const problem = problems.getByRole('listitem').filter({ hasText: 'givnName' }).getByRole('button').first();
  await problem.waitFor();
  await press(problem);
  expect(await page.evaluate(() => document.activeElement?.classList.contains('cm-content'))).toBe(true);
  const mended = readFileSync(SOURCE, 'utf8').replace('givnName', 'givenName');
  await page.keyboard.press('Control+a');
  await page.keyboard.press('Delete');
  await page.keyboard.insertText(mended);
  actions += 3;
  await page.keyboard.press('Control+s');
  actions += 1;
  await until(() => (readFileSync(SOURCE, 'utf8') === original ? true : undefined));
  expect(actions).toBeLessThanOrEqual(8);
});

browserTest('keyboard alone reaches the source, the switches and the problems; 360 px holds it', async () => {
  await page.setViewportSize({ width: 360, height: 760 });
  await open();
  expect(await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth)).toBeLessThanOrEqual(0);
  expect(await axe(page)).toEqual([]);
  const reached = new Set<string>();
  await page.locator('a').first().focus();
  for (let i = 0; i < 60; i += 1) {
    // Tab would be typed in the editor; Escape gives it back.
    await page.keyboard.press('Escape');
    await page.keyboard.press('Tab');
    reached.add(
      await page.evaluate(() => {
        const at = document.activeElement;
        return at?.classList.contains('cm-content') === true ? 'source' : (at?.textContent ?? '').trim().slice(0, 20);
      }),
    );
  }
  expect([...reached]).toEqual(expect.arrayContaining(['source', 'Mail', 'Dark', 'Styles stripped']));
});

browserTest('a saved file is seen at once, and how fast is said', async () => {
  await open();
  const took: number[] = [];
  for (let i = 0; i < 15; i += 1) {
    const words = `Crossing number ${i} of today`;
    const from = Date.now();
    writeFileSync(SOURCE, original.replace(/^# .*/m, `# ${words}`));
    await page.waitForFunction(
      (text) =>
        [...document.querySelectorAll('iframe')].some(
          (frame) => frame.offsetParent !== null && frame.contentDocument?.querySelector('h1')?.textContent?.includes(text) === true,
        ),
      words,
      { polling: 'raf' },
    );
    took.push(Date.now() - from);
  }
  const median = [...took].sort((a, b) => a - b)[7];
  process.stderr.write(`preview: from saving a file to the new mail in the browser: median ${median} ms (${took.join(', ')})\n`);
  expect(took).toHaveLength(15);
});

describe('a folder of 300 templates', () => {
  browserTest('opens, and says how fast', async () => {
    const many = join(folder.path, 'many');
    cpSync(DEMO_FOLDER, many, { recursive: true });
    for (let i = 0; i < 293; i += 1)
      cpSync(join(DEMO_FOLDER, 'templates/booking-confirmed'), join(many, `templates/booking-${String(i).padStart(3, '0')}`), {
        recursive: true,
      });
    mkdirSync(many, { recursive: true });
    const from = Date.now();
    large = await startPreview({ folder: many, host: '127.0.0.1', port: 0, editable: false });
    const started = Date.now() - from;
    const opened = Date.now();
    await page.goto(large.url);
    await page.getByRole('row', { name: /booking-000/ }).waitFor();
    const shown = Date.now() - opened;
    await page.getByLabel('Name').fill('booking-292');
    await page.getByRole('row', { name: /booking-292/ }).waitFor();
    process.stderr.write(`preview: a folder of 300 templates is read in ${started} ms, and its page opens in ${shown} ms\n`);
    await page.goto('about:blank');
    await large.stop();
  });
});

test('without leave it writes nothing, and what has changed meanwhile is not written over', async () => {
  const put = (url: string, body: unknown) =>
    fetch(`${url}/v1/templates/files`, {
      method: 'PUT',
      headers: { 'content-type': 'application/json', 'verbalis-console': '1' },
      body: JSON.stringify(body),
    });
  const closed = await startPreview({ folder: mail, host: '127.0.0.1', port: 0, editable: false });
  const path = 'templates/booking-confirmed/message.md';
  expect((await put(closed.url, { path, text: 'x', was: original })).status).toBe(409);
  await closed.stop();
  expect((await put(preview.url, { path, text: 'x', was: 'something older' })).status).toBe(409);
  expect((await put(preview.url, { path: '../outside.md', text: 'x', was: '' })).status).toBe(409);
  expect(readFileSync(SOURCE, 'utf8')).toBe(original);
});

test('nothing was asked of another host, and the browser had nothing to complain about', () => {
  expect(foreign).toEqual([]);
  expect(complaints).toEqual([]);
});
