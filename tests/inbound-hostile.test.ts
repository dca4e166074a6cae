import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { foreignMail } from '@verbalis/core/mime';
import { SmtpConnection } from '@verbalis/service/smtp';
import type { Browser } from 'playwright-core';
import { browserTest, launch, signedIn } from './support/browser.js';
import { scaled } from './support/scale.js';
import { OPERATOR, startTestService, until, type TestService } from './support/service.js';

// Hostile inbound mail: whatever comes in, nothing of it runs, nothing loads, memory stays, and the next email is read.
const HOST = 'returns.saltmarsh-ferries.example';
const HELP = `help@${HOST}`;
let all: TestService;
let operator: Client;
let browser: Browser;
let trap: Server;
let trapUrl: string;
const trapped: string[] = [];

beforeAll(async () => {
  trap = createServer((request, response) => {
    trapped.push(request.url ?? '');
    response.end();
  });
  await new Promise<void>((done) => trap.listen(0, '127.0.0.1', done));
  trapUrl = `http://127.0.0.1:${(trap.address() as AddressInfo).port}`;
  all = await startTestService({
    change: { inbound: { perHour: 10_000, addresses: [{ address: HELP, space: 'harbour', name: 'help' }] } },
  });
  operator = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
  browser = await launch();
});
afterAll(async () => {
  await browser.close();
  await all.stop();
  trap.closeAllConnections();
  trap.close();
});

async function bring(raw: string | Buffer): Promise<string> {
  const connection = new SmtpConnection({ host: '127.0.0.1', port: all.service.returnsPort, helloName: 'mx.post.example' });
  await connection.open();
  const bytes = Buffer.isBuffer(raw) ? raw : Buffer.from(raw);
  const outcome = await connection.deliver({ from: 'foe@post.example', to: HELP }, foreignMail(bytes));
  connection.close();
  return outcome.kind;
}

const headed = (fields: Readonly<Record<string, string>>, body: string): string =>
  `${Object.entries({ From: 'Foe <foe@post.example>', To: HELP, Subject: 'Hello', ...fields })
    .map(([name, value]) => `${name}: ${value}\r\n`)
    .join('')}\r\n${body}`;
const html = (body: string): string => headed({ 'Content-Type': 'text/html; charset=utf-8' }, body);
const multipart = (parts: readonly string[], type = 'mixed'): string =>
  headed({ 'Content-Type': `multipart/${type}; boundary=b` }, `${parts.map((part) => `--b\r\n${part}\r\n`).join('')}--b--\r\n`);
const text = 'Content-Type: text/plain\r\n\r\nHello.';
const nested = (depth: number): string =>
  depth === 0
    ? 'Content-Type: text/plain\r\n\r\ndeep'
    : `Content-Type: multipart/mixed; boundary=b${depth}\r\n\r\n--b${depth}\r\n${nested(depth - 1)}\r\n--b${depth}--`;
const lines = (line: string, count: number): string => `${line}\r\n`.repeat(count);

