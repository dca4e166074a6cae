import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, afterEach, beforeAll, beforeEach, expect, test } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { foreignMail } from '@verbalis/core/mime';
import { SmtpConnection } from '@verbalis/service/smtp';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { LIMITS } from './support/limits.js';
import { axe, browserTest, launch, signedIn } from './support/browser.js';
import { scaled } from './support/scale.js';
import { booking, DEMO_FOLDER, OPERATOR, startTestService, type TestService } from './support/service.js';

// The steps Write and Try of the console, and what hostile mail can do there: nothing.
let all: TestService;
let drydock: Client;
let browser: Browser;
let context: BrowserContext;
let page: Page;
/** Someone else's server: whoever asks it for anything was made to by an email. */
let trap: Server;
let trapUrl: string;
const trapped: string[] = [];
const foreign: string[] = [];

beforeAll(async () => {
  trap = createServer((request, response) => {
    trapped.push(request.url ?? '');
    response.end();
  });
  await new Promise<void>((done) => trap.listen(0, '127.0.0.1', done));
  trapUrl = `http://127.0.0.1:${(trap.address() as AddressInfo).port}`;
  all = await startTestService({
    change: {
      submission: { port: 0, openTo: 'drydock' },
      limits: { bodyBytes: 40_000_000 },
      spaces: {
        harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'], recipients: { allowed: ['*@post.example'] } },
        drydock: { mode: 'capture', mailFolder: DEMO_FOLDER, mark: { text: '[drydock]' } },
      },
    },
  });
  drydock = createClient({ url: all.service.url, key: OPERATOR, space: 'drydock' });
  browser = await launch();
});
afterAll(async () => {
  await browser.close();
  await all.stop();
  trap.close();
});
beforeEach(async () => {
  context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  page = await context.newPage();
  page.setDefaultTimeout(LIMITS.element);
  // What the page's policy stops is no answer of anybody's.
  page.on('response', (response) => {
    if (!response.url().startsWith(all.service.url) && !response.url().startsWith('data:')) foreign.push(response.url());
  });
  page.on('dialog', (dialog) => {
    trapped.push(`dialog ${dialog.message()}`);
    void dialog.dismiss();
  });
});
afterEach(() => context.close());

const signIn = async (path = '/try'): Promise<void> => {
  if ((await context.cookies()).length === 0) {
    await signedIn(page, all.service.url, OPERATOR);
    await page.addInitScript(() => {
      if (window.origin.startsWith('http')) localStorage.setItem('verbalis.space', 'drydock');
    });
  }
  await page.goto(all.service.url + path);
};
const submit = async (bytes: string, to = 'victim@post.example'): Promise<void> => {
  const connection = new SmtpConnection({ host: '127.0.0.1', port: all.service.submissionPort ?? 0, helloName: 'app.example' });
  expect(await connection.open()).toBe('ready');
  expect(await connection.deliver({ from: 'app@app.example', to }, foreignMail(Buffer.from(bytes)))).toMatchObject({ kind: 'accepted' });
  connection.close();
};
const picture = async (name: string): Promise<void> => {
  const to = process.env['PICTURES'];
  if (to !== undefined) await page.screenshot({ path: `${to}/${name}.png`, animations: 'disabled' });
};

browserTest('an empty box teaches; mail arrives by itself; search, recipients, clearing', async () => {
  await signIn();
  await page.getByRole('heading', { level: 1, name: 'Captured mail' }).waitFor();
  await page.getByText(String(all.service.submissionPort)).first().waitFor();
  await page.getByLabel('Rules of this space').getByText('drydock captures').waitFor();
  expect(await axe(page)).toEqual([]);
  await drydock.messages.send(booking('Ása <asa@post.example>', 'SM-8001'));
  await page.getByRole('row', { name: /asa@post/ }).waitFor();
  await submit('From: Till <till@app.example>\r\nSubject: Your code\r\n\r\nYour code\r\n\r\n  204 816\r\n', 'nour@post.example');
  await page.getByText('204816').waitFor();
  await picture('captured-list');
  expect(await axe(page)).toEqual([]);
  await page.getByLabel('Words in it').fill('204');
  await page.keyboard.press('Enter');
  await page.getByRole('row', { name: /asa@post/ }).waitFor({ state: 'detached' });
  expect(page.url()).toContain('find=204');
  await page.goto(`${all.service.url}/try?to=asa%40post.example`);
  await page.getByRole('row', { name: /asa@post/ }).waitFor();
  expect(await page.getByRole('row').count()).toBe(2);
});

