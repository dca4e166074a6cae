// Takes the pictures of docs/screenshots: node scripts/pictures.mjs [FOLDER] [--extra]
// Runs the demo, opens its console in headless Chromium and photographs each main page; --extra adds dark and phone views.
import { spawn, spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { createInterface } from 'node:readline';
import { chromium } from 'playwright-core';

const root = resolve(import.meta.dirname, '..');
const out = resolve(process.argv.slice(2).find((one) => !one.startsWith('--')) ?? join(root, 'docs/screenshots'));
const extra = process.argv.includes('--extra');
const cli = join(root, 'packages/cli/bin/verbalis.js');
mkdirSync(out, { recursive: true });

const demo = spawn(process.execPath, [cli, 'demo', '--dir', mkdtempSync(join(tmpdir(), 'verbalis-pictures-'))], {
  cwd: root,
  stdio: ['ignore', 'pipe', 'inherit'],
});
const said = [];
for await (const line of createInterface({ input: demo.stdout })) {
  said.push(line);
  if (line.startsWith('End with')) break;
}
const signIn = /(http\S+#token=\S+)/.exec(said.join('\n'))[1];
const [, url, key] = /VERBALIS_URL=(\S+) VERBALIS_KEY=(\S+)/.exec(said.join('\n'));
const env = { ...process.env, VERBALIS_URL: url, VERBALIS_KEY: key, FORCE_COLOR: '1' };
const verbalis = (...args) => spawnSync(process.execPath, [cli, ...args], { cwd: root, env, encoding: 'utf8' }).stdout;

const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium-headless-shell',
  args: [
    '--headless',
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
  ],
});
const shot = (page, name, options = {}) => page.screenshot({ path: join(out, `${name}.png`), ...options });
try {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, colorScheme: 'light' });
  const page = await context.newPage();
  if (extra) {
    await page.goto(`${url}/`);
    await page.getByRole('button', { name: 'Send me a link' }).waitFor();
    await shot(page, 'sign-in');
  }
  await page.goto(signIn);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('grid', { name: 'Messages' }).waitFor();
  await shot(page, 'messages');
  const list = JSON.parse(verbalis('messages', 'list', '--json')).result.messages;
  const owen = list.find((one) => one.reference === 'SM-1084');
  const nour = list.find((one) => one.reference === 'SM-1070');
  const open = async (id) => {
    await page.goto(`${url}/in/harbour/track/messages/${id}`);
    await page.frameLocator('iframe').getByRole('heading').first().waitFor();
  };
  await open(owen.id);
  await shot(page, 'message', { fullPage: true });
  // The operator's own session, in the space that delivers and then in the one that captures.
  const at = async (name, path, ready, options) => {
    await page.goto(`${url}/in/harbour${path}`);
    await ready();
    await shot(page, name, options);
  };
  const heading = (name) => () => page.getByRole('heading', { name, level: 1 }).waitFor();
  const first = (name) => () => page.getByRole('grid', { name }).getByRole('row').nth(1).waitFor();
  verbalis('queue', 'hold', '--template', 'pier-bulletin', '--edition', '1', '--reason', 'wrong picture in edition 1');
  await at('send', '/send', () => page.getByRole('grid', { name: 'Holds' }).waitFor(), { fullPage: true });
  verbalis('queue', 'release', '--all');
  await at('signals', '/send/signals', first('Signals'), { fullPage: true });
  await at('schedule', '/send/schedules/pier-bulletin', first('Runs'), { fullPage: true });
  await page.goto(`${url}/in/harbour/send/bulk-sends`);
  await page.getByRole('row', { name: /pier-bulletin/ }).click();
  await page.getByRole('grid', { name: 'Refused recipients' }).waitFor();
  await shot(page, 'bulk-send');
  if (extra) await at('live', '/track/live', heading('Live'));
  await at('compose', '/send/compose?template=booking-confirmed', () =>
    page.frameLocator('iframe[title="The email"]:not([data-coming])').getByRole('heading').first().waitFor(),
  );
  await at('figures', '/track/figures', heading('Figures'), { fullPage: true });
  const [scarf] = JSON.parse(verbalis('inbound', 'list', '--inbox', 'lost-property', '--json')).result.inbound;
  await at('inbound', `/track/inbound/${scarf.id}`, async () => {
    await page.getByText('As it came').click();
    await page.frameLocator('iframe').getByRole('img').first().waitFor();
  });
  const [matched] = JSON.parse(verbalis('returns', 'list', '--json')).result.returns.filter((one) => one.matched !== false);
  await at('return', `/track/returns/${matched.id}`, () => page.getByRole('heading', { level: 1 }).waitFor());
  if (extra) await at('alerts', '/track/alerts', first('Alerts'));
  if (extra) await at('quarantine', '/set-up/quarantine', heading('Quarantine'));
  await at('domain', '/set-up/domains/curlew-charters.example', () => page.getByRole('heading', { name: 'DMARC' }).waitFor());
  if (extra) {
    await page.goto(`${url}/in/harbour/track/subscriptions`);
    await page.getByRole('row', { name: /harbour office chat/ }).click();
    await page.getByRole('heading', { name: 'harbour office chat', level: 1 }).waitFor();
    await shot(page, 'subscription', { fullPage: true });
  }
  await at('health', '/set-up/health', () =>
    page
      .getByRole('heading', { name: /Good|done/ })
      .first()
      .waitFor(),
  );
  await at('people', '/set-up/people', () => page.getByRole('row', { name: /ines\.roth/ }).waitFor());
  if (extra)
    for (const name of ['keys', 'spaces', 'backups', 'configuration', 'audit'])
      await at(name, `/set-up/${name}${name === 'audit' ? '?of=service' : ''}`, () => page.waitForLoadState('networkidle'));
  await page.goto(`${url}/in/drydock/try`);
  await first('Captured mail')();
  await page.getByRole('grid', { name: 'Captured mail' }).getByRole('row').filter({ hasText: 'Booking' }).first().click();
  await page.locator('iframe').first().waitFor();
  await page.waitForLoadState('networkidle');
  await shot(page, 'captured-mail');
  const mail = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await mail.setContent(verbalis('render', 'demo/mail', 'booking-confirmed', '--part', 'html'));
  await mail.setViewportSize({ width: 375, height: 800 });
  await shot(mail, 'mail-375', { fullPage: true });
  const terminal = await browser.newPage({ viewport: { width: 1280, height: 640 } });
  const text = `$ verbalis messages list\n${verbalis('messages', 'list')}\n$ verbalis messages show ${nour.id}\n${verbalis('messages', 'show', nour.id)}`;
  await terminal.setContent(terminalPage(text));
  // The longest line decides.
  await terminal.setViewportSize({ width: await terminal.evaluate(() => document.documentElement.scrollWidth + 24), height: 640 });
  await shot(terminal, 'terminal', { fullPage: true });
  if (extra) {
    await mail.setContent(verbalis('render', 'demo/mail', 'booking-confirmed', '--sample', 'nasty', '--part', 'html'));
    await shot(mail, 'mail-nasty-375', { fullPage: true });
    await mail.emulateMedia({ colorScheme: 'dark' });
    await mail.setViewportSize({ width: 700, height: 800 });
    await shot(mail, 'mail-nasty-dark', { fullPage: true });
    const phone = await context.newPage();
    await phone.setViewportSize({ width: 375, height: 812 });
    await phone.emulateMedia({ colorScheme: 'dark' });
    await phone.goto(`${url}/in/harbour/track`);
    await phone.getByRole('grid', { name: 'Messages' }).waitFor();
    await shot(phone, 'messages-phone-dark');
    await phone.goto(`${url}/in/harbour/track/messages/${nour.id}`);
    await phone.frameLocator('iframe').getByRole('heading').first().waitFor();
    await shot(phone, 'message-phone-dark', { fullPage: true });
    await page.emulateMedia({ colorScheme: 'dark' });
    await page.goto(`${url}/in/harbour/write`);
    await shot(page, 'write-dark');
    await page.goto(`${url}/in/harbour/set-up/health`);
    await page.waitForLoadState('networkidle');
    await shot(page, 'health-dark');
    await phone.goto(`${url}/in/harbour/set-up/people`);
    await phone.waitForLoadState('networkidle');
    await shot(phone, 'people-phone-dark', { fullPage: true });
  }
} finally {
  await browser.close();
  demo.kill('SIGTERM');
}

function terminalPage(text) {
  const colors = { 31: '#ff9d93', 32: '#6fd39b', 33: '#f0b95c', 34: '#9cc0f5', 36: '#4fd1bf' };
  let open = 0;
  const html = text
    .replace(/[&<>]/g, (sign) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;' })[sign])

    .replace(/\u001b\[(\d+)m/g, (_all, code) => {
      if (code === '39' || code === '22' || code === '0') return open-- > 0 ? '</span>' : '';
      open += 1;
      return `<span style="${code === '1' ? 'font-weight:700' : code === '2' ? 'opacity:.6' : `color:${colors[code] ?? 'inherit'}`}">`;
    });
  return `<body style="margin:0;background:#12181f;color:#e9e4d8"><pre style="margin:0;padding:24px;font:14px/1.5 'Liberation Mono',monospace;white-space:pre">${html}</pre>`;
}
