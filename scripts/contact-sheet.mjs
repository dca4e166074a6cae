// Every demo sample on sheets to be looked at: node scripts/contact-sheet.mjs FOLDER [--width 375|640] [--dark] [--no-styles] [--no-pictures] [--locales]
import { mkdirSync, readdirSync, readFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { chromium } from 'playwright-core';

const root = resolve(import.meta.dirname, '..');
const core = (door) => import(join(root, `packages/core/dist/${door}/index.js`));
const [{ linkFolder }, { compileFolder }, { prepare }] = [await core('folder'), await core('program'), await core('render')];
const args = process.argv.slice(2);
const out = resolve(args.find((one) => !one.startsWith('--')) ?? '/tmp/sheets');
const width = Number(args[args.indexOf('--width') + 1] || 375) || 375;
mkdirSync(out, { recursive: true });

const folder = join(root, 'demo/mail');
const files = new Map();
for (const entry of readdirSync(folder, { recursive: true, withFileTypes: true })) {
  if (entry.isFile())
    files.set(join(entry.parentPath, entry.name).slice(folder.length + 1), readFileSync(join(entry.parentPath, entry.name)));
}
const project = linkFolder(files);
const compiled = compileFolder(project);
const emails = [];
for (const [name, template] of compiled.templates) {
  for (const sample of project.templates.get(name).samples) {
    for (const [locale, program] of template.programs) {
      const wanted = args.includes('--locales') ? locale !== 'en' : locale === 'en';
      if (!wanted) continue;
      let { html } = prepare(program)({ data: sample.data, now: Date.parse('2026-12-03T09:00:00Z') });
      for (const [path, bytes] of files)
        if (path.startsWith('assets/'))
          html = html.replaceAll(`${program.baseUrl}${path}`, `data:image/png;base64,${bytes.toString('base64')}`);
      if (args.includes('--no-pictures')) html = html.replace(/src="[^"]*"/g, 'src="https://host.invalid/none.png"');
      if (args.includes('--no-styles')) html = html.replace(/<style>[\s\S]*?<\/style>/g, '');
      emails.push({ title: `${name} ${sample.name} ${locale}`, html });
    }
  }
}
const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium-headless-shell',
  args: ['--headless', '--no-sandbox', '--disable-gpu', '--no-first-run', '--disable-background-networking'],
});
const sheet = await browser.newPage({ viewport: { width: 100, height: 100 }, colorScheme: args.includes('--dark') ? 'dark' : 'light' });
const single = await browser.newPage({ viewport: { width, height: 600 }, colorScheme: args.includes('--dark') ? 'dark' : 'light' });
const shots = [];
for (const { title, html } of emails) {
  await single.setContent(html);
  const wide = await single.evaluate(() => document.documentElement.scrollWidth);
  if (wide > width) console.log(`${title}: ${wide} px wide at ${width}`);
  shots.push({ title, picture: (await single.screenshot({ fullPage: true })).toString('base64') });
}
const perSheet = width > 500 ? 4 : 7;
for (let n = 0; n * perSheet < shots.length; n += 1) {
  const cells = shots
    .slice(n * perSheet, (n + 1) * perSheet)
    .map(
      ({ title, picture }) =>
        `<div style="width:${width}px"><p style="font:14px sans-serif;margin:4px">${title}</p><img src="data:image/png;base64,${picture}" width="${width}"></div>`,
    );
  await sheet.setViewportSize({ width: cells.length * (width + 12), height: 900 });
  await sheet.setContent(
    `<body style="margin:0;background:#888"><div style="display:flex;gap:12px;align-items:start">${cells.join('')}</div>`,
  );
  await sheet.screenshot({ path: join(out, `sheet-${n + 1}.png`), fullPage: true });
}
await browser.close();
console.log(`${emails.length} emails on sheets in ${out}`);
