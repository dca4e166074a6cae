import { afterAll, afterEach, beforeAll, beforeEach, expect } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { startNameServer, type NameServerSimulator, type SimulatedRecord } from '@verbalis/simulators';
import { SmtpConnection } from '@verbalis/service/smtp';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { axe, browserTest, launch, signedIn } from './support/browser.js';
import { LIMITS } from './support/limits.js';
import { OPERATOR, startTestService, until, type TestService } from './support/service.js';

// The step Set up: sending domains in the console, and the page for whoever owns the DNS.
const NAME = 'saltmarsh-ferries.example';
let names: NameServerSimulator;
let all: TestService;
let operator: Client;
let browser: Browser;
let context: BrowserContext;
let page: Page;

async function publish(change: (record: SimulatedRecord) => SimulatedRecord[] = (record) => [record]): Promise<void> {
  const { records } = await operator.domains.get(NAME);
  const entered = records.map(({ name, type, value, priority }): SimulatedRecord => ({
    name,
    type,
    value: type === 'MX' ? `${priority ?? 0} ${value}` : value,
  }));
  names.setZone(NAME, [{ name: `mail.${NAME}`, type: 'A', value: '198.51.100.7' }, ...entered.flatMap(change)]);
  await operator.domains.check(NAME);
}

beforeAll(async () => {
  names = await startNameServer();
  all = await startTestService({
    change: {
      dns: { servers: [`127.0.0.1:${names.port}`], port: names.port },
      returns: { port: 0, name: `mail.${NAME}` },
    },
  });
  operator = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
  await operator.domains.add({ name: NAME });
  browser = await launch();
});
afterAll(async () => {
  await browser.close();
  await all.stop();
  await names.close();
});
beforeEach(async () => {
  context = await browser.newContext({ viewport: { width: 1280, height: 800 }, permissions: ['clipboard-read', 'clipboard-write'] });
  page = await context.newPage();
  page.setDefaultTimeout(LIMITS.element);
});
afterEach(() => context.close());

async function signIn(): Promise<void> {
  await signedIn(page, all.service.url, OPERATOR);
  await page.goto(all.service.url);
  await page.getByRole('heading', { name: 'Messages' }).waitFor();
}

/** Brings an email to the listener of return paths. */
async function bring(to: string, text: string): Promise<void> {
  const connection = new SmtpConnection({ host: '127.0.0.1', port: all.service.returnsPort, helloName: 'mx.relay.example' });
  expect(await connection.open()).toBe('ready');
  const bytes = Buffer.from(text.replaceAll('\n', '\r\n'));
  const mail = { size: bytes.length, utf8: false, chunks: () => [bytes] };
  expect((await connection.deliver({ from: `returns@returns.${NAME}`, to }, mail)).kind).toBe('accepted');
  connection.close();
}

const clipboard = (): Promise<string> => page.evaluate(() => navigator.clipboard.readText());
const isWide = (): Promise<boolean> => page.evaluate(() => document.documentElement.scrollWidth > document.documentElement.clientWidth);

browserTest('a domain is set up in the console: what is wrong, one copied, all copied, checked again, by keyboard', async () => {
  await publish((record) => (record.name.startsWith('_dmarc.') ? [] : [record]));
  await signIn();
  await page.goto(`${all.service.url}/set-up`);
  await page.getByRole('rowheader', { name: '✕ Needs attention' }).waitFor();
  expect(await axe(page)).toEqual([]);
  await page.getByRole('row', { name: new RegExp(NAME) }).focus();
  await page.keyboard.press('Enter');
  const dmarc = page.getByRole('region', { name: 'DMARC' });
  await dmarc.getByText('There is no TXT record at _dmarc').waitFor();
  // What needs someone comes first.
  expect(await page.getByRole('region').first().getByRole('heading').textContent()).toBe('DMARC');
  expect(await axe(page)).toEqual([]);
  await page.getByRole('button', { name: 'Copy value of DMARC' }).focus();
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Copy value of DMARC' }).getByText('Copied').waitFor();
  const { records } = await operator.domains.get(NAME);
  expect(await clipboard()).toBe(records.find(({ purpose }) => purpose === 'dmarc')?.value);
  await page.getByRole('button', { name: 'Copy all as a zone file' }).click();
  await page.getByRole('button', { name: 'Copied' }).first().waitFor();
  expect(await clipboard()).toBe(records.map(({ zoneLine }) => zoneLine).join('\n'));
  await publish();
  await page.getByRole('button', { name: 'Check again' }).click();
  await page.getByText('All records are right.').waitFor();
});

