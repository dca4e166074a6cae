import { chromium } from 'playwright-core';
const [base, secretLink, out, ...rest] = process.argv.slice(2);
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox','--headless','--disable-gpu'] });
const scheme = process.env.DARK ? 'dark' : 'light';
const width = Number(process.env.W ?? 1280);
const context = await browser.newContext({ viewport: { width, height: 800 }, colorScheme: scheme, storageState: process.env.STATE });
const page = await context.newPage();
if (secretLink !== '-') {
  await page.goto(secretLink);
  if (process.env.SHOTLINK) await page.screenshot({ path: `${out}/link.png` });
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('button', { name: 'Sign out' }).waitFor();
  await context.storageState({ path: '/tmp/state.json' });
}
for (const spec of rest) {
  const [name, path] = spec.split('=', 2).length === 2 ? [spec.slice(0, spec.indexOf('=')), spec.slice(spec.indexOf('=') + 1)] : [spec, spec];
  await page.goto(base + path);
  await page.waitForTimeout(1200);
  await page.screenshot({ path: `${out}/${name}.png`, fullPage: Boolean(process.env.FULL) });
}
await browser.close();
