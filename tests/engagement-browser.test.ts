import { cpSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:https';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { afterAll, beforeAll, expect } from '@jest/globals';
import type { NewMessage } from '@verbalis/client';
import { readMail, shownText } from '@verbalis/core/mime';
import type { Browser } from 'playwright-core';
import { browserTest, launch } from './support/browser.js';
import { makeCertificates } from './support/secure.js';
import { DEMO_FOLDER, startTestService, temporaryFolder, type TestService } from './support/service.js';

// Every link of every email of the demo, as a browser follows it: through the service to its target.

/** Not https: the service is asked by its public name, and TLS is the proxy's. */
const PUBLIC = 'http://mail.saltmarsh-ferries.example';
const folder = temporaryFolder();
let all: TestService;
let targets: Server;
let browser: Browser;

beforeAll(async () => {
  const path = join(folder.path, 'mail');
  cpSync(DEMO_FOLDER, path, { recursive: true });
  const file = join(path, 'mail.yaml');
  // Every topic is tracked, the essential ones too.
  const settings = readFileSync(file, 'utf8')
    .replace(/^ {4}tracking:.*\n/gm, '')
    .replace(/^ {4}purpose: (\w+)$/gm, '    purpose: $1\n    tracking: { opens: true, clicks: true, mode: individual }');
  writeFileSync(file, settings);
  all = await startTestService({
    change: { publicUrl: PUBLIC, spaces: { harbour: { mode: 'deliver', mailFolder: path, route: ['relay'], runaway: false } } },
  });
  const { keyFile, certFile } = makeCertificates(folder.path, 'saltmarsh-ferries.example');
  targets = createServer({ key: readFileSync(keyFile), cert: readFileSync(certFile) }, (request, response) => {
    response.end(`<title>${request.headers.host ?? ''}${request.url ?? ''}</title>`);
  });
  await new Promise<void>((done) => targets.listen(0, '127.0.0.1', done));
  const { port } = targets.address() as AddressInfo;
  const own = new URL(all.service.url).port;
  browser = await launch(
    '--ignore-certificate-errors',
    `--host-resolver-rules=MAP mail.saltmarsh-ferries.example 127.0.0.1:${own}, MAP * 127.0.0.1:${port}`,
  );
});
afterAll(async () => {
  await browser.close();
  targets.close();
  await all.stop();
  folder.remove();
});

async function htmlOf(message: NewMessage): Promise<string> {
  const { id } = await all.client.messages.send(message);
  await all.ended(id, 'accepted');
  return shownText(readMail(await all.received(all.client, id)), 'html') ?? '';
}

/** The addresses of links as a browser reads them. */
async function linksIn(html: string): Promise<string[]> {
  const page = await browser.newPage();
  await page.setContent(html, { waitUntil: 'commit' });
  const links = await page.evaluate(() => [...document.querySelectorAll('a[href]')].map((link) => (link as HTMLAnchorElement).href));
  await page.close();
  return links;
}

browserTest('each leads where it led before, and those with secrets lead there themselves', async () => {
  let followed = 0;
  const page = await browser.newPage();
  for (const template of readdirSync(join(DEMO_FOLDER, 'templates')).sort())
    for (const sample of ['typical', 'nasty']) {
      const data = JSON.parse(readFileSync(join(DEMO_FOLDER, 'templates', template, 'samples', `${sample}.json`), 'utf8')) as Record<
        string,
        unknown
      >;
      const message = { template, to: ['reader@post.example'], data };
      const plain = await linksIn(await htmlOf({ ...message, tracking: false }));
      const tracked = await linksIn(await htmlOf(message));
      expect([template, tracked.length]).toEqual([template, plain.length]);
      for (const [i, link] of tracked.entries()) {
        const before = plain[i] ?? '';
        if (!link.startsWith(`${PUBLIC}/go/`)) {
          // Each page to unsubscribe has an address of its own.
          if (link.startsWith(`${PUBLIC}/unsubscribe/`)) expect(before).toContain('/unsubscribe/');
          else expect(link).toBe(before);
          continue;
        }
        followed += 1;
        const answer = await page.goto(link);
        expect([template, page.url(), answer?.status()]).toEqual([template, before, 200]);
      }
      // A code is for its recipient alone: nothing of its email is followed.
      if (template === 'sign-in-code') expect(tracked.filter((link) => link.includes('/go/'))).toEqual([]);
    }
  expect(followed).toBeGreaterThan(10);
  await page.close();
});

browserTest('query, fragment, encoded signs, other scripts and two thousand characters arrive in a browser', async () => {
  const long = `https://saltmarsh-ferries.example/search?${Array.from({ length: 90 }, (_, i) => `filter-${i}=value+${i * 7919}`).join('&')}`;
  const urls = [
    'https://saltmarsh-ferries.example/a?x=1&y=%26%3D#part/of?it',
    'https://saltmarsh-ferries.example/%C3%9Cber%20uns/%2F?leer=',
    'https://fähre.example/søk?ord=blå#übersicht',
    long,
  ];
  const html = await htmlOf({
    to: ['reader@post.example'],
    subject: 'Links',
    text: 'x',
    topic: 'pier-news',
    html: urls.map((url, i) => `<a href="${url.replaceAll('&', '&amp;')}">Link ${i}</a>`).join(' '),
  });
  const page = await browser.newPage();
  const links = await linksIn(html);
  expect(links).toHaveLength(urls.length);
  for (const [i, link] of links.entries()) {
    expect(link).toContain('/go/');
    await page.goto(link);
    expect(page.url()).toBe(new URL(urls[i] ?? '').href);
    expect(await page.title()).toBe(new URL(urls[i] ?? '').host + new URL(urls[i] ?? '').pathname + new URL(urls[i] ?? '').search);
  }
  await page.close();
});
