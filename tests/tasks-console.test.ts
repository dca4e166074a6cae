import { afterAll, afterEach, beforeAll, beforeEach, expect } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import type { Browser, BrowserContext, Locator, Page } from 'playwright-core';
import { axe, browserTest, launch, signedIn } from './support/browser.js';
import { LIMITS } from './support/limits.js';
import { booking, OPERATOR, startTestService, until, type TestService } from './support/service.js';

// What people come to the console for, done with the keyboard alone, and what was found by watching them.

const MOST_ACTIONS = 8;
let all: TestService;
let operator: Client;
let browser: Browser;
let context: BrowserContext;
let page: Page;
beforeAll(async () => {
  all = await startTestService({ script: { 'refused@post.example': 'refuse' } });
  operator = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
  browser = await launch();
});
afterAll(async () => {
  await browser.close();
  await all.stop();
});
beforeEach(async () => {
  context = await browser.newContext();
  page = await context.newPage();
  page.setDefaultTimeout(LIMITS.element);
  await signedIn(page, all.service.url, OPERATOR);
});
afterEach(() => context.close());

/** Goes on with Tab until something has the focus. */
async function reach(target: Locator): Promise<void> {
  await target.waitFor();
  for (let i = 0; i < 150; i += 1) {
    if (await target.evaluate((element) => element === document.activeElement)) return;
    await page.keyboard.press('Tab');
  }
  throw new Error(`Tab does not lead to ${String(target)}.`);
}

/** One person at a keyboard: each thing that is pressed or filled in is one action. */
function hands() {
  let actions = 0;
  const done = (): void => {
    actions += 1;
  };
  return {
    press: async (target: Locator, key = 'Enter') => {
      await reach(target);
      await page.keyboard.press(key);
      done();
    },
    fill: async (target: Locator, text: string) => {
      await reach(target);
      await page.keyboard.type(text);
      done();
    },
    find: async (text: string) => {
      await page.keyboard.press('/');
      await page.keyboard.type(text);
      await page.keyboard.press('Enter');
      done();
    },
    count: () => actions,
  };
}

const link = (name: string) => page.getByRole('link', { name, exact: true });
const button = (name: string | RegExp) => page.getByRole('button', { name, exact: true });

