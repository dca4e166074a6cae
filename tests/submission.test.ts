import { connect } from 'node:net';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { Client } from '@verbalis/client';
import { talkTo } from './support/talk.js';
import { DEMO_FOLDER, startTestService, until, type TestService } from './support/service.js';

// What an app can say by SMTP, byte by byte: it works by its RFC, or is refused.

let all: TestService;
let client: Client;
beforeAll(async () => {
  all = await startTestService({
    change: {
      submission: { port: 0 },
      publicUrl: 'https://mail.saltmarsh-ferries.example',
      spaces: { harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'], runaway: false } },
    },
  });
  ({ client } = all);
});
afterAll(() => all.stop());

const talk = (entries: readonly string[], how?: Parameters<typeof talkTo>[2]) => talkTo(all.service.submissionPort ?? 0, entries, how);
const login = (): string[] => ['EHLO app\r\n', `AUTH PLAIN ${Buffer.from(`\0app\0${all.key}`).toString('base64')}\r\n`];
const mail = (subject: string): string =>
  `From: harbour@saltmarsh-ferries.example\r\nTo: undisclosed-recipients:;\r\nSubject: ${subject}\r\n\r\nhello\r\n.\r\n`;
const messagesOf = async (subject: string) => {
  const { messages } = await client.messages.list({ limit: 100 });
  return messages.filter((message) => message.subject === subject);
};

describe('recipients', () => {
  test.each([
    ['<nodomain>', 501],
    ['<postmaster>', 501],
    ['<a@[127.0.0.1]>', 501],
    ['<a b@post.example>', 501],
    ['<@one.example:routed@post.example>', 250],
    ['<dotted@post.example.>', 250],
    ['<"a>b"@post.example>', 250],
    ['<"a b"@post.example>', 250],
    ['<a@post.example> NOTIFY=NEVER', 555],
  ])('%s: %i, and whatever was answered with 250 has a delivery', async (path, code) => {
    const subject = `to ${path}`;
    const { codes } = await talk([
      ...login(),
      'MAIL FROM:<app@saltmarsh-ferries.example>\r\n',
      `RCPT TO:${path}\r\n`,
      'RCPT TO:<good@post.example>\r\n',
      'DATA\r\n',
      mail(subject),
    ]);
    expect(codes.slice(-4)).toEqual([code, 250, 354, 250]);
    const [message] = await messagesOf(subject);
    expect(message!.deliveries).toHaveLength(code === 250 ? 2 : 1);
    await all.ended(message!.id, 'accepted');
  });

  test('the same recipient twice is one delivery', async () => {
    await talk([
      ...login(),
      'MAIL FROM:<app@saltmarsh-ferries.example>\r\n',
      'RCPT TO:<twice@post.example>\r\n',
      'RCPT TO:<twice@POST.example>\r\n',
      'RCPT TO:<once@post.example>\r\n',
      'DATA\r\n',
      mail('twice'),
    ]);
    const [message] = await messagesOf('twice');
    expect(message!.deliveries.map(({ address }) => address)).toEqual(['twice@post.example', 'once@post.example']);
    await all.ended(message!.id, 'accepted');
    expect(all.simulator.seen.get('twice@post.example')?.taken).toBe(1);
  });
});

test.each(['\n.\n', '\n.\r\n', '\r\n.\n', '\r.\r'])('RFC 5321 2.3.8: an email cannot carry another one behind %j', async (end) => {
  const subject = `outer ${JSON.stringify(end)}`;
  const { said, isClosed } = await talk(
    [
      ...login(),
      'MAIL FROM:<app@saltmarsh-ferries.example>\r\n',
      'RCPT TO:<good@post.example>\r\n',
      'DATA\r\n',
      `${mail(subject).slice(0, -5)}${end}MAIL FROM:<evil@saltmarsh-ferries.example>\r\nRCPT TO:<victim@post.example>\r\nDATA\r\n${mail('inner')}`,
    ],
    { isClosedAfter: true },
  );
  expect(said).toContain('550 5.5.2 Lines must end with CRLF');
  expect(isClosed).toBe(true);
  expect(await messagesOf(subject)).toEqual([]);
  expect(await messagesOf('inner')).toEqual([]);
});

test('what is sent ahead waits its turn, and a browser is sent away', async () => {
  const ahead = Array.from(
    { length: 20 },
    (_, i) => `MAIL FROM:<app@saltmarsh-ferries.example>\r\nRCPT TO:<ahead${i}@post.example>\r\nDATA\r\n${mail('ahead')}`,
  ).join('');
  const socket = connect(all.service.submissionPort ?? 0, '127.0.0.1');
  let said = '';
  socket.on('data', (bytes: Buffer) => (said += bytes.toString()));
  socket.write(`${login().join('')}${ahead}QUIT\r\n`);
  await until(() => (said.includes('221 2.0.0 Bye') ? true : undefined));
  socket.destroy();
  expect(said.match(/^250 2\.0\.0 Accepted/gm)).toHaveLength(20);
  expect(await messagesOf('ahead')).toHaveLength(20);
  expect((await talk(['POST /x HTTP/1.1\r\nContent-Length: 5\r\n\r\nMAIL FROM:<a@b>\r\n'])).said).toContain('421 4.7.0 This is SMTP');
});

test.each([
  ['From: CEO <ceo@bank.example>, B <harbour@saltmarsh-ferries.example>'],
  ['From: CEO <ceo@bank.example> <harbour@saltmarsh-ferries.example>'],
  ['From: ceo@bank.example\r\nFrom: harbour@saltmarsh-ferries.example'],
  ['From: harbour@saltmarsh-ferries.example\r\nFrom: ceo@bank.example'],
  ['From: harbour@saltmarsh-ferries.example\r\nSender: ceo@bank.example'],
  ['From: harbour@saltmarsh-ferries.example\r\nResent-From: ceo@bank.example'],
  ['From: ceo@bank.example'],
  ['X-From: harbour@saltmarsh-ferries.example'],
])('another author is not signed for: %j', async (head) => {
  const { said } = await talk([
    ...login(),
    'MAIL FROM:<app@saltmarsh-ferries.example>\r\n',
    'RCPT TO:<forged@post.example>\r\n',
    'DATA\r\n',
    `${head}\r\nSubject: forged\r\n\r\nhello\r\n.\r\n`,
  ]);
  expect(said).toMatch(/550 5\.7\.1 .*$/m);
  expect(await messagesOf('forged')).toEqual([]);
});

test('a sender of ours and comments are taken', async () => {
  await talk([
    ...login(),
    'MAIL FROM:<>\r\n',
    'RCPT TO:<cron@post.example>\r\n',
    'DATA\r\n',
    'From: harbour@saltmarsh-ferries.example (Cron Daemon)\r\nSender: office@saltmarsh-ferries.example\r\nSubject: cron\r\n\r\nhello\r\n.\r\n',
  ]);
  const [message] = await messagesOf('cron');
  await all.ended(message!.id, 'accepted');
});

/** Submits one email. @returns what was answered to it */
async function submit(lines: readonly string[], { from = 'app@saltmarsh-ferries.example', to = 'asa@post.example' } = {}): Promise<string> {
  const content = `${lines.join('\r\n')}\r\n.\r\n`;
  const { said } = await talk([...login(), `MAIL FROM:<${from}>\r\n`, `RCPT TO:<${to}>\r\n`, 'DATA\r\n', content]);
  return said.slice(said.indexOf('354 '));
}
const AUTHOR = 'From: harbour@saltmarsh-ferries.example';

describe('an app that knows SMTP only', () => {
  test('names topic, template, reference and labels in fields that nobody else sees, and gets unsubscribe with them', async () => {
    await submit([
      AUTHOR,
      'Subject: the news',
      'Verbalis-Topic: pier-news',
      'Verbalis-Template: newsletter',
      'Verbalis-Reference: N-7',
      'Verbalis-Labels: season=summer, route = north ',
      '',
      'hello',
    ]);
    const [message] = await messagesOf('the news');
    expect(message).toMatchObject({
      topic: 'pier-news',
      template: 'newsletter',
      reference: 'N-7',
      labels: { season: 'summer', route: 'north' },
    });
    await all.ended(message!.id, 'accepted');
    const source = Buffer.from(await client.messages.source(message!.id)).toString();
    expect(source).not.toMatch(/^verbalis-/im);
    expect(source).toMatch(/^List-Unsubscribe:\s+<https:\/\/mail\.saltmarsh-ferries\.example\/unsubscribe\/[^>]+>,\s+<mailto:[^>]+>\r$/m);
    expect(source).toMatch(/^List-Unsubscribe-Post: List-Unsubscribe=One-Click\r$/m);
    // The same as for a template: who unsubscribed gets no more of the topic.
    const [, path = ''] = /<https:\/\/mail\.saltmarsh-ferries\.example(\/unsubscribe\/[^>]+)>/.exec(source) ?? [];
    const form = { method: 'POST', body: 'List-Unsubscribe=One-Click', headers: { 'content-type': 'application/x-www-form-urlencoded' } };
    expect((await fetch(`${all.service.url}${path}`, form)).status).toBe(200);
    await submit([AUTHOR, 'Subject: more news', 'Verbalis-Topic: pier-news', '', 'hello']);
    const [more] = await messagesOf('more news');
    expect(more!.deliveries.map(({ state }) => state)).toEqual(['withheld']);
  });

  test.each([
    ['Verbalis-Topic: pier-nws', /550 5\.6\.0 There is no topic "pier-nws"\..*"pier-news"/],
    ['Verbalis-Topik: pier-news', /550 5\.6\.0 It has the field "verbalis-topik", which is not one of .*"Verbalis-Topic"/],
    ['Verbalis-Topic: news\r\nVerbalis-Topic: pier-news', /550 5\.6\.0 It has the field Verbalis-Topic twice/],
    ['Verbalis-Labels: season', /550 5\.6\.0 .*"season", which is not name=value/],
    [`Verbalis-Reference: ${'x'.repeat(300)}`, /550 5\.6\.0 .*at most 200 characters/],
  ])('%s is refused, with what is wrong', async (field, answer) => {
    expect(await submit([AUTHOR, 'Subject: wrong field', field, '', 'hello'])).toMatch(answer);
    expect(await messagesOf('wrong field')).toEqual([]);
  });

  test('keeps its own way to unsubscribe', async () => {
    await submit(
      [AUTHOR, 'Subject: own way', 'Verbalis-Topic: pier-news', 'List-Unsubscribe: <mailto:stop@saltmarsh-ferries.example>', '', 'x'],
      {
        to: 'emile@post.example',
      },
    );
    const [message] = await messagesOf('own way');
    await all.ended(message!.id, 'accepted');
    const source = Buffer.from(await client.messages.source(message!.id)).toString();
    expect(source.match(/^List-Unsubscribe.*$/gim)).toEqual(['List-Unsubscribe: <mailto:stop@saltmarsh-ferries.example>']);
  });
});

test('what would not pass every server is repaired before it is signed, and the message shows what', async () => {
  await submit([AUTHOR, 'Subject: Fähre repariert', 'Content-Type: text/html', '', `<p>${'x'.repeat(1500)}</p>`, 'Grüße', '-- ', 'name']);
  const [message] = await messagesOf('Fähre repariert');
  await all.ended(message!.id, 'accepted');
  expect((await client.messages.get(message!.id)).repairs).toEqual([
    'Subject: text beyond ASCII was encoded',
    'text/html: 8-bit content became quoted-printable',
    'A text without a charset is named utf-8',
    'MIME-Version was added',
    'Date was added',
    'Message-ID was added',
  ]);
  const bytes = Buffer.from(await client.messages.source(message!.id)).toString('latin1');
  expect(bytes.split('\r\n').every((line) => line.length <= 998 && /^[\x01-\x7F]*$/.test(line))).toBe(true);
  expect(bytes).toContain('\r\n--=20\r\nname');
});

test('what is signed already and cannot travel is refused', async () => {
  const signed = ['Content-Type: multipart/signed; boundary=b', '', '--b', '', 'Grüße', '--b--'];
  expect(await submit([AUTHOR, 'Subject: signed', ...signed])).toMatch(/550 5\.6\.0 It has a part of multipart\/signed/);
});

test('what comes from nobody goes out from nobody: no server writes back about it', async () => {
  const before = all.simulator.seen.get('null@post.example');
  expect(before).toBeUndefined();
  await submit([AUTHOR, 'Subject: out of office', '', 'x'], { from: '', to: 'null@post.example' });
  const [message] = await messagesOf('out of office');
  await all.ended(message!.id, 'accepted');
  expect(all.simulator.seen.get('null@post.example')).toMatchObject({ from: '' });
  await submit([AUTHOR, 'Subject: usual', '', 'x'], { to: 'usual@post.example' });
  await all.ended((await messagesOf('usual'))[0]!.id, 'accepted');
  expect(all.simulator.seen.get('usual@post.example')).toMatchObject({ from: expect.stringMatching(/^returns\+/) });
});