/** What a page would do if it could. */
function active(): Readonly<Record<string, string>> {
  const hit = (name: string): string => `${trapUrl}/${name}`;
  return {
    script: html(`<script>fetch('${hit('script')}')</script><p>x</p>`),
    'script in an attribute': html(
      `<p onload="fetch('${hit('onload')}')" onmouseover=alert(1)>x</p><body onload="location='${hit('body')}'">`,
    ),
    'broken script': html(`<scr<script>ipt>fetch('${hit('broken')}')</scr</script>ipt><p>x</p>`),
    picture: html(`<p>x</p><img src="${hit('picture.gif')}">`),
    'picture of many sizes': html(
      `<p>x</p><img srcset="${hit('set.gif')} 2x" src="${hit('set1.gif')}"><picture><source srcset="${hit('source.gif')}"></picture>`,
    ),
    'background attribute': html(`<table background="${hit('table.gif')}"><tr><td background="${hit('td.gif')}">x</td></tr></table>`),
    'background style': html(`<p style="background-image:url('${hit('style.gif')}')">x</p>`),
    'background with escapes': html(`<p style="background-image:u\\72l(${hit('escape.gif')})">x</p>`),
    'list picture': html(`<ul style="list-style-image:url(${hit('list.gif')})"><li>x</li></ul>`),
    cursor: html(`<p style="cursor:url(${hit('cursor.cur')}),auto">x</p>`),
    'style sheet': html(`<link rel="stylesheet" href="${hit('sheet.css')}"><p>x</p>`),
    'style import': html(`<style>@import url(${hit('import.css')});p{background:url(${hit('rule.gif')})}</style><p>x</p>`),
    font: html(`<style>@font-face{font-family:f;src:url(${hit('font.woff')})}p{font-family:f}</style><p>x</p>`),
    frame: html(`<iframe src="${hit('frame')}"></iframe><frameset><frame src="${hit('frameset')}"></frameset><p>x</p>`),
    object: html(`<object data="${hit('object')}"></object><embed src="${hit('embed')}"><applet code="${hit('applet')}"></applet><p>x</p>`),
    sound: html(`<audio src="${hit('audio')}" autoplay></audio><video poster="${hit('poster')}" src="${hit('video')}"></video><p>x</p>`),
    drawing: html(
      `<svg><image href="${hit('svg.png')}"/><use href="${hit('use')}#x"/><script>fetch('${hit('svgscript')}')</script></svg><p>x</p>`,
    ),
    'drawing in a picture': html(
      `<img src="data:image/svg+xml,%3Csvg xmlns='http://www.w3.org/2000/svg'%3E%3Cimage href='${hit('inner')}'/%3E%3C/svg%3E"><p>x</p>`,
    ),
    formula: html(
      `<math><annotation-xml encoding="text/html"><img src=${hit('math')} onerror="fetch('${hit('matherror')}')"></annotation-xml></math><p>x</p>`,
    ),
    refresh: html(`<meta http-equiv="refresh" content="0;url=${hit('refresh')}"><p>x</p>`),
    base: html(`<base href="${trapUrl}/"><img src="based.gif"><p>x</p>`),
    prefetch: html(
      `<link rel="prefetch" href="${hit('prefetch')}"><link rel="dns-prefetch" href="//trap.example"><link rel="preload" as="image" href="${hit('preload')}"><p>x</p>`,
    ),
    form: html(`<form action="${hit('form')}"><input name=a autofocus><button formaction="${hit('button')}">go</button></form><p>x</p>`),
    'image button': html(`<input type="image" src="${hit('input.gif')}"><p>x</p>`),
    template: html(
      `<template><img src="${hit('template.gif')}"></template><noscript><img src="${hit('noscript.gif')}"></noscript><p>x</p>`,
    ),
    comment: html(`<!--><img src="${hit('comment.gif')}">--><p>x</p>`),
    'conditional comment': html(
      `<!--[if gte mso 9]><img src="${hit('mso.gif')}"><![endif]--><![if !mso]><img src="${hit('notmso.gif')}"><![endif]><p>x</p>`,
    ),
    'title that ends': html(`<title><img src="${hit('title.gif')}"></title><p>x</p>`),
    'attribute that ends': html(`<p title='"><img src=${hit('attr.gif')}>'>x</p><a href='"><img src=${hit('href.gif')}>'>y</a>`),
    'textarea that ends': html(`<textarea></textarea><img src=${hit('textarea.gif')}><p>x</p>`),
    'xmp and plaintext': html(`<p>x</p><xmp><img src="${hit('xmp.gif')}"></xmp><plaintext><img src="${hit('plain.gif')}">`),
    'two bodies': html(`<body><p>x</p></body><body background="${hit('second.gif')}">`),
    'ping of a link': html(`<p>x</p><a href="https://post.example" ping="${hit('ping')}">y</a>`),
    'utf-7': headed({ 'Content-Type': 'text/html; charset=utf-7' }, `+ADw-script+AD4-fetch('${hit('utf7')}')+ADw-/script+AD4-<p>x</p>`),
    'the content id of another': html(`<p>x</p><img src="cid:../../${hit('cid')}">`),
  };
}