browserTest('a test email is sent and its outcome shown', async () => {
  await publish();
  await signIn();
  await page.goto(`${all.service.url}/set-up/domains/${NAME}`);
  await page.getByRole('button', { name: 'Send a test email' }).click();
  const box = page.getByRole('region', { name: 'Test email' });
  await box.getByText('It came back').waitFor();
  // Its keys are published, and do not sign yet.
  await box.getByText(`There is no signature of ${NAME}.`).waitFor();
  expect(await axe(page)).toEqual([]);
});

browserTest('what receivers report: who sends in the name of the domain', async () => {
  const end = Math.floor(Date.now() / 1000);
  const row = (ip: string, count: number, result: string): string =>
    `<record><row><source_ip>${ip}</source_ip><count>${count}</count><policy_evaluated><disposition>none</disposition><dkim>${result}</dkim><spf>fail</spf></policy_evaluated></row></record>`;
  const report = `<feedback><report_metadata><org_name>Mailhaus</org_name><report_id>1</report_id><date_range><begin>${end - 60}</begin><end>${end}</end></date_range></report_metadata><policy_published><domain>${NAME}</domain></policy_published>${row('192.0.2.25', 90, 'pass')}${row('203.0.113.99', 10, 'fail')}</feedback>`;
  await bring(`dmarc-reports@returns.${NAME}`, `Subject: Report\nMIME-Version: 1.0\nContent-Type: text/xml\n\n${report}\n`);
  await until(async () => ((await operator.domainReports.get(NAME)).total.count === 100 ? true : undefined));
  await signIn();
  await page.goto(`${all.service.url}/set-up/domains/${NAME}`);
  const box = page.getByRole('region', { name: 'What receivers report' });
  await box.getByText('100 emails within 30 days, 90% of them authentic.').waitFor();
  expect(await box.getByRole('row', { name: /203\.0\.113\.99/ }).textContent()).toContain('0%');
  expect(await axe(page)).toEqual([]);
});

browserTest('on a phone, and in the dark', async () => {
  await publish((record) => (record.type === 'MX' ? [{ ...record, value: '10 198.51.100.7' }] : [record]));
  await page.setViewportSize({ width: 360, height: 740 });
  await page.emulateMedia({ colorScheme: 'dark' });
  await signIn();
  for (const path of ['/set-up/domains', `/set-up/domains/${NAME}`]) {
    await page.goto(`${all.service.url}${path}`);
    await page.getByText(NAME).first().waitFor();
    await page.getByText('Needs attention').first().waitFor();
    expect([path, await isWide(), await axe(page)]).toEqual([path, false, []]);
  }
});

