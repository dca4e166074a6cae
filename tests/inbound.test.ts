import { createHash } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, type Client, type RefusedError } from '@verbalis/client';
import { foreignMail } from '@verbalis/core/mime';
import { SmtpConnection } from '@verbalis/service/smtp';
import { DEMO_FOLDER, OPERATOR, booking, startTestService, until, type TestService } from './support/service.js';
import { runCli } from './support/cli.js';

// What people write to us: tied to what they answer, safe to show, and answered in its thread.
const HOST = 'returns.saltmarsh-ferries.example';
let all: TestService;
let operator: Client;
let drydock: Client;

beforeAll(async () => {
  all = await startTestService({
    change: (port) => ({
      publicUrl: 'https://mail.saltmarsh-ferries.example',
      providers: { relay: { kind: 'smtp', host: '127.0.0.1', port } },
      spaces: {
        harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'], runaway: false },
        drydock: { mode: 'capture', mailFolder: DEMO_FOLDER },
      },
      returns: { port: 0, domain: HOST, phrases: [{ means: 'mailbox-full', phrases: ['the sack is full'] }] },
      inbound: {
        perHour: 20,
        automaticPerDay: 2,
        addresses: [
          { address: `lost+*@${HOST}`, space: 'harbour', name: 'lost-property' },
          { address: `help@${HOST}`, space: 'harbour', name: 'help' },
          { address: 'trial@drydock.example', space: 'drydock', name: 'trial' },
        ],
      },
    }),
  });
  operator = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
  drydock = createClient({ url: all.service.url, key: OPERATOR, space: 'drydock' });
});
afterAll(() => all.stop());

/** Brings an email as another mail server would. @returns what was answered */
async function bring(to: string | readonly string[], raw: string | Buffer, from = 'una@post.example') {
  const connection = new SmtpConnection({ host: '127.0.0.1', port: all.service.returnsPort, helloName: 'mx.post.example' });
  await connection.open();
  const outcomes = [];
  for (const address of typeof to === 'string' ? [to] : to)
    outcomes.push(await connection.deliver({ from, to: address }, foreignMail(Buffer.isBuffer(raw) ? raw : Buffer.from(raw))));
  connection.close();
  return outcomes[0]!;
}

let count = 0;
const email = (fields: Readonly<Record<string, string>>, body: string): string => {
  count += 1;
  const all = {
    From: 'Una Bell <una@post.example>',
    To: 'x@y.example',
    Subject: 'Hello',
    'Message-ID': `<${count}@post.example>`,
    ...fields,
  };
  return `${Object.entries(all)
    .map(([name, value]) => `${name}: ${value}\r\n`)
    .join('')}\r\n${body.replace(/\r?\n/g, '\r\n')}`;
};

const fieldOf = (raw: string, name: string): string | undefined =>
  new RegExp(`^${name}: ((?:.*\\r\\n[ \\t])*.*)\\r\\n`, 'im').exec(raw)?.[1]?.replace(/\r\n[ \t]/g, ' ');

/** A message that was sent, as its recipient has it. */
async function sent(to: string, reference = 'SM-4471') {
  const { id } = await all.client.messages.send(booking(to, reference));
  await all.ended(id, 'accepted', 'delivered');
  const raw = Buffer.from(await all.client.messages.source(id)).toString('latin1');
  return { id, raw, replyTo: /<([^<>]+)>/.exec(fieldOf(raw, 'Reply-To') ?? '')?.[1] ?? '', headerId: fieldOf(raw, 'Message-ID') ?? '' };
}

/** The newest that is read, of someone. */
const readOf = (from: string, client = operator) =>
  until(async () => {
    const { inbound } = await client.inbound.list({ from });
    return inbound[0]?.state === 'read' ? client.inbound.get(inbound[0].id) : undefined;
  });