browserTest('the reader: mail, text, headers, source, attachments, links, codes, and what becomes of it', async () => {
  await drydock.messages.send({
    ...booking('Ása <reader@post.example>', 'SM-8002'),
    attachments: [{ name: 'ticket.pdf', type: 'application/pdf', content: Buffer.from('%PDF-1.4 made up').toString('base64') }],
  });
  const { id, messageId } = await drydock.captured.waitFor({ to: 'reader@post.example' });
  await signIn(`/try/${id}`);
  await page.frameLocator('iframe[title="HTML part"]').getByRole('heading', { level: 1 }).waitFor();
  await picture('captured-mail');
  expect(await axe(page)).toEqual([]);
  await page.getByRole('radio', { name: 'Text' }).click();
  expect(await page.getByLabel('Text part').textContent()).toContain('SM-8002');
  await page.getByRole('radio', { name: 'Headers' }).click();
  await page.getByText('auto-submitted').waitFor();
  await page.getByRole('radio', { name: 'Source' }).click();
  await page.getByLabel('Source').getByText('MIME-Version: 1.0').waitFor();
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'ticket.pdf' }).click()]);
  expect(download.suggestedFilename()).toBe('ticket.pdf');
  await page.getByText('https://saltmarsh-ferries.example/bookings/SM-8002').first().waitFor();
  await page.getByText('Simulate an outcome').click();
  await page.getByRole('button', { name: 'Simulate', exact: true }).click();
  await page.getByText('Simulated:').waitFor();
  expect(await axe(page)).toEqual([]);
  await page.getByRole('link', { name: 'its timeline' }).last().click();
  await page.getByText('mailbox is full').first().waitFor();
  expect(page.url()).toContain(messageId);
});

browserTest('keyboard alone: "/" finds by address, subject, reference and id; an email is opened and taken away', async () => {
  await drydock.messages.send(booking('key@post.example', 'SM-8003'));
  const { id } = await drydock.captured.waitFor({ to: 'key@post.example' });
  await signIn();
  await page.getByRole('row', { name: /key@post/ }).waitFor();
  for (const words of ['key@post', 'SM-8003', 'Booking SM-8003', id]) {
    await page.locator('h1').first().click();
    await page.keyboard.press('/');
    await page.keyboard.press('Control+a');
    await page.keyboard.type(words);
    await page.keyboard.press('Enter');
    await page.waitForURL(/\/search/);
    await page.getByText('SM-8003').first().waitFor();
  }
  await picture('search');
  expect(await axe(page)).toEqual([]);
  await page.goto(`${all.service.url}/try/${id}`);
  await page.getByText('Envelope and file').focus();
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Remove', exact: true }).focus();
  await page.keyboard.press('Enter');
  await page.waitForURL(/\/try$/);
});

browserTest('Write shows the edition in use, read only, and the difference between editions', async () => {
  await signIn('/write');
  await page.getByRole('row', { name: /sign-in-code/ }).waitFor();
  await page.getByText('Edition 1').first().waitFor();
  await page.getByRole('row', { name: /sign-in-code/ }).click();
  await page.frameLocator('iframe[title="Mail"]:visible').getByText('493 027').first().waitFor();
  expect(await page.getByRole('button', { name: 'Save' }).count()).toBe(0);
  expect(await axe(page)).toEqual([]);
  await page.getByLabel('To', { exact: true }).fill('tester@post.example');
  await page.getByRole('button', { name: 'Send', exact: true }).click();
  await page.getByRole('link', { name: 'Look at it' }).click();
  await page.frameLocator('iframe[title="HTML part"]').getByText('493 027').first().waitFor();
  await page.goto(`${all.service.url}/write/editions`);
  await page.getByRole('heading', { level: 1, name: 'Editions' }).waitFor();
  expect(await axe(page)).toEqual([]);
  await picture('editions');
});

browserTest('a restricted space says so on every page, and a capturing one cannot be taken for a delivering one', async () => {
  await signIn('/send');
  await page.getByLabel('Rules of this space').getByText('Nothing that is sent here leaves').waitFor();
  await page.getByText('◇ captures').first().waitFor();
  await page.getByRole('button', { name: /Space/ }).click();
  await page.getByRole('option', { name: /harbour/ }).click();
  await page.getByText('● delivers').first().waitFor();
  await page.getByLabel('Rules of this space').getByText('harbour is restricted').waitFor();
  expect(await page.getByLabel('Rules of this space').textContent()).toContain('*@post.example');
});

