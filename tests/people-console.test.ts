import { afterAll, afterEach, beforeAll, beforeEach, expect } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { readMail, shownText } from '@verbalis/core/mime';
import { startSignInProvider, type SignInProvider } from '@verbalis/simulators';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { axe, browserTest, launch, signedIn, signInWithSecret } from './support/browser.js';
import { LIMITS } from './support/limits.js';
import { booking, OPERATOR, startTestService, until, type TestService } from './support/service.js';

// The console as people with roles use it, in several spaces and tabs.

let all: TestService;
let accounts: SignInProvider;
let operator: Client;
let browser: Browser;
let context: BrowserContext;
let page: Page;
beforeAll(async () => {
  accounts = await startSignInProvider({
    host: '127.0.0.1',
    port: 0,
    clientId: 'verbalis',
    clientSecret: 'a-secret-of-the-client',
    accounts: [
      { sub: 'jon', email: 'jon.berg@saltmarsh-ferries.example', name: 'Jon Berg' },
      { sub: 'stranger', email: 'stranger@elsewhere.example', name: 'A Stranger' },
    ],
  });
  all = await startTestService({
    change: {
      people: {
        openid: { name: 'Saltmarsh accounts', issuer: accounts.url, clientId: 'verbalis', clientSecret: 'a-secret-of-the-client' },
      },
    },
  });
  operator = createClient({ url: all.service.url, key: OPERATOR });
  browser = await launch();
});
afterAll(async () => {
  await browser.close();
  await all.stop();
  await accounts.close();
});
beforeEach(async () => {
  context = await browser.newContext();
  page = await context.newPage();
  page.setDefaultTimeout(LIMITS.element);
});
afterEach(() => context.close());

const heading = (name: string, on: Page = page) => on.getByRole('heading', { name, exact: true, level: 1 }).waitFor();

/** Opens the console as someone with roles. */
async function enterAs(email: string, ...grants: { space: string; role: 'viewer' | 'member' | 'operator' }[]): Promise<string> {
  const { id, invitation } = await operator.people.invite({ email, grants, send: false });
  await page.goto(invitation.url ?? '');
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('button', { name: 'Sign out' }).waitFor();
  return id;
}

browserTest('an operator invites a colleague, who signs in by the email and sees their own spaces', async () => {
  await signInWithSecret(page, all.service.url, OPERATOR);
  await page.getByRole('link', { name: 'Set up' }).click();
  await page.getByRole('link', { name: 'People' }).click();
  await heading('People');
  await page.getByText('No one is invited yet').waitFor();
  expect(await axe(page)).toEqual([]);
  await page.getByLabel('Address').fill('mara.voss@saltmarsh-ferries.example');
  await page.getByLabel('Role in harbour').selectOption('member');
  await page.getByRole('button', { name: 'Invite' }).click();
  await page.getByText('A link is on its way to mara.voss@saltmarsh-ferries.example').waitFor();
  expect(await page.getByRole('row', { name: /mara\.voss/ }).textContent()).toContain('harbour: member');
  const mail = await until(() => all.simulator.seen.get('mara.voss@saltmarsh-ferries.example')?.mail);
  const link = /https?:\/\/\S+#token=[\w-]+/.exec(shownText(readMail(mail), 'plain') ?? '')?.[0] ?? '';
  await page.getByRole('button', { name: 'Sign out' }).click();
  await page.goto(link);
  await page.getByRole('button', { name: 'Sign in' }).waitFor();
  expect(await axe(page)).toEqual([]);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByText('mara.voss@saltmarsh-ferries.example', { exact: true }).waitFor();
  expect(new URL(page.url()).pathname).toBe('/in/harbour/track');
  await page.goto(`${all.service.url}/in/drydock/track`);
  await heading('There is no such space');
  expect(await axe(page)).toEqual([]);
  await page.getByRole('button', { name: 'harbour' }).click();
  await heading('Messages');
});

browserTest('roles are changed and sessions are ended where they are listed', async () => {
  await enterAs('owen.pike@saltmarsh-ferries.example', { space: 'harbour', role: 'viewer' });
  const other = await browser.newContext();
  const chief = await other.newPage();
  await signedIn(chief, all.service.url, OPERATOR);
  await chief.goto(`${all.service.url}/set-up/people`);
  await chief.getByRole('button', { name: 'Change the roles of owen.pike@saltmarsh-ferries.example' }).click();
  const form = chief.getByRole('form', { name: 'Roles of owen.pike@saltmarsh-ferries.example' });
  await form.getByLabel('Role in harbour').selectOption('operator');
  expect(await axe(chief)).toEqual([]);
  await form.getByRole('button', { name: 'Save the roles' }).click();
  await form.waitFor({ state: 'detached' });
  await page.goto(`${all.service.url}/set-up/keys`);
  await page.getByLabel('What uses it').fill('ticket shop');
  await page.getByRole('button', { name: 'Make the key' }).click();
  await page.getByText('It is shown once').waitFor();
  expect(await axe(page)).toEqual([]);
  await chief.getByRole('button', { name: /^End the session of owen\.pike/ }).click();
  await chief.getByRole('button', { name: 'End', exact: true }).click();
  await chief.getByRole('table', { name: 'Open sessions' }).getByText('owen.pike').waitFor({ state: 'detached' });
  await other.close();
});

