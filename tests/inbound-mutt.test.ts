import { spawnSync } from 'node:child_process';
import { chmodSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { afterAll, beforeAll, expect } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { isGenuine } from '@verbalis/core/events';
import type { Browser } from 'playwright-core';
import { axe, CHROMIUM, launch, needs, signedIn } from './support/browser.js';
import { LIMITS } from './support/limits.js';
import { POSTFIX, freePort, startPostfix, type Postfix } from './support/postfix.js';
import { booking, OPERATOR, ROOT, startTestService, temporaryFolder, until, type TestService } from './support/service.js';

// A passenger with a mail reader of her own: our email by a real Postfix, her answer with a picture from mutt, the event and its webhook, our
// answer from the console, and the thread in mutt.
const muttTest = needs(POSTFIX, '/usr/bin/mutt', '/usr/bin/script', CHROMIUM);
const HER = 'una@post.example';
const folder = temporaryFolder();
let postfix: Postfix;
let all: TestService;
let operator: Client;
let browser: Browser;
let hooks: Server;
const called: { readonly body: string; readonly headers: Readonly<Record<string, unknown>> }[] = [];

beforeAll(async () => {
  const returnsPort = await freePort();
  hooks = createServer((request, response) => {
    let body = '';
    request.on('data', (chunk: Buffer) => (body += chunk.toString()));
    request.on('end', () => {
      if (request.method === 'POST') called.push({ body, headers: request.headers });
      response.end();
    });
  });
  await new Promise<void>((done) => hooks.listen(0, '127.0.0.1', done));
  postfix = await startPostfix({ mailboxes: [HER], routes: { 'returns.saltmarsh-ferries.example': returnsPort } });
  all = await startTestService({
    provider: { host: '127.0.0.1', port: postfix.port },
    change: { returns: { port: returnsPort, domain: 'returns.saltmarsh-ferries.example' }, outside: { allow: ['127.0.0.1'] } },
  });
  operator = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
  browser = await launch();
});
afterAll(async () => {
  await browser.close();
  await all.stop();
  postfix.stop();
  hooks.closeAllConnections();
  hooks.close();
  folder.remove();
});

/** Her mailbox as mutt opens it. */
const maildir = (): string => join(postfix.delivered(HER)[0] ?? '', '../..');

/** Runs mutt on a terminal; keys are pressed in order. @returns what the terminal showed */
function mutt(keys: string, settings: readonly string[] = []): string {
  const rc = join(folder.path, 'muttrc');
  const home = join(folder.path, 'home');
  mkdirSync(home, { recursive: true });
  writeFileSync(
    rc,
    [
      `set folder="${home}" confirmcreate=no record="" postponed="${home}/postponed" mbox="${home}/mbox" include=yes`,
      `set from="Una Bell <${HER}>" use_from=yes envelope_from_address="${HER}" use_envelope_from=yes realname="Una Bell"`,
      `set smtp_url="smtp://127.0.0.1:${postfix.port}" ssl_starttls=no ssl_force_tls=no`,
      'set copy=no autoedit=yes fast_reply=yes edit_headers=yes recall=no abort_nosubject=no abort_unmodified=no quit=yes wait_key=no reply_to=yes move=no beep=no',
      'set sort=threads ascii_chars=yes charset="utf-8" send_charset="utf-8" header_cache="" mark_old=no confirmappend=no',
      'set index_format="%3C %-14.14F %s"',
      ...settings,
    ].join('\n'),
  );
  const command = `mutt -n -F ${rc} -f ${maildir()} -e 'push "${keys}"'`;
  const { stdout } = spawnSync('script', ['-qec', command, '/dev/null'], {
    encoding: 'utf8',
    input: '',
    timeout: LIMITS.element,
    env: { ...process.env, HOME: home, TERM: 'vt100', LINES: '24', COLUMNS: '100', LC_ALL: 'C.UTF-8' },
  });
  return stdout;
}

muttTest('our email, her answer from mutt with a picture, event, webhook, console, our answer, her thread', async () => {
  const subscription = await operator.subscriptions.add({
    name: 'app',
    url: `http://127.0.0.1:${(hooks.address() as AddressInfo).port}/hook`,
    filter: 'type = received',
    handshake: false,
  });
  const { id } = await all.client.messages.send(booking({ name: 'Una Bell', address: HER }, 'SM-4471'));
  await until(() => (postfix.delivered(HER).length > 0 ? true : undefined));

  const editor = join(folder.path, 'editor');
  writeFileSync(
    editor,
    `#!/usr/bin/env python3
import sys
head, _, quoted = open(sys.argv[1], encoding='utf8').read().partition('\\n\\n')
open(sys.argv[1], 'w', encoding='utf8').write(head + '\\nAttach: ${join(ROOT, 'demo/scarf.png')} her scarf\\n\\nIs there room for my bicycle? It is the blue one.\\n\\n' + quoted)
`,
  );
  chmodSync(editor, 0o755);
  mutt('<first-entry><reply><send-message><quit>', [`set editor="${editor}"`, 'set attribution="On %d, %n wrote:"']);

  const answer = await until(async () => {
    const { inbound } = await operator.inbound.list({ message: id });
    return inbound[0]?.state === 'read' ? operator.inbound.get(inbound[0].id) : undefined;
  });
  expect(answer).toMatchObject({
    from: { name: 'Una Bell', address: HER },
    text: 'Is there room for my bicycle? It is the blue one.',
    suspicious: 0,
  });
  expect(answer.quoted).toContain('> ');
  expect(answer.files).toMatchObject([{ name: 'scarf.png', type: 'image/png' }]);
  const picture = await operator.inbound.attachment(answer.id, answer.files[0]!.part);
  expect(Buffer.from(picture).equals(readFileSync(join(ROOT, 'demo/scarf.png')))).toBe(true);

  const call = await until(() => called[0]);
  expect(JSON.parse(call.body)).toMatchObject({
    type: 'verbalis.inbound.received',
    data: { inboundId: answer.id, messageId: id, reference: 'SM-4471', text: 'Is there room for my bicycle? It is the blue one.' },
  });
  const headers = Object.fromEntries(Object.entries(call.headers).map(([name, value]) => [name, String(value)]));
  expect(isGenuine(subscription.secret ?? '', { headers, body: call.body, now: Date.now() })).toBe(true);

  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  page.setDefaultTimeout(LIMITS.element);
  await signedIn(page, all.service.url, OPERATOR);
  await page.goto(`${all.service.url}/track/inbound`);
  await page.getByRole('row').filter({ hasText: 'Una Bell' }).click();
  await page.getByText('Is there room for my bicycle? It is the blue one.').waitFor();
  await page.getByText('Our message').waitFor();
  expect(await axe(page)).toEqual([]);
  await page.getByLabel(`Answer to ${HER}`).fill('There is. Bring it to the ramp.');
  await page.getByRole('button', { name: 'Send the answer' }).click();
  await page.getByText('It is on its way.').waitFor();

  // What mutt has opened is no longer new.
  const ours = await until(() =>
    postfix
      .delivered(HER)
      .map((file) => readFileSync(file, 'utf8'))
      .find((raw) => raw.includes('Bring it to the ramp')),
  );
  expect(ours).toContain(`In-Reply-To: <${answer.headerId ?? ''}>`);
  expect(ours).not.toMatch(/^Auto-Submitted:/m);
  // Her own answer is not in the mailbox, and still mutt hangs ours below our first email.
  const shown = mutt('<quit>');
  expect(shown).toMatch(/`->/);
  await page.goto(`${all.service.url}/track/messages/${id}`);
  await page.getByRole('heading', { name: 'What was answered' }).waitFor();
  await page.close();
});