browserTest('at 360 px and in the dark, list and reader hold', async () => {
  await submit('From: a@b.example\r\nSubject: Narrow\r\n\r\nhello\r\n', 'narrow@post.example');
  const { id } = await drydock.captured.waitFor({ to: 'narrow@post.example' });
  await page.emulateMedia({ colorScheme: 'dark' });
  await page.setViewportSize({ width: 360, height: 760 });
  for (const path of ['/try', `/try/${id}`, '/write', '/write/templates/booking-confirmed', '/write/editions', '/search?q=asa']) {
    await signIn(path);
    await page.getByRole('heading', { level: 1 }).waitFor();
    await page.waitForFunction(() => document.querySelector('[role="status"]')?.textContent?.startsWith('Reading') !== true);
    expect({ path, wide: await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth) }).toEqual({ path, wide: 0 });
    expect(await axe(page)).toEqual([]);
  }
  await picture('captured-mail-phone');
});

const html = (body: string, head = ''): string =>
  `From: Evil <evil@evil.example>\r\nTo: victim@post.example\r\nSubject: =?utf-8?q?<script>alert(1)</script>?=\r\nMIME-Version: 1.0\r\nContent-Type: text/html; charset=utf-8\r\n\r\n<html><head>${head}</head><body><h2>hostile</h2>${body}</body></html>\r\n`;

const HOSTILE: readonly (readonly [string, () => string])[] = [
  [
    'scripts',
    () =>
      html(
        `<script>top.pwned=1;fetch('${trapUrl}/script')</script><img src=x onerror="top.pwned=2;fetch('${trapUrl}/onerror')"><svg onload="top.pwned=3"><a href="javascript:top.pwned=4">x</a>`,
      ),
  ],
  [
    'forms',
    () =>
      html(
        `<form action="${trapUrl}/form" method="post" id="f"><input autofocus onfocus="this.form.submit()"><button formaction="${trapUrl}/button">Sign in again</button></form>`,
      ),
  ],
  [
    'meta refresh and base',
    () =>
      html(
        'x',
        `<meta http-equiv="refresh" content="0;url=${trapUrl}/refresh"><base href="${trapUrl}/"><link rel="stylesheet" href="${trapUrl}/css"><link rel="prefetch" href="${trapUrl}/prefetch"><link rel="dns-prefetch" href="//evil.example">`,
      ),
  ],
  [
    'remote pictures of every kind',
    () =>
      html(
        `<img src="${trapUrl}/img" srcset="${trapUrl}/srcset 2x"><table background="${trapUrl}/background"><tr><td>x</table><video poster="${trapUrl}/poster" src="${trapUrl}/video" autoplay></video><audio src="${trapUrl}/audio" autoplay></audio><object data="${trapUrl}/object"></object><embed src="${trapUrl}/embed"><iframe src="${trapUrl}/iframe"></iframe><iframe srcdoc="<img src='${trapUrl}/srcdoc'>"></iframe><svg><image href="${trapUrl}/svg"/></svg><input type="image" src="${trapUrl}/input">`,
      ),
  ],
  [
    'CSS that breaks out',
    () =>
      html(
        'x',
        `<style>@import url(${trapUrl}/import);body{background:url(${trapUrl}/url);position:fixed;inset:0;z-index:99999}@font-face{font-family:f;src:url(${trapUrl}/font)}*{font-family:f}</style></style><style>h1,nav,button{display:none!important}</style>`,
      ),
  ],
  [
    'cid tricks',
    () =>
      `From: a@b.example\r\nTo: victim@post.example\r\nSubject: cid\r\nMIME-Version: 1.0\r\nContent-Type: multipart/related; boundary=b\r\n\r\n--b\r\nContent-Type: text/html\r\n\r\n<h2>hostile</h2><img src="cid:a"><iframe src="cid:a"></iframe><a href="cid:a">x</a><img src="cid:b">\r\n--b\r\nContent-Type: image/svg+xml\r\nContent-ID: <a>\r\n\r\n<svg xmlns="http://www.w3.org/2000/svg" onload="top.pwned=5"><image href="${trapUrl}/cidsvg"/><script>top.pwned=6</script></svg>\r\n--b\r\nContent-Type: text/html\r\nContent-ID: <b>\r\n\r\n<script>top.pwned=7</script>\r\n--b--\r\n`,
  ],
  [
    '500 parts',
    () =>
      `From: a@b.example\r\nTo: victim@post.example\r\nSubject: parts\r\nMIME-Version: 1.0\r\nContent-Type: multipart/mixed; boundary=b\r\n\r\n${Array.from({ length: 500 }, (_, i) => `--b\r\nContent-Type: text/html; name="../../<img src=x onerror=alert(${i})>.html"\r\nContent-Disposition: ${i === 0 ? 'inline' : 'attachment'}\r\n\r\n<h2>hostile</h2><script>top.pwned=8</script>\r\n`).join('')}--b--\r\n`,
  ],
  [
    'broken MIME',
    () =>
      `From: a@b.example\r\nSubject: \r\nMIME-Version: 1.0\r\nContent-Type: multipart/mixed; boundary="\r\nContent-Transfer-Encoding: base64\r\n\r\n--\r\nContent-Type: text/html\r\n\r\n<h2>hostile</h2><script>top.pwned=9</script>`,
  ],
  [
    'megabytes of HTML',
    () => html(`<script>top.pwned=10</script>${'<p>line of a very long mail</p>\r\n'.repeat(scaled(150_000, 780_000))}`),
  ],
];