browserTest('a session that ends while a form is filled keeps what was typed', async () => {
  const id = await enterAs('una.bell@saltmarsh-ferries.example', { space: 'harbour', role: 'operator' });
  await page.goto(`${all.service.url}/in/harbour/set-up/keys`);
  await page.getByLabel('What uses it').fill('a key that I was just about to make');
  for (const session of (await operator.sessions.list()).sessions) await operator.sessions.end(session.id);
  await page.getByRole('button', { name: 'Make the key' }).click();
  await page.getByRole('dialog', { name: 'Your session has ended' }).waitFor();
  expect(await axe(page)).toEqual([]);
  const { invitation } = await operator.people.link(id, { send: false });
  const tab = await context.newPage();
  await tab.goto(invitation.url ?? '');
  await tab.getByRole('button', { name: 'Sign in' }).click();
  await tab.getByRole('button', { name: 'Sign out' }).waitFor();
  await page.evaluate(() => window.dispatchEvent(new Event('focus')));
  await page.getByRole('dialog').waitFor({ state: 'detached' });
  expect(await page.getByLabel('What uses it').inputValue()).toBe('a key that I was just about to make');
  await page.getByRole('button', { name: 'Make the key' }).click();
  await page.getByRole('row', { name: /just about to make/ }).waitFor();
});

browserTest('by the accounts of the company: who is invited gets in, others are led back and see why', async () => {
  await operator.people.invite({
    email: 'jon.berg@saltmarsh-ferries.example',
    grants: [{ space: 'harbour', role: 'member' }],
    send: false,
  });
  const choose = async (name: string): Promise<void> => {
    await page.goto(`${all.service.url}/sign-in`);
    await page.getByRole('link', { name: 'Sign in with Saltmarsh accounts' }).click();
    await page.getByRole('heading', { name: 'Who are you?' }).waitFor();
    await page.getByRole('link', { name: new RegExp(name) }).click();
  };
  await choose('A Stranger');
  await page.getByRole('alert').waitFor();
  expect(await axe(page)).toEqual([]);
  await choose('Jon Berg');
  await heading('Messages');
  const { sessions } = await operator.sessions.list();
  expect(sessions.filter(({ way }) => way === 'openid')).toHaveLength(1);
  await page.getByRole('button', { name: 'Sign out' }).click();
  await page.getByRole('link', { name: 'Sign in with Saltmarsh accounts' }).waitFor();
});

browserTest('two tabs stay in their spaces; back and forward go between spaces; a link keeps its space', async () => {
  const { id } = await all.client.messages.send(booking('fine@post.example', 'SM-4410'));
  await signInWithSecret(page, all.service.url, OPERATOR);
  await heading('Messages');
  const second = await context.newPage();
  await second.goto(`${all.service.url}/in/drydock/try`);
  await heading('Captured mail', second);
  await page.reload();
  expect(new URL(page.url()).pathname).toBe('/in/harbour/track');
  // The space that was looked at last is another one now; the address says which is meant.
  await page.goto(`${all.service.url}/in/harbour/track/messages/${id}`);
  await page.getByText('SM-4410').first().waitFor();
  await page.getByRole('button', { name: /Space/ }).click();
  await page.getByRole('option', { name: /drydock/ }).click();
  await page.waitForURL(/\/in\/drydock\/track$/);
  await page.goBack();
  await page.getByText('SM-4410').first().waitFor();
  expect(await page.getByRole('button', { name: /Space/ }).textContent()).toContain('harbour');
  await page.goForward();
  await page.waitForURL(/\/in\/drydock\/track$/);
  await page.getByText('Nothing has been sent here yet').waitFor();
});

browserTest('a viewer sees what came of an email, and why not what it says', async () => {
  const { id } = await all.client.messages.send(booking('fine@post.example', 'SM-4411'));
  await all.ended(id, 'accepted');
  await enterAs('vera.holm@saltmarsh-ferries.example', { space: 'harbour', role: 'viewer' });
  await page.goto(`${all.service.url}/in/harbour/track/messages/${id}`);
  await page.getByText('accepted').first().waitFor();
  await page.getByText('Your role does not show what emails say').first().waitFor();
  await page.goto(`${all.service.url}/in/harbour/set-up/people`);
  await heading('Your sessions');
  expect(await page.getByRole('link', { name: 'Audit log' }).count()).toBe(0);
  await page.goto(`${all.service.url}/in/harbour/set-up/audit`);
  await page.getByRole('alert').getByText('it takes the role operator').waitFor();
});