describe('answers to messages', () => {
  test('come to a signed address, tied to message, delivery and reference', async () => {
    const { id, replyTo, headerId } = await sent('una@post.example');
    expect(replyTo).toMatch(new RegExp(`^reply\\+d[0-9a-z]{26}-[a-z2-7]{16}@${HOST}$`));
    const answer = await bring(
      replyTo,
      email(
        { To: replyTo, Subject: 'Re: Your booking', 'In-Reply-To': headerId, References: headerId },
        'Thank you, is there room for my bicycle?\n\n-- \nUna\n\nOn Tue, 10 Mar 2026 at 09:15, Saltmarsh Ferries <harbour@saltmarsh-ferries.example> wrote:\n> Be at the pier at 08:15.\n',
      ),
    );
    expect(answer).toMatchObject({ kind: 'accepted', reply: { code: 250 } });
    const found = await readOf('una@post.example');
    expect(found).toMatchObject({
      inbox: 'reply',
      messageId: id,
      from: { name: 'Una Bell', address: 'una@post.example' },
      subject: 'Re: Your booking',
      text: 'Thank you, is there room for my bicycle?',
      signature: 'Una',
      language: 'en',
      suspicious: 0,
      hasBytes: true,
    });
    expect(found.quoted).toContain('> Be at the pier at 08:15.');
    const { events } = await operator.events.list({ filter: 'type = received' });
    expect(events[0]).toMatchObject({
      type: 'verbalis.inbound.received',
      data: {
        inboundId: found.id,
        messageId: id,
        reference: 'SM-4471',
        template: 'booking-confirmed',
        address: 'una@post.example',
        text: 'Thank you, is there room for my bicycle?',
        isLeft: false,
      },
    });
    expect((await operator.inbound.list({ message: id })).inbound).toHaveLength(1);
  });

  test('the app’s own address for answers goes before', async () => {
    const { id } = await all.client.messages.send({ ...booking('own@post.example'), replyTo: ['desk@saltmarsh-ferries.example'] });
    await all.ended(id, 'accepted');
    const raw = Buffer.from(await all.client.messages.source(id)).toString('latin1');
    expect(fieldOf(raw, 'Reply-To')).toBe('desk@saltmarsh-ferries.example');
  });

  test('one email is one, by whichever address and server it comes', async () => {
    const { replyTo } = await sent('twice@post.example');
    const raw = email({ From: 'twice@post.example', 'Message-ID': '<twice@post.example>' }, 'Once.\n');
    await bring([replyTo, `help@${HOST}`], raw);
    await bring(replyTo, `Received: from elsewhere by mx; Tue, 10 Mar 2026 09:15:00 +0000\r\n${raw}`);
    const found = await readOf('twice@post.example');
    expect(found.to.sort()).toEqual([`help@${HOST}`, replyTo]);
    const { events } = await operator.events.list({ filter: 'type = received', limit: 200 });
    expect(events.filter(({ data }) => (data as { address?: string }).address === 'twice@post.example')).toHaveLength(1);
    expect((await operator.inbound.list({ from: 'twice@post.example' })).inbound).toHaveLength(1);
  });

  test('forged, altered, of the return path, or of what is gone: refused before the content', async () => {
    const { replyTo, raw } = await sent('forged@post.example');
    const [local = ''] = replyTo.split('@');
    const [id = '', mac = ''] = local.slice('reply+'.length).split('-');
    const returnPath = /returns\+[^@>]+/.exec(raw)?.[0] ?? `returns+${id}-${mac}`;
    for (const bad of [
      `reply+${id}-${mac.replace(/^./, (sign) => (sign === 'a' ? 'b' : 'a'))}@${HOST}`,
      `reply+${id.slice(0, -1)}${id.endsWith('0') ? '1' : '0'}-${mac}@${HOST}`,
      `${returnPath.replace('returns+', 'reply+')}x@${HOST}`,
      `reply+@${HOST}`,
      `${local}@elsewhere.example`,
      'nobody@elsewhere.example',
      `help@elsewhere.example`,
      `lost@${HOST}`,
    ]) {
      const outcome = await bring(bad, email({}, 'x\n'));
      expect([bad, outcome]).toMatchObject([bad, { kind: 'refused', reply: { code: 550 } }]);
    }
  });

  test('of a program are returns, and no inbound mail', async () => {
    const { id, replyTo } = await sent('away@post.example');
    await bring(
      replyTo,
      email({ From: 'away@post.example', Subject: 'Out of office', 'Auto-Submitted': 'auto-replied' }, 'I am away until Monday.\n'),
      '',
    );
    const { returns } = await until(async () => {
      const found = await operator.returns.list({ message: id });
      return found.returns.length > 0 ? found : undefined;
    });
    expect(returns[0]).toMatchObject({ kind: 'auto-reply', matched: true });
    expect((await operator.inbound.list({ from: 'away@post.example' })).inbound).toEqual([]);
  });

  test('from another address are kept, and marked as suspicious', async () => {
    const { replyTo } = await sent('owner@post.example');
    await bring(replyTo, email({ From: 'other@elsewhere.example' }, 'I answer for her.\n'));
    const found = await readOf('other@elsewhere.example');
    expect(found.suspicions.map(({ code }) => code)).toEqual(['other-author']);
  });

  test('that say only "unsubscribe" leave an optional topic; of essential email nothing is left', async () => {
    const news = await all.client.messages.send({ to: ['leaver@post.example'], subject: 'News', text: 'News.', topic: 'pier-news' });
    await all.ended(news.id, 'accepted');
    const raw = Buffer.from(await all.client.messages.source(news.id)).toString('latin1');
    const replyTo = /<([^<>]+)>/.exec(fieldOf(raw, 'Reply-To') ?? '')?.[1] ?? '';
    await bring(replyTo, email({ From: 'leaver@post.example' }, 'Unsubscribe\n\n> News.\n'));
    await readOf('leaver@post.example');
    expect((await operator.consents.get({ address: 'leaver@post.example' })).history).toMatchObject([
      { topic: 'pier-news', kind: 'left', how: 'reply' },
    ]);
    const again = await all.client.messages.send({ to: ['leaver@post.example'], subject: 'News', text: 'News.', topic: 'pier-news' });
    expect(again.deliveries[0]!.state).toBe('withheld');
    const { replyTo: essential } = await sent('stays@post.example');
    await bring(essential, email({ From: 'stays@post.example' }, 'stop\n'));
    await readOf('stays@post.example');
    expect((await operator.consents.get({ address: 'stays@post.example' })).history).toEqual([]);
    // Someone else cannot leave for them.
    const { id } = await all.client.messages.send({ to: ['kept@post.example'], subject: 'News', text: 'News.', topic: 'pier-news' });
    await all.ended(id, 'accepted');
    const theirs = Buffer.from(await all.client.messages.source(id)).toString('latin1');
    await bring(/<([^<>]+)>/.exec(fieldOf(theirs, 'Reply-To') ?? '')?.[1] ?? '', email({ From: 'foe@post.example' }, 'unsubscribe\n'));
    await readOf('foe@post.example');
    expect((await operator.consents.get({ address: 'kept@post.example' })).history).toEqual([]);
  });
});