/** What would take time, memory, or the ground from under a reader. */
const SHAPES: Readonly<Record<string, string | Buffer>> = {
  'nested 200 deep': headed({ 'Content-Type': 'multipart/mixed; boundary=b200' }, nested(199).slice(nested(199).indexOf('\r\n\r\n') + 4)),
  '5,000 parts': multipart(Array.from({ length: 5000 }, () => text)),
  '2,000 files': multipart(Array.from({ length: 2000 }, (_, i) => `Content-Disposition: attachment; filename="f${i}.bin"\r\n\r\nx`)),
  'emails within emails': headed(
    { 'Content-Type': 'message/rfc822' },
    `${'Content-Type: message/rfc822\r\n\r\n'.repeat(300)}Subject: x\r\n\r\nx`,
  ),
  'elements nested 100,000 deep': html(lines('<div><b><i>'.repeat(20), 1700)),
  '900 lines of 980 signs': headed({}, lines('x'.repeat(980), 900)),
  'a million quote marks': headed({}, lines('>'.repeat(900), 1100)),
  '60,000 introductions': headed({}, lines('On 10 Mar 2026 at 09:15 a@post.example', 60_000)),
  '60,000 rules': headed({}, lines('_____', 60_000) + lines('', 60_000)),
  'headers without end': headed({}, '').replace('\r\n\r\n', `\r\n${lines('X-A: b', 50_000)}\r\n`),
  'a subject of a megabyte': headed({ Subject: lines(` ${'s'.repeat(900)}`, 1000).trim() }, 'x'),
  '20,000 recipients': headed({ To: Array.from({ length: 20_000 }, (_, i) => `a${i}@post.example`).join(',\r\n ') }, 'x'),
  '10,000 references': headed({ References: Array.from({ length: 10_000 }, (_, i) => `<${i}@post.example>`).join('\r\n ') }, 'x'),
  'addresses with open quotes': headed({ From: `"${'('.repeat(500)} <foe@post.example>`, Cc: '"\\'.repeat(400) }, 'x'),
  'encoded words without end': headed(
    { Subject: `=?utf-8?q?${'=41'.repeat(300)}`, From: `=?x-none?b?${'A'.repeat(300)}?= <foe@post.example>` },
    'x',
  ),
  'no charset that there is': headed({ 'Content-Type': 'text/plain; charset="x-\u0000none"' }, 'Hello.'),
  'base64 that is none': headed({ 'Content-Type': 'text/html', 'Content-Transfer-Encoding': 'base64' }, lines('%%%====', 1000)),
  'quoted-printable that is none': headed({ 'Content-Transfer-Encoding': 'quoted-printable' }, lines('=ZZ=3=', 5000)),
  'bytes of all kinds': Buffer.concat([
    Buffer.from(headed({}, '')),
    Buffer.from(Array.from({ length: 200_000 }, (_, i) => (i * 7919) % 256).map((byte) => (byte === 13 || byte === 10 ? 32 : byte))),
  ]),
  'boundaries that are prefixes': headed({ 'Content-Type': 'multipart/mixed; boundary=b' }, lines('--bb', 5000) + lines('--b', 2000)),
  'a boundary of spaces': headed({ 'Content-Type': 'multipart/mixed; boundary="   "' }, lines('--   ', 5000)),
  'names that lead elsewhere': multipart([
    text,
    'Content-Disposition: attachment; filename="../../../etc/passwd"\r\n\r\nx',
    "Content-Disposition: attachment; filename*=UTF-8''..%2F..%2Fx%00.exe\r\n\r\nx",
  ]),
  'a name of 900 signs': multipart([text, `Content-Disposition: attachment;\r\n filename="${'n'.repeat(900)}"\r\n\r\nx`]),
  'links of 600 signs, 1,500 of them': html(lines(`<a href="https://post.example/${'a'.repeat(600)}">x</a>`, 1500)),
  'styles of 80 properties, 1,000 of them': html(lines(`<p style="${'color:red;'.repeat(80)}">x</p>`, 1000)),
  'a signature that never ends': headed({}, `Hello.\r\n-- \r\n${lines('-- ', 50_000)}`),
};