browserTest('a sender is added, its owner agrees on the page of the link, and it is removed', async () => {
  await signIn();
  await page.goto(`${all.service.url}/set-up/senders`);
  await page.getByRole('row', { name: /harbour@saltmarsh-ferries\.example/ }).waitFor();
  await page.getByLabel('Address').fill('agnes@tern-island.example');
  await page.getByLabel('Display name').fill('Agnes on Tern Island');
  await page.keyboard.press('Enter');
  await page.getByText('An email went to agnes@tern-island.example.').waitFor();
  const row = page.getByRole('row', { name: /agnes@tern-island/ });
  await row.getByText('Not yet').waitFor();
  expect(await axe(page)).toEqual([]);
  await row.getByRole('button', { name: 'Ask again agnes@tern-island.example' }).click();
  await row.getByText('less than 5 minutes ago').waitFor();
  const sender = (await operator.senders.list()).senders.find(({ from }) => from === 'added');
  await all.ended(sender?.messageId ?? '', 'accepted', 'failed');
  const source = (await all.received(operator, sender?.messageId ?? '')).toString();
  const link = /http:\S+\/confirm\/[\w~-]+/.exec(source.replace(/=\r\n/g, '').replaceAll('=3D', '='))?.[0] ?? '';
  const owner = await context.newPage();
  await owner.setViewportSize({ width: 360, height: 740 });
  await owner.goto(link);
  expect(await axe(owner)).toEqual([]);
  await owner.getByRole('button', { name: 'I agree' }).click();
  await owner.getByRole('heading', { name: 'Thank you' }).waitFor();
  await row.getByText('Its owner agreed').waitFor();
  await page.setViewportSize({ width: 360, height: 740 });
  expect([await isWide(), await axe(page)]).toEqual([false, []]);
  await row.getByRole('button', { name: 'Remove agnes@tern-island.example' }).click();
  await page.getByRole('button', { name: 'Remove', exact: true }).click();
  await row.waitFor({ state: 'detached' });
});

browserTest('keys are rotated and a domain is removed when that was confirmed', async () => {
  await operator.domains.add({ name: 'drydock.example' });
  await signIn();
  await page.goto(`${all.service.url}/set-up/domains/drydock.example`);
  await page.getByRole('button', { name: 'Rotate keys' }).click();
  await page.getByRole('button', { name: 'Make new keys' }).click();
  await page.getByRole('button', { name: 'Remove drydock.example' }).click();
  await page.getByRole('button', { name: 'Keep' }).click();
  expect((await operator.domains.list()).domains.map(({ name }) => name)).toContain('drydock.example');
  await page.getByRole('button', { name: 'Remove drydock.example' }).click();
  await page.getByRole('button', { name: 'Remove', exact: true }).click();
  await page.getByRole('heading', { name: 'Domains' }).waitFor();
  expect((await operator.domains.list()).domains.map(({ name }) => name)).not.toContain('drydock.example');
});

browserTest('the shared page: without a sign-in, copied from, checked again, on a phone; it names no provider', async () => {
  await publish((record) => (record.value.startsWith('v=DKIM1; k=rsa') ? [{ ...record, value: record.value.slice(0, 255) }] : [record]));
  const { url } = await operator.domains.share(NAME, { days: 3 });
  await page.goto(url);
  const key = page.getByRole('region', { name: 'DKIM key (RSA)' });
  await key.getByText('The key ends after').waitFor();
  expect(await axe(page)).toEqual([]);
  expect(await page.content()).not.toMatch(/\brelay\b|harbour/);
  await page.getByRole('button', { name: 'Copy value of DKIM key (RSA)' }).focus();
  await page.keyboard.press('Enter');
  await page.getByText('Value copied.').waitFor();
  const { records } = await operator.domains.get(NAME);
  expect(await clipboard()).toBe(records.find(({ value }) => value.includes('k=rsa'))?.value);
  await page.getByRole('button', { name: 'Copy all as lines of a zone file' }).click();
  await page.getByText('All records copied.').waitFor();
  expect(await clipboard()).toBe(records.map(({ zoneLine }) => zoneLine).join('\n'));
  await publish();
  await page.getByRole('button', { name: 'Check again' }).click();
  await page.getByText('All records are right.').waitFor();
  await page.setViewportSize({ width: 360, height: 740 });
  await page.emulateMedia({ colorScheme: 'dark' });
  expect([await isWide(), await axe(page)]).toEqual([false, []]);
  const answer = await page.goto(url.slice(0, -1));
  expect(answer?.status()).toBe(404);
  expect(await page.locator('main').textContent()).toBe(
    'This page is not knownThe address is not complete, or it has ended. Ask for a new one.',
  );
  expect(await axe(page)).toEqual([]);
});