describe('inbound addresses', () => {
  test('belong to a space and have a name; a pattern gets all that fits', async () => {
    await bring(`lost+scarf@${HOST}`, email({ From: 'loser@post.example', Subject: 'My scarf' }, 'It is blue.\n'));
    expect(await readOf('loser@post.example')).toMatchObject({ inbox: 'lost-property', subject: 'My scarf', text: 'It is blue.' });
    await bring('trial@drydock.example', email({ From: 'trier@post.example' }, 'A trial.\n'));
    expect(await readOf('trier@post.example', drydock)).toMatchObject({ inbox: 'trial' });
    expect((await operator.inbound.list({ from: 'trier@post.example' })).inbound).toEqual([]);
  });

  test('an email that names the Message-ID of ours is tied to it', async () => {
    const { id, headerId } = await sent('thread@post.example');
    await bring(`help@${HOST}`, email({ From: 'Thread@post.example', References: `<0@post.example> ${headerId}` }, 'As I wrote.\n'));
    expect(await readOf('thread@post.example')).toMatchObject({ inbox: 'help', messageId: id });
  });

  test('postmaster and abuse are read by operators', async () => {
    await bring(`abuse@${HOST}`, email({ From: 'watch@post.example', Subject: 'Spam from you' }, 'Please look.\n'));
    await bring(`Postmaster@${HOST}`, email({ From: 'master@post.example' }, 'Hello.\n'));
    expect(await readOf('watch@post.example')).toMatchObject({ inbox: 'abuse' });
    expect(await readOf('master@post.example')).toMatchObject({ inbox: 'postmaster' });
    // A key of a space does not see it, and nobody answers in the name of no space.
    expect((await all.client.inbound.list({})).inbound.filter(({ inbox }) => inbox === 'abuse')).toEqual([]);
    const { id } = await readOf('watch@post.example');
    await expect(all.client.inbound.get(id)).rejects.toMatchObject({ problem: { status: 404 } });
    await expect(operator.inbound.reply(id, { text: 'x' })).rejects.toMatchObject({ problem: { type: expect.stringMatching(/no-space/) } });
  });

  test('too many emails of one sender are deferred', async () => {
    const answers = [];
    for (let i = 0; i < 22; i += 1)
      answers.push(await bring(`help@${HOST}`, email({ From: 'flood@post.example' }, `${i}\n`), 'flood@post.example'));
    expect(answers.map(({ reply }) => reply?.code).filter((code) => code !== 250)).toEqual([450, 450]);
  });

  test('an email that goes in a circle is refused', async () => {
    const received = Array.from({ length: 60 }, (_, i) => `Received: from a${i} by b; Tue, 10 Mar 2026 09:15:00 +0000\r\n`).join('');
    expect(await bring(`help@${HOST}`, received + email({ From: 'circle@post.example' }, 'x\n'))).toMatchObject({
      kind: 'refused',
      reply: { code: 554, enhanced: '5.4.6' },
    });
  });
});