const readable = async (id: string) => {
  const found = await operator.inbound.get(id);
  return found.state === 'arrived' ? undefined : found;
};

test('60 of them', () => {
  expect(Object.keys(active()).length + Object.keys(SHAPES).length).toBeGreaterThanOrEqual(60);
});

describe('what would run or load', () => {
  browserTest('neither runs nor loads, in the API, in the frame, in the console', async () => {
    for (const [name, raw] of Object.entries(active())) {
      // Each is an email of its own.
      expect([name, await bring(raw.replace('Subject: Hello', `Subject: ${name}`))]).toEqual([name, 'accepted']);
    }
    const wanted = Object.keys(active()).length;
    const found = await until(async () => {
      const { inbound } = await operator.inbound.list({ from: 'foe@post.example', limit: 200 });
      return inbound.length === wanted && inbound.every(({ state }) => state === 'read') ? inbound : undefined;
    });
    const page = await browser.newPage();
    await signedIn(page, all.service.url, OPERATOR);
    const shownEvery = scaled(3, 1);
    for (const [i, { id, subject }] of found.entries()) {
      const email = await operator.inbound.get(id);
      expect([subject, email.text.includes('x')]).toEqual([subject, true]);
      expect([subject, email.html ?? '']).toEqual([
        subject,
        expect.not.stringMatching(/<(?:script|iframe|object|embed|form|link|meta|base|style|svg)|\son\w+=|url\(|javascript:/i),
      ]);
      if (i % shownEvery === 0) {
        await page.goto(`${all.service.url}/track/inbound/${id}`);
        await page.getByText('As it came').click();
        await page.locator('iframe[title="The email"], [aria-label="Text of the email"]').waitFor();
      }
      // The same as it would be without our frame around it.
      await page.goto(`${all.service.url}/v1/inbound/${id}/html?space=harbour`);
      await page.setContent(email.html ?? '');
    }
    await page.close();
    expect(trapped).toEqual([]);
  });
});

describe('what would take all there is', () => {
  test.each(Object.keys(SHAPES))('%s: taken or refused, and the next email is read', async (name) => {
    const raw = SHAPES[name] ?? '';
    const before = (await operator.inbound.list({ limit: 1 })).inbound[0]?.id ?? '';
    const kind = await bring(raw);
    expect(['accepted', 'refused']).toContain(kind);
    if (kind === 'accepted') {
      const { inbound } = await operator.inbound.list({ limit: 1 });
      expect(inbound[0]!.id > before).toBe(true);
      const read = await until(() => readable(inbound[0]!.id));
      expect(read.state).toBe('read');
      expect(read.text.length + read.quoted.length).toBeLessThan(140_000);
      for (const file of read.files) expect(file.name).not.toMatch(/[/\\\u0000]/);
    }
    await bring(headed({ Subject: `After ${name}` }, 'Still there?'));
    await until(async () => {
      const { inbound } = await operator.inbound.list({ limit: 1 });
      return inbound[0]?.subject === `After ${name}` && inbound[0].state === 'read' ? true : undefined;
    });
  });

  test('memory is flat after all of them', async () => {
    globalThis.gc?.();
    const before = process.memoryUsage().rss;
    for (let round = 0; round < scaled(1, 3); round += 1)
      for (const [name, raw] of Object.entries(SHAPES)) await bring(String(raw).replace('Subject: Hello', `Subject: ${name} ${round}`));
    await until(async () =>
      (await operator.inbound.list({ limit: 200 })).inbound.every(({ state }) => state !== 'arrived') ? true : undefined,
    );
    globalThis.gc?.();
    // The emails themselves are on the disk; what is left is no multiple of them.
    expect(process.memoryUsage().rss - before).toBeLessThan(400_000_000);
  });
});