const TASKS: [string, (person: ReturnType<typeof hands>) => Promise<void>][] = [
  [
    'did she get it?',
    async (person) => {
      const { id } = await all.client.messages.send(booking('Asa.Jons@post.example', 'SM-5101'));
      await all.ended(id, 'accepted');
      await person.find('asa.jons@post.example');
      await person.press(page.getByRole('row').filter({ hasText: 'Asa.Jons@post.example' }).first());
      await page.getByRole('heading', { level: 1 }).filter({ hasText: 'SM-5101' }).waitFor();
      await page.getByText('accepted').first().waitFor();
    },
  ],
  [
    'add a webhook',
    async (person) => {
      await person.press(link('Subscriptions'));
      await person.fill(page.getByLabel(/^Address/), 'https://app.example/mail-events');
      await person.press(button('Subscribe'));
      await page.getByRole('row').filter({ hasText: 'app.example' }).waitFor();
      // What was filled in does not stay.
      expect(await page.getByLabel(/^Address/).inputValue()).toBe('');
    },
  ],
  [
    'clean a suppression',
    async (person) => {
      await operator.suppressions.add({ address: 'liv@post.example', note: 'asked at the pier' });
      await person.find('liv@post.example');
      await person.press(page.getByRole('row').filter({ hasText: 'suppressed' }));
      await page.getByRole('heading', { name: 'Suppressions' }).waitFor();
      const row = page.getByRole('row').filter({ hasText: 'liv@post.example' });
      await reach(row);
      // Within a row, arrows lead from cell to cell.
      const lift = button('Lift liv@post.example');
      for (let i = 0; i < 8 && !(await lift.evaluate((element) => element === document.activeElement)); i += 1)
        await page.keyboard.press('ArrowRight');
      await person.press(lift);
      await person.fill(page.getByLabel('Why'), 'It works again');
      await person.press(page.getByRole('dialog').getByRole('button', { name: 'Lift', exact: true }));
      await row.waitFor({ state: 'detached' });
    },
  ],
  [
    'add a domain',
    async (person) => {
      await person.press(link('Set up'));
      await page.getByRole('heading', { name: 'Domains', exact: true }).waitFor();
      await person.fill(page.getByLabel('Domain that email is sent as'), 'curlew-charters.example');
      await person.press(button('Add'));
      await until(async () => (await operator.domains.list()).domains.find(({ name }) => name === 'curlew-charters.example'));
    },
  ],
  [
    'rotate a key',
    async (person) => {
      await operator.keys.add({ name: 'ticket-shop', scopes: ['send'] });
      await person.press(link('Set up'));
      await person.press(link('Keys'));
      await person.press(button('Rotate the key ticket-shop'));
      await person.press(page.getByRole('alertdialog').getByRole('button', { name: 'Rotate' }));
      await page.getByText('It is shown once').waitFor();
    },
  ],
  [
    'hold a template',
    async (person) => {
      await person.press(link('Send'));
      await person.fill(page.getByLabel('Template'), 'booking-confirmed');
      await person.press(button('Hold'));
      await until(async () => (await operator.holds.list()).holds.find(({ template }) => template === 'booking-confirmed'));
      for (const { id } of (await operator.holds.list()).holds) await operator.holds.release({ id });
    },
  ],
  [
    'invite a colleague',
    async (person) => {
      await person.press(link('Set up'));
      await person.press(link('People'));
      await person.fill(page.getByLabel('Address'), 'mara.voss@saltmarsh-ferries.example');
      await reach(page.getByLabel('Role in harbour'));
      await page.keyboard.type('member');
      await person.press(button('Invite'));
      await page.getByText('A link is on its way').waitFor();
    },
  ],
];

browserTest.each(TASKS)('%s: with the keyboard alone, in at most 8 actions from the start page', async (_what, task) => {
  await page.goto(all.service.url);
  await page.getByRole('heading', { name: 'Messages', exact: true }).waitFor();
  const person = hands();
  await task(person);
  expect(person.count()).toBeLessThanOrEqual(MOST_ACTIONS);
});

browserTest('a message that waits can be sent at another time and canceled; the way back keeps the filter', async () => {
  const { id } = await all.client.messages.send({
    ...booking('late@post.example', 'SM-5201'),
    notBefore: new Date(Date.now() + 3_600_000).toISOString(),
  });
  await page.goto(`${all.service.url}/in/harbour/track?state=queued`);
  await page.getByRole('row').filter({ hasText: 'late@post.example' }).click();
  await button('Send at another time').click();
  const tomorrow = new Date(Date.now() + 24 * 3_600_000).toISOString().slice(0, 16);
  await page.getByLabel('Not before (your time)').fill(tomorrow);
  await button('Set').click();
  await page.getByText(/Moved for 1 recipient/).waitFor();
  await button('Cancel the message').click();
  await page.getByRole('alertdialog').getByRole('button', { name: 'Cancel it' }).click();
  await page.getByText(/Canceled for 1 recipient/).waitFor();
  expect((await all.client.messages.get(id)).deliveries[0]?.state).toBe('canceled');
  await page.getByRole('link', { name: '← Messages' }).click();
  await page.waitForURL(/\/track\?state=queued$/);
  await page.getByRole('radio', { name: /^canceled/ }).click();
  await page.getByRole('row').filter({ hasText: 'late@post.example' }).waitFor();
});