browserTest('hostile mail can do nothing: no script runs, no request leaves, nothing around it changes', async () => {
  for (const [name, make] of HOSTILE) {
    await drydock.captured.clear({ to: 'victim@post.example' });
    await submit(make());
    const { id } = await drydock.captured.waitFor({ to: 'victim@post.example' });
    await signIn(`/try/${id}`);
    await page.getByRole('heading', { level: 1 }).first().waitFor();
    const frame = page.locator('iframe[title="HTML part"]');
    if ((await frame.count()) > 0) {
      expect(await frame.getAttribute('sandbox')).toBe('');
      await page.frameLocator('iframe[title="HTML part"]').getByRole('heading', { name: 'hostile' }).first().waitFor();
    }
    for (const view of ['Text', 'Headers', 'Source']) {
      await page.getByRole('radio', { name: view }).click();
      await page.getByRole('navigation', { name: 'Steps of the work' }).getByText('Write').waitFor();
    }
    // What it was given time for: pictures, refreshes and timers would have come by now.
    await page.evaluate(() => new Promise((done) => setTimeout(done, 150)));
    expect({ name, pwned: await page.evaluate(() => (globalThis as { pwned?: number }).pwned ?? 0) }).toEqual({ name, pwned: 0 });
    expect({ name, trapped, foreign }).toEqual({ name, trapped: [], foreign: [] });
    expect(page.url()).toContain(all.service.url);
  }
  // The frame's own address, opened as a page of its own, is no better a place.
  await drydock.captured.clear({ to: 'victim@post.example' });
  await submit(HOSTILE[0]![1]());
  const { id } = await drydock.captured.waitFor({ to: 'victim@post.example' });
  await signIn();
  await page.goto(`${all.service.url}/v1/captured/${id}/html?space=drydock`);
  expect(await page.evaluate(() => (globalThis as { pwned?: number }).pwned ?? 0)).toBe(0);
  expect(trapped).toEqual([]);
});

browserTest('pictures from elsewhere are loaded when asked for, and nothing else is', async () => {
  await drydock.captured.clear({ to: 'victim@post.example' });
  await submit(
    html(
      `<img src="${trapUrl}/wanted.png"><script src="${trapUrl}/script.js"></script><link rel="stylesheet" href="${trapUrl}/sheet.css">`,
    ),
  );
  const { id } = await drydock.captured.waitFor({ to: 'victim@post.example' });
  await signIn(`/try/${id}`);
  await page.frameLocator('iframe[title="HTML part"]').getByRole('heading', { name: 'hostile' }).waitFor();
  expect(trapped).toEqual([]);
  await Promise.all([
    page.waitForRequest(`${trapUrl}/wanted.png`),
    page.getByRole('button', { name: 'Load pictures from elsewhere' }).click(),
  ]);
  await page.frameLocator('iframe[title="HTML part"]').getByRole('heading', { name: 'hostile' }).waitFor();
  expect(trapped).toEqual(['/wanted.png']);
});

test('and that is all that was asked of others', () => {
  expect(foreign.filter((url) => !url.endsWith('/wanted.png'))).toEqual([]);
});