const PNG = 'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==';
const WITH_PICTURE = `--b\nContent-Type: text/html; charset=utf-8\n\n<p>My scarf <img src="cid:scarf@post.example"> <img src="https://elsewhere.example/t.gif"></p><script>alert(1)</script>\n--b\nContent-Type: image/png; name="scarf.png"\nContent-ID: <scarf@post.example>\nContent-Transfer-Encoding: base64\nContent-Disposition: attachment; filename="scarf.png"\n\n${PNG}\n--b--\n`;

describe('what it carries', () => {
  test('files with a hash, fetched with a key, never opened; HTML that runs and loads nothing', async () => {
    await bring(`lost+1@${HOST}`, email({ From: 'picture@post.example', 'Content-Type': 'multipart/mixed; boundary=b' }, WITH_PICTURE));
    const found = await readOf('picture@post.example');
    const [file] = found.files;
    expect(file).toMatchObject({
      name: 'scarf.png',
      type: 'image/png',
      inline: true,
      hash: createHash('sha256').update(Buffer.from(PNG, 'base64')).digest('hex'),
    });
    expect(found.html).toBe('<p>My scarf <img src="cid:scarf@post.example"> </p>');
    expect(found).toMatchObject({ remotePictures: 1, text: 'My scarf' });
    const bytes = Buffer.from(await operator.inbound.attachment(found.id, file!.part));
    expect(bytes.equals(Buffer.from(PNG, 'base64'))).toBe(true);
    const fetched = await fetch(`${all.service.url}${file!.path}`, { headers: { Authorization: `Bearer ${all.key}` } });
    expect(fetched.headers.get('content-type')).toBe('application/octet-stream');
    expect(fetched.headers.get('content-security-policy')).toContain('sandbox');
    expect((await fetch(`${all.service.url}${file!.path}`)).status).toBe(401);
    const page = await fetch(`${all.service.url}/v1/inbound/${found.id}/html`, { headers: { Authorization: `Bearer ${all.key}` } });
    const html = await page.text();
    expect(page.headers.get('content-security-policy')).toContain("default-src 'none'");
    expect(html).toContain(`data:image/png;base64,${PNG}`);
    expect(html).not.toMatch(/script|elsewhere/);
  });

  test('an email handed in by upload is read likewise; what is none is refused with a reason', async () => {
    const { id } = await operator.inbound.add(email({ From: 'upload@post.example' }, 'By hand.\n'), { to: `help@${HOST}` });
    expect(await readOf('upload@post.example')).toMatchObject({ id, text: 'By hand.' });
    const refusal = (run: Promise<unknown>) =>
      run.then(
        () => undefined,
        (error: unknown) => (error as RefusedError).problem,
      );
    expect(await refusal(operator.inbound.add('x: y\r\n\r\n', { to: 'nobody@elsewhere.example' }))).toMatchObject({ status: 422 });
    expect(await refusal(operator.inbound.add(email({}, 'x'), { to: 'trial@drydock.example' }))).toMatchObject({ status: 422 });
    const auto = email({ 'Auto-Submitted': 'auto-replied', Subject: 'Out of office' }, 'Away.\n');
    expect(await refusal(operator.inbound.add(auto, { to: `help@${HOST}` }))).toMatchObject({ type: expect.stringMatching(/a-return/) });
  });
});