browserTest('a message is composed from a template: its form, its look, who gets no mail, and the message', async () => {
  await operator.suppressions.add({ address: 'nomore@post.example', note: 'asked at the pier' });
  await page.goto(`${all.service.url}/in/harbour/send/compose?template=booking-confirmed`);
  await page.frameLocator('iframe[title="The email"]:not([data-coming])').getByRole('heading').first().waitFor();
  await page.getByText('Name the recipient.').waitFor();
  expect(await axe(page)).toEqual([]);
  await page.getByLabel(/^To \(several/).fill('Liv <liv2@post.example>, nomore@post.example');
  await page.getByText('nomore@post.example gets no mail').waitFor();
  await page.getByLabel(/^Reference/).fill('SM-5401');
  const name = page.getByRole('textbox', { name: /^givenName/ });
  await name.fill('Livia');
  await page.frameLocator('iframe[title="The email"]:not([data-coming])').getByText('Livia').first().waitFor();
  await button('Send the message').click();
  await page.getByRole('alertdialog').getByText('2 recipients').waitFor();
  await page.getByRole('alertdialog').getByRole('button', { name: 'Send it' }).click();
  await page.getByRole('link', { name: 'see its outcome' }).click();
  await page.getByText('SM-5401').first().waitFor();
  const { messages } = await all.client.messages.list({ reference: 'SM-5401' });
  expect(messages[0]?.deliveries.map(({ state }) => state).sort()).toContain('withheld');
  // A person who sends has an entry in the audit log.
  expect((await operator.audit.list({ action: 'messages.send', target: messages[0]!.id })).entries).toHaveLength(1);
});

browserTest('suppressions are imported, and those that were lifted are listed', async () => {
  await page.goto(`${all.service.url}/in/harbour/track/suppressions`);
  const chooser = page.waitForEvent('filechooser');
  await button('Import a CSV file').click();
  await (
    await chooser
  ).setFiles({ name: 'old.csv', mimeType: 'text/csv', buffer: Buffer.from('address,note\nodd@post.example,moved\nnonsense,x\n') });
  await page.getByText(/1 added, 0 were there, 1 refused\. The first: line 3/).waitFor();
  const row = page.getByRole('row').filter({ hasText: 'odd@post.example' });
  await row.waitFor();
  const [found] = (await operator.suppressions.list({ address: 'odd@post.example' })).suppressions;
  await operator.suppressions.lift(found!.id, { note: 'back again' });
  await page.getByRole('radio', { name: 'lifted' }).click();
  await row.getByText('back again').waitFor();
});

browserTest('one search finds templates, sending domains, people, domains of recipients and codes, whatever the capitals', async () => {
  await operator.people.invite({
    email: 'ines.roth@saltmarsh-ferries.example',
    name: 'Ines Roth',
    grants: [{ space: '*', role: 'operator' }],
    send: false,
  });
  const { id } = await all.client.messages.send(booking('refused@post.example', 'SM-5301'));
  await all.ended(id, 'failed');
  for (const [text, kind, title] of [
    ['BOOKING-conf', 'template', 'booking-confirmed'],
    ['sm-5301', 'message', 'refused@post.example'],
    ['post.example', 'message', 'refused@post.example'],
    ['5.1.1', 'message', 'refused@post.example'],
    ['550', 'message', 'refused@post.example'],
    ['ines roth', 'person', 'ines.roth@saltmarsh-ferries.example'],
  ] as const) {
    await page.goto(`${all.service.url}/in/harbour/search?q=${encodeURIComponent(text)}`);
    await page.getByRole('row').filter({ hasText: kind }).filter({ hasText: title }).first().waitFor();
  }
  await page.goto(`${all.service.url}/in/harbour/track?find=REFUSED@post.example`);
  await page.getByRole('row').filter({ hasText: 'refused@post.example' }).first().waitFor();
});

browserTest('pages that follow say when the service is away, and go on when it is back', async () => {
  for (const [path, stream, lost] of [
    ['track/live', '**/v1/events/stream*', 'The service does not answer'],
    ['try', '**/v1/captured/stream*', 'The service does not answer'],
  ] as const) {
    await page.route(stream, (route) => route.abort());
    await page.goto(`${all.service.url}/in/harbour/${path}`);
    await page.getByText(lost).waitFor();
    await page.unroute(stream);
    await page.getByText(lost).waitFor({ state: 'detached' });
  }
});
