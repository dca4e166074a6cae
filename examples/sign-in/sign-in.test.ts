// What the app's users meet, from asking for a code to being signed in: the mail is read as they would read it.
import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { afterAll, beforeAll, beforeEach, describe, expect } from '@jest/globals';
import { startMailService, type MailService } from '@verbalis/test-kit';
import '@verbalis/test-kit/jest';
import type { Browser, Page } from 'playwright-core';
import { browserTest, CHROMIUM, launch, needs } from '../../tests/support/browser.js';
import { signInApp } from './src/app.js';
import { sendByVerbalis } from './src/mail.js';

let mail: MailService;
let browser: Browser;
let page: Page;

beforeAll(async () => {
  mail = await startMailService({ mailFolder: join(import.meta.dirname, 'mail') });
  browser = await launch();
});
afterAll(async () => {
  await browser.close();
  await mail.stop();
});
beforeEach(async () => {
  await mail.captured.clear();
  page = await (await browser.newContext()).newPage();
});

/** Asks for a code on the app's page. */
async function ask(url: string, address: string): Promise<void> {
  await page.goto(url);
  await page.getByLabel('Your address').fill(address);
  await page.getByRole('button', { name: 'Send a code' }).click();
  await page.getByLabel('The code').waitFor();
}

describe('the app that sends by the client library', () => {
  let url: string;
  let stop: () => void;
  beforeAll(async () => {
    const server = signInApp(sendByVerbalis(mail.url, mail.key), () => url).listen(0, '127.0.0.1');
    await once(server, 'listening');
    url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    stop = () => {
      server.closeAllConnections();
      server.close();
    };
  });
  afterAll(() => {
    stop();
  });

  browserTest('signs in by the code', async () => {
    await ask(url, 'asa@post.example');
    const sent = await mail.captured.waitFor({ to: 'asa@post.example' });
    expect(sent).toHaveCode(/^\d{6}$/);
    expect(sent.subject).toBe(`${sent.code} is your code for the crew desk`);
    expect(sent).toSay('leave this mail be');
    await page.getByLabel('The code').fill(sent.code ?? '');
    await page.getByRole('button', { name: 'Sign in' }).click();
    await page.getByText('You are signed in as asa@post.example.').waitFor();
  });

  browserTest('shows the mail, takes its picture, and signs in by the link in it', async () => {
    await ask(url, 'nour@post.example');
    await expect(mail.captured).toHaveSentMailTo('nour@post.example', { subject: 'crew desk' });
    const sent = await mail.captured.waitFor({ to: 'nour@post.example' });
    const reader = await (await browser.newContext({ viewport: { width: 375, height: 720 } })).newPage();
    await reader.setContent(sent.html);
    await reader.getByRole('heading', { name: 'Sign in to the crew desk' }).waitFor();
    const folder = process.env['PICTURES'] ?? join(import.meta.dirname, '../../node_modules/.cache');
    mkdirSync(folder, { recursive: true });
    const picture = await reader.screenshot({ path: join(folder, 'sign-in-mail.png'), fullPage: true });
    expect(picture.length).toBeGreaterThan(5000);
    // The link as a person takes it: out of the mail, into the browser.
    const href = await reader.getByRole('link', { name: 'Sign in' }).getAttribute('href');
    expect(sent).toHaveLink(href ?? '');
    await page.goto(sent.link('Sign in'));
    await page.getByRole('button', { name: 'Sign in as nour@post.example' }).click();
    await page.getByText('You are signed in as nour@post.example.').waitFor();
    // Once.
    await page.goto(sent.link('Sign in'));
    await page.getByRole('alert').waitFor();
  });

  browserTest('a wrong code is none, and nobody else gets mail', async () => {
    await ask(url, 'kari@post.example');
    const { code = '' } = await mail.captured.waitFor({ to: 'kari@post.example' });
    await page.getByLabel('The code').fill(code === '111111' ? '222222' : '111111');
    await page.getByRole('button', { name: 'Sign in' }).click();
    expect(await page.getByRole('alert').textContent()).toBe('That is not the code.');
    await expect(mail.captured).not.toHaveSentMailTo('someone.else@post.example');
  });
});

describe('the app in another language that knows SMTP only', () => {
  let app: ChildProcess;
  let url: string;
  beforeAll(async () => {
    app = spawn('/usr/bin/python3', [join(import.meta.dirname, '../sign-in-python/app.py')], {
      env: { MAIL_HOST: mail.smtp.host, MAIL_PORT: String(mail.smtp.port), PORT: '0' },
      stdio: ['ignore', 'pipe', 'inherit'],
    });
    if (app.stdout === null) throw new Error('The app has no output.');
    url = String((await once(createInterface({ input: app.stdout }), 'line'))[0]);
  });
  afterAll(() => {
    app.kill();
  });

  needs('/usr/bin/python3', CHROMIUM)('signs in by code and by link', async () => {
    await page.goto(url);
    await page.getByLabel('Your address').fill('mo@post.example');
    await page.getByRole('button', { name: 'Send a code' }).click();
    const sent = await mail.captured.waitFor({ to: 'mo@post.example' });
    await page.getByLabel('The code').fill(sent.code ?? '');
    await page.getByRole('button', { name: 'Sign in' }).click();
    await page.getByText('You are signed in as mo@post.example.').waitFor();

    await page.context().clearCookies();
    await mail.captured.clear();
    await page.goto(url);
    await page.getByLabel('Your address').fill('mo@post.example');
    await page.getByRole('button', { name: 'Send a code' }).click();
    await page.goto((await mail.captured.waitFor({ to: 'mo@post.example' })).link('Sign in'));
    await page.getByRole('button', { name: 'Sign in' }).click();
    await page.getByText('You are signed in as mo@post.example.').waitFor();
  });
});