describe('answering', () => {
  test('a person answers within the thread, and replies to the answer arrive', async () => {
    const { headerId } = await sent('talk@post.example', 'SM-7000');
    await bring(
      `help@${HOST}`,
      email(
        { From: 'Talk <talk@post.example>', Subject: 'Bicycle', 'Message-ID': '<q@post.example>', References: headerId },
        'Is there room?\n',
      ),
    );
    const question = await readOf('talk@post.example');
    const answer = await all.client.inbound.reply(question.id, { text: 'There is.', quote: true });
    await all.ended(answer.id, 'accepted');
    const raw = Buffer.from(await all.client.messages.source(answer.id)).toString('latin1');
    expect(fieldOf(raw, 'Subject')).toBe('Re: Bicycle');
    expect(fieldOf(raw, 'In-Reply-To')).toBe('<q@post.example>');
    expect(fieldOf(raw, 'References')).toBe(`${headerId} <q@post.example>`);
    expect(fieldOf(raw, 'To')).toContain('talk@post.example');
    expect(fieldOf(raw, 'Auto-Submitted')).toBeUndefined();
    expect(raw).toMatch(/There is\.\r\n\r\nOn .*wrote:\r\n>? ?> Is there room\?/s);
    expect(await all.client.messages.get(answer.id)).toMatchObject({ reference: 'SM-7000' });
    expect((await operator.inbound.get(question.id)).answers).toMatchObject([{ messageId: answer.id, automatic: false }]);
    const back = /<([^<>]+)>/.exec(fieldOf(raw, 'Reply-To') ?? '')?.[1] ?? '';
    await bring(
      back,
      email({ From: 'talk@post.example', 'Message-ID': '<q2@post.example>', 'In-Reply-To': fieldOf(raw, 'Message-ID') ?? '' }, 'Thanks!\n'),
    );
    const thanks = await until(async () => {
      const { inbound } = await operator.inbound.list({ message: answer.id });
      return inbound[0];
    });
    expect(thanks).toMatchObject({ inbox: 'reply', messageId: answer.id });
    const thread = [
      { kind: 'message', subject: expect.stringMatching(/SM-7000/) },
      { kind: 'inbound', id: question.id },
      { kind: 'message', id: answer.id },
      { kind: 'inbound', id: thanks.id },
    ];
    expect((await operator.inbound.get(question.id)).thread).toMatchObject(thread);
    expect((await operator.inbound.get(thanks.id)).thread).toMatchObject(thread);
  });

  test('by a program: marked, a few a day, and never to programs, lists and null paths', async () => {
    await bring(`help@${HOST}`, email({ From: 'robot@post.example' }, 'A question.\n'));
    const { id } = await readOf('robot@post.example');
    const first = await all.client.inbound.reply(id, { text: 'We got it.', automatic: true });
    await all.ended(first.id, 'accepted');
    const raw = Buffer.from(await all.client.messages.source(first.id)).toString('latin1');
    expect(fieldOf(raw, 'Auto-Submitted')).toBe('auto-replied');
    const before = (await all.client.messages.list({ address: 'robot@post.example' })).messages.length;
    const more = await Promise.allSettled(
      Array.from({ length: 4 }, () => all.client.inbound.reply(id, { text: 'Again.', automatic: true })),
    );
    expect(more.filter(({ status }) => status === 'fulfilled')).toHaveLength(1);
    expect((await all.client.messages.list({ address: 'robot@post.example' })).messages.length).toBe(before + 1);
    // A person may answer all the same.
    await all.client.inbound.reply(id, { text: 'I am a person.' });
    await bring(`help@${HOST}`, email({ From: 'list@post.example', 'List-Id': '<walks.post.example>' }, 'To all.\n'));
    const list = await readOf('list@post.example');
    await expect(all.client.inbound.reply(list.id, { text: 'x', automatic: true })).rejects.toMatchObject({
      problem: { status: 409, detail: 'It came by a mailing list.' },
    });
  });

  test('without words, or without an author, is refused', async () => {
    await bring(`help@${HOST}`, email({ From: 'nobody' }, 'Who am I?\n'));
    const { inbound } = await until(async () => {
      const found = await operator.inbound.list({ inbox: 'help' });
      return found.inbound[0]?.state === 'read' ? found : undefined;
    });
    await expect(all.client.inbound.reply(inbound[0]!.id, { text: 'x' })).rejects.toMatchObject({
      problem: { detail: expect.stringMatching(/no address/) },
    });
    await bring(`help@${HOST}`, email({ From: 'words@post.example' }, 'x\n'));
    const { id } = await readOf('words@post.example');
    await expect(all.client.inbound.reply(id, {})).rejects.toMatchObject({ problem: { status: 422 } });
  });
});

