import { spawnSync } from 'node:child_process';
import { afterAll, beforeAll, expect } from '@jest/globals';
import type { Browser, Page } from 'playwright-core';
import { linkFolder } from '@verbalis/core/folder';
import { compileFolder } from '@verbalis/core/program';
import { prepare } from '@verbalis/core/render';
import { browserTest, launch, needs } from './support/browser.js';
import { LIMITS } from './support/limits.js';
import { demoSamples } from './support/samples.js';

// How mails arrive where they are read: in windows of any width, without pictures, on a terminal, in a screen reader.
const NOW = Date.parse('2026-12-03T09:00:00Z');
const { emails } = demoSamples();
let browser: Browser;
beforeAll(async () => {
  browser = await launch();
});
afterAll(() => browser.close());

function mailOf(body: string): string {
  const files = {
    'mail.yaml': 'name: T\nbaseUrl: https://saltmarsh-ferries.example/\n',
    'templates/t/data.schema.json': '{"type":"object"}',
    'templates/t/message.md': `---\nsubject: "S"\npreview: "P"\n---\n${body}`,
  };
  const { templates } = compileFolder(linkFolder(new Map(Object.entries(files).map(([path, text]) => [path, Buffer.from(text)]))));
  return prepare(templates.get('t')!.programs.get('en')!)({ data: {}, now: NOW }).html;
}

/** What a screen reader is given, in its order: roles with their words. */
async function spoken(page: Page, html: string): Promise<string[]> {
  await page.setContent(html);
  const session = await page.context().newCDPSession(page);
  const { nodes } = await session.send('Accessibility.getFullAXTree');
  await session.detach();
  const roles = new Set(['table', 'caption', 'columnheader', 'rowheader', 'cell', 'link', 'image', 'img', 'note', 'heading', 'StaticText']);
  const byId = new Map(nodes.map((node) => [node.nodeId, node]));
  const out: string[] = [];
  const walk = (id: string, within: string): void => {
    const node = byId.get(id);
    if (node === undefined) return;
    const role = String(node.role?.value ?? '');
    const name = String(node.name?.value ?? '').trim();
    const isCurrent =
      node.properties?.some((property) => property.name === ('current' as string) && property.value.value === 'step') === true;
    const isTold = !node.ignored && roles.has(role) && name !== '' && !(role === 'StaticText' && name === within);
    if (isTold) out.push(`${role === 'StaticText' ? 'text' : role.replace('image', 'img')} ${name}${isCurrent ? ' (current)' : ''}`);
    // What is in a picture is no words of its own (WAI-ARIA 1.2, 5.2.8).
    if (role !== 'image' && role !== 'img') for (const child of node.childIds ?? []) walk(child, isTold ? name : within);
  };
  walk(nodes[0]!.nodeId, '');
  return out;
}

browserTest('a screen reader gets what the eye sees: ledger, facts, steps, notice, action', async () => {
  const page = await browser.newPage();
  const of = (body: string): Promise<string[]> => spoken(page, mailOf(body));
  expect(await of(':::ledger "Your fares"\n# Fare | Number | Price\n- Adult | 2 | €48.00\n= Total | | €48.00\n:::')).toEqual([
    'table Your fares',
    ...['columnheader Fare', 'columnheader Number', 'columnheader Price'],
    ...['rowheader Adult', 'cell 2', 'cell €48.00'],
    ...['rowheader Total', 'cell €48.00'],
  ]);
  expect(await of(':::facts\n- Vessel: MV Curlew\n- Pier: 2\n:::')).toEqual([
    ...['rowheader Vessel', 'cell MV Curlew'],
    ...['rowheader Pier', 'cell 2'],
  ]);
  expect(await of(':::steps at={{ 2 }}\n- Booked\n- Boarding | Pier 2\n- At sea\n:::')).toEqual([
    ...['img done', 'text Booked'],
    ...['img now', 'text Boarding', 'text Pier 2'],
    ...['img to come', 'text At sea'],
  ]);
  expect(await of(':::notice tone=warning\nThe ramp is closed.\n:::')).toEqual(['note Attention', 'text The ramp is closed.']);
  expect(await of('::action "Change this booking" to="/x"')).toEqual(['link Change this booking']);
  await page.close();
});

browserTest(
  'every sample in every language at 375, 600 and 1280 pixels: nothing scrolls sideways, and without pictures their words are there',
  async () => {
    const page = await browser.newPage();
    await page.route('**/*', (route) => (route.request().resourceType() === 'image' ? route.abort() : route.continue()));
    const wrong: string[] = [];
    for (const { name, program, data } of emails) {
      const { html } = prepare(program)({ data, now: NOW });
      await page.setContent(html);
      for (const width of [375, 600, 1280]) {
        await page.setViewportSize({ width, height: 800 });
        const found = await page.evaluate(() => ({
          wide: document.documentElement.scrollWidth,
          column: Math.max(0, ...[...document.querySelectorAll('.mail')].map((node) => node.getBoundingClientRect().width)),
          silent: [...document.images].filter(({ alt, clientHeight }) => alt !== '' && clientHeight === 0).length,
        }));
        if (found.wide > width || found.column > 600 || found.silent > 0) wrong.push(`${name} at ${width}: ${JSON.stringify(found)}`);
      }
    }
    await page.close();
    expect(wrong).toEqual([]);
  },
  LIMITS.longTest,
);

needs('/usr/bin/w3m')(
  'on a terminal every sample says what its text part says',
  () => {
    const words = (text: string): string[] => text.match(/[\p{L}\p{N}]{3,}/gu) ?? [];
    for (const { name, program, data, locale } of emails.filter((email) => email.locale !== 'ar')) {
      const { html, text } = prepare(program)({ data, now: NOW });
      const { stdout, status } = spawnSync(
        'w3m',
        ['-dump', '-T', 'text/html', '-I', 'UTF-8', '-O', 'UTF-8', '-cols', '100', '-o', 'display_image=0'],
        { input: html, encoding: 'utf8' },
      );
      expect({ name, status }).toEqual({ name, status: 0 });
      // Lines break elsewhere: what counts is that no word is missing.
      const shown = new Set(words(locale === 'ja' ? stdout.replace(/\s/g, '') : stdout));
      const all = stdout.replace(/\s/g, '');
      const missing = words(text.replace(/^\[\d+\] \S+$|https?:\S+/gm, '').replace(/^\| .*:$/gm, '')).filter(
        (word) => !shown.has(word) && !all.includes(word),
      );
      expect({ name, missing }).toEqual({ name, missing: [] });
    }
  },
  LIMITS.longTest,
);