test('phrases of the configuration decide what a report means', async () => {
  const { id, raw } = await sent('sack@post.example');
  const returnPath = /returns\+[^@>\s]+@[^>\s]+/.exec(raw)?.[0];
  const { deliveries } = await all.client.messages.get(id);
  expect(returnPath ?? deliveries[0]!.id).toBeDefined();
  const report = email(
    { From: 'MAILER-DAEMON@mx.post.example', Subject: 'Delivery failure', 'Return-Path': '<>' },
    'Your message could not be delivered:\n\n<sack@post.example>:\n    The sack is full.\n',
  );
  const { returns } = await operator.returns.add(report, { envelopeTo: '' });
  expect(await operator.returns.get(returns[0]!.id)).toMatchObject({ kind: 'delivery-status', recipients: [{ cause: 'mailbox-full' }] });
});

test('erasure removes what someone wrote, also from events; the export shows it before', async () => {
  await bring(`help@${HOST}`, email({ From: 'gone@post.example', Subject: 'My secret' }, 'A private matter.\n'));
  const { id } = await readOf('gone@post.example');
  const exported = await operator.addresses.export('gone@post.example');
  expect(JSON.stringify(exported.inbound)).toContain('A private matter.');
  expect((await operator.search.find({ q: 'gone@post.example' })).hits).toMatchObject([{ kind: 'inbound', id }]);
  await operator.addresses.erase('gone@post.example');
  await expect(operator.inbound.get(id)).rejects.toMatchObject({ problem: { status: 404 } });
  const { events } = await operator.events.list({ filter: 'type = received', limit: 200 });
  expect(JSON.stringify(events)).not.toMatch(/private matter|My secret|gone@post/);
});

test('the command line lists, shows, saves and answers', async () => {
  await bring(
    `lost+2@${HOST}`,
    email({ From: 'cli@post.example', Subject: 'Gloves', 'Content-Type': 'multipart/mixed; boundary=b' }, WITH_PICTURE),
  );
  const { id } = await readOf('cli@post.example');
  const { url } = all.service;
  const listed = await runCli(['inbound', 'list', '--inbox', 'lost-property'], { url });
  expect(listed.out).toMatch(/cli@post\.example.*Gloves/);
  const shown = await runCli(['inbound', 'show', id], { url });
  expect(shown.out).toContain('My scarf');
  expect(shown.out).toContain('scarf.png');
  const folder = `${all.folder}/saved`;
  expect((await runCli(['inbound', 'save', id, '--folder', folder], { url })).code).toBe(0);
  const answered = await runCli(['inbound', 'reply', id, '--text', 'We have them.'], { url });
  expect(answered).toMatchObject({ code: 0, out: expect.stringMatching(/m[0-9a-z]{26}/) });
});
