import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { fieldOf, partBytes, partsOf, readMail, shownText } from '@verbalis/core/mime';
import { startHttpProvider, type Fault, type HttpSimulator } from '@verbalis/simulators';
import { booking, DEMO_FOLDER, OPERATOR, startTestService, until, type TestService } from './support/service.js';

// The same call of an app goes out by any provider: configuration decides.
const PARCEL = {
  kind: 'http',
  waitSeconds: 2,
  secrets: { token: 'sesame' },
  request: {
    headers: { Authorization: 'Token {{ secrets.token }}' },
    json: {
      sender: '{{ message.from.name }} ({{ message.from.address }})',
      addressee: { mail: '{{ message.recipient.address }}', name: '{{ message.recipient.name }}' },
      title: '{{ message.subject }}',
      body: { plain: '{{ message.text }}', rich: '{{ message.html }}' },
      enclosed: [{ $each: 'one in message.attachments', $value: { label: '{{ one.name }}', data: '{{ one.base64 }}' } }],
      extra: {
        ref: '{{ message.deliveryId }}',
        answers: '{{ message.inReplyTo }}',
        invitation: '{{ message.calendar.text }}',
        fields: '{{ message.headers }}',
      },
    },
  },
  answer: { id: '$.letter.id', reason: '$.failure.words', status: '$.failure.smtp', statuses: { '422': 'refused' } },
};
const POSTBOX = {
  kind: 'http',
  waitSeconds: 2,
  secrets: { box: 'sesame' },
  request: {
    headers: { 'X-Box-Key': '{{ secrets.box }}' },
    form: [
      { name: 'rcpt', value: '{{ message.recipient.address }}' },
      { name: 'mime', file: { name: 'mail.eml', type: 'message/rfc822', content: '{{ message.raw }}' } },
    ],
  },
  answer: { id: 'header:X-Receipt', reason: '$.errors[0].text', words: [{ has: 'try again', means: 'deferred' }] },
};

let all: TestService;
let parcel: HttpSimulator;
let postbox: HttpSimulator;
let files: Server;
let filesPort = 0;
const faults = new Map<string, Fault>();
const clients: Record<string, Client> = {};

beforeAll(async () => {
  const script = { 'nobody@post.example': 'refuse', 'later@post.example': 'defer-twice' } as const;
  parcel = await startHttpProvider({ dialect: 'parcel', host: '127.0.0.1', port: 0, key: 'sesame', script, faults });
  postbox = await startHttpProvider({ dialect: 'postbox', host: '127.0.0.1', port: 0, key: 'sesame', script });
  files = createServer((request, response) => {
    if (request.url === '/big') response.end(Buffer.alloc(2_000_000));
    else if (request.url === '/gone') response.writeHead(404).end();
    else response.setHeader('Content-Type', 'application/pdf').end('from elsewhere');
  });
  await new Promise<void>((done) => files.listen(0, '127.0.0.1', done));
  const address = files.address();
  filesPort = typeof address === 'object' && address !== null ? address.port : 0;
  const space = (route: string, more = {}) => ({ mode: 'deliver', mailFolder: DEMO_FOLDER, route: [route], ...more });
  all = await startTestService({
    script,
    change: {
      providers: {
        parcel: { ...PARCEL, request: { ...PARCEL.request, url: `http://127.0.0.1:${parcel.port}/v2/letters` } },
        postbox: { ...POSTBOX, request: { ...POSTBOX.request, url: `http://127.0.0.1:${postbox.port}/drop?via=raw` } },
        files: { kind: 'file', folder: 'emails' },
        mbox: { kind: 'file', mbox: 'all.mbox' },
        logged: { kind: 'log' },
        nowhere: { kind: 'smtp', host: '127.0.0.1', port: 1 },
        'wrong-key': { ...PARCEL, secrets: { token: 'wrong' }, request: { ...PARCEL.request, url: `http://127.0.0.1:${parcel.port}/` } },
      },
      publicUrl: 'https://mail.saltmarsh-ferries.example',
      limits: { attachmentBytes: 1_000_000 },
      outside: { allow: [`127.0.0.1`] },
      spaces: {
        'by-parcel': space('parcel', {
          senderDomains: ['saltmarsh-ferries.example', 'ferries.example', 'fähren.example'],
          replyTo: 'Harbour desk <desk@saltmarsh-ferries.example>',
          archive: 'archive@saltmarsh-ferries.example',
          operator: 'op@saltmarsh-ferries.example',
        }),
        'by-postbox': space('postbox'),
        'by-files': space('files'),
        'by-mbox': space('mbox'),
        'by-log': space('logged'),
        captured: { mode: 'capture', mailFolder: DEMO_FOLDER },
      },
    },
    space: 'by-parcel',
  });
  for (const name of ['by-parcel', 'by-postbox', 'by-files', 'by-mbox', 'by-log', 'captured'])
    clients[name] = createClient({ url: all.service.url, key: OPERATOR, space: name });
});
afterAll(async () => {
  await all.stop();
  await parcel.close();
  await postbox.close();
  files.close();
});

async function ended(space: string, wanted: Parameters<Client['messages']['send']>[0], ...states: string[]) {
  const client = clients[space] as Client;
  const { id } = await client.messages.send(wanted);
  return until(async () => {
    const message = await client.messages.get(id);
    return message.deliveries.every((delivery) => states.includes(delivery.state)) ? message : undefined;
  });
}

describe('one call, any provider', () => {
  test.each(['by-parcel', 'by-postbox', 'by-files', 'by-mbox', 'by-log', 'captured'])('%s', async (space) => {
    const message = await ended(space, booking('Ása <asa@post.example>'), 'accepted');
    expect(message.deliveries[0]).toMatchObject({ state: 'accepted', attempts: [{ outcome: 'accepted' }] });
  });
  test('what each has understood', () => {
    expect(parcel.taken.find((letter) => letter.to === 'asa@post.example')).toMatchObject({
      subject: 'Booking SM-1042: Brackwater to Tern Island',
      headers: { ref: expect.stringMatching(/^d/) },
    });
    expect(fieldOf(postbox.taken[0]!.mail!, 'subject')).toBe('Booking SM-1042: Brackwater to Tern Island');
    const folder = join(all.folder, 'emails');
    expect(shownText(readMail(readFileSync(join(folder, readdirSync(folder)[0]!))), 'plain')).toContain('MV Sandpiper');
    expect(readFileSync(join(all.folder, 'all.mbox'), 'utf8')).toMatch(/^From returns\+\S+ \w{3} \w{3} \d+ [\d:]+ \d{4}\n/);
    expect(all.logs.join('')).toContain('MV Sandpiper');
  });
  test('a provider that makes emails itself gets the thread, the invitation and the way to unsubscribe', async () => {
    const first = await ended('by-parcel', booking('thread@post.example'), 'accepted');
    await ended(
      'by-parcel',
      {
        to: ['thread@post.example'],
        subject: 'the answer',
        text: 'x',
        html: '',
        topic: 'pier-news',
        from: 'crew@xn--fhren-gra.example',
        inReplyTo: first.id,
        calendar: { method: 'REQUEST', text: 'BEGIN:VCALENDAR\r\nEND:VCALENDAR\r\n' },
      },
      'accepted',
    );
    const letter = parcel.taken.find(({ subject, to }) => subject === 'the answer' && to === 'thread@post.example');
    const headerId = `${first.id}@saltmarsh-ferries.example`;
    expect(letter!.headers).toMatchObject({ answers: headerId, invitation: 'BEGIN:VCALENDAR\r\nEND:VCALENDAR\r\n' });
    expect(letter!.headers['fields']).toEqual(
      expect.arrayContaining([
        { name: 'In-Reply-To', value: `<${headerId}>` },
        { name: 'References', value: `<${headerId}>` },
        {
          name: 'List-Unsubscribe',
          value: expect.stringMatching(
            /^<https:\/\/mail\.saltmarsh-ferries\.example\/unsubscribe\/[^>]+>, <mailto:unsubscribe@returns\.[^>]+>$/,
          ),
        },
        { name: 'List-Unsubscribe-Post', value: 'List-Unsubscribe=One-Click' },
      ]),
    );
  });
  test('the separator of a signature keeps its space; other white space at the end of a line would join it to the next', async () => {
    const { id } = await ended(
      'captured',
      { to: ['asa@post.example'], subject: 'x', text: 'one \ntwo\t\n-- \nname', html: '' },
      'accepted',
    );
    const mail = readMail(Buffer.from(await (clients['captured'] as Client).messages.source(id)));
    expect(shownText(mail, 'plain')).toBe('one\r\ntwo\r\n-- \r\nname');
    expect(shownText(mail, 'html')).toBeUndefined();
  });
  test('refused for good, and put off with a time to come back', async () => {
    // A 429 is the provider's trouble, unless the profile's words say that it is about this recipient.
    for (const [space, busy] of [
      ['by-parcel', 'trouble'],
      ['by-postbox', 'deferred'],
    ] as const) {
      const failed = await ended(space, booking('nobody@post.example'), 'failed', 'accepted');
      expect(failed.deliveries.find((delivery) => delivery.address === 'nobody@post.example')).toMatchObject({
        state: 'failed',
        cause: 'mailbox-unknown',
      });
      const later = await ended(space, booking('later@post.example'), 'accepted');
      expect(later.deliveries[0]!.attempts.map((attempt) => attempt.outcome)).toEqual([busy, busy, 'accepted']);
      expect(later.deliveries[0]!.attempts[2]!.providerId).toMatch(/^(parcel|postbox)-\d+$/);
    }
  });
});

describe('an HTTP provider in trouble', () => {
  const cases: [Fault, string, RegExp][] = [
    ['busy', 'trouble', /try again later/],
    ['ill', 'trouble', /out of order/],
    ['moved', 'trouble', /redirects are not followed/],
    ['hang-up', 'uncertain', /could not be asked/],
    ['silent', 'uncertain', /no answer within 2 seconds/],
    ['garbled', 'accepted', /holds no id/],
    ['no-id', 'accepted', /holds no id/],
  ];
  test.each(cases)('%s: %s', async (fault, outcome, words) => {
    const client = clients['by-parcel'] as Client;
    faults.set(`${fault}@post.example`, fault);
    const { id } = await client.messages.send(booking(`${fault}@post.example`));
    const first = await until(async () =>
      (await client.messages.get(id)).deliveries[0]!.attempts.find((attempt) => attempt.endedAt !== undefined),
    );
    expect(first).toMatchObject({ outcome, diagnostic: expect.stringMatching(words) });
  });
});

describe('what a message may bring', () => {
  test('attachments of every kind, a calendar, a thread, header fields, copies', async () => {
    const client = clients['captured'] as Client;
    const upload = await client.uploads.add(new Blob(['handed in'], { type: 'application/pdf' }), { name: 'Bestätigung.pdf' });
    expect(upload).toMatchObject({ size: 9, type: 'application/pdf' });
    const first = await ended('captured', booking('asa@post.example'), 'accepted');
    const message = await ended(
      'captured',
      {
        ...booking('asa@post.example'),
        cc: ['Émile <emile@post.example>'],
        bcc: ['silent@post.example'],
        replyTo: ['desk@saltmarsh-ferries.example'],
        headers: { 'X-Deck': 'Ober→deck' },
        inReplyTo: first.id,
        calendar: { method: 'REQUEST', text: 'BEGIN:VCALENDAR\r\nVERSION:2.0\r\nEND:VCALENDAR\r\n' },
        attachments: [
          { name: 'note.txt', content: Buffer.from('by value').toString('base64') },
          { file: 'assets/sandpiper.png' },
          { upload: upload.id },
          { url: `http://127.0.0.1:${filesPort}/terms.pdf` },
        ],
      },
      'accepted',
    );
    expect(message.deliveries.map((delivery) => delivery.address).sort()).toEqual([
      'asa@post.example',
      'emile@post.example',
      'silent@post.example',
    ]);
    const mail = readMail(Buffer.from(await client.messages.source(message.id)));
    expect(fieldOf(mail, 'cc')).toContain('emile@post.example');
    expect(mail.fields.some((field) => field.raw.includes('silent'))).toBe(false);
    expect(fieldOf(mail, 'reply-to')).toBe('desk@saltmarsh-ferries.example');
    expect(fieldOf(mail, 'x-deck')).toBe('Ober→deck');
    expect(fieldOf(mail, 'in-reply-to')).toBe(`<${first.id}@saltmarsh-ferries.example>`);
    expect(fieldOf(mail, 'references')).toBe(fieldOf(mail, 'in-reply-to'));
    const parts = [...partsOf(mail)];
    const bytes = (type: string): string[] =>
      parts.filter((part) => part.type === type).map((part) => Buffer.from(partBytes(part)).toString());
    expect(bytes('application/pdf')).toEqual(['handed in', 'from elsewhere']);
    expect(bytes('text/calendar')[0]).toContain('VERSION:2.0');
    expect(message.attachments?.map((attachment) => attachment.name)).toEqual([
      'note.txt',
      'sandpiper.png',
      'Bestätigung.pdf',
      'terms.pdf',
    ]);
  });

  test('everything wrong is told at once, and nothing is kept', async () => {
    const client = clients['captured'] as Client;
    const wanted = {
      ...booking('asa@post.example'),
      cc: ['no address'],
      attachments: [
        { name: 'a', content: '***' },
        { file: 'assets/sandpipr.png' },
        { upload: 'u0' },
        { url: 'ftp://host.example/x' },
        { name: '../x', content: '' },
      ],
    };
    await expect(client.messages.send(wanted)).rejects.toMatchObject({
      problem: {
        problems: [
          { path: 'cc[0]' },
          { path: 'attachments[0]', message: 'is no base64' },
          { path: 'attachments[1]', hint: 'Did you mean "assets/sandpiper.png"?' },
          { path: 'attachments[2]' },
          { path: 'attachments[3]' },
          { path: 'attachments[4]' },
        ],
      },
    });
    await expect(
      client.messages.send({ ...booking('asa@post.example'), headers: { Bcc: 'x', 'X-Y': 'a\r\nBcc: b' } }),
    ).rejects.toMatchObject({
      problem: { problems: [{ path: 'headers.Bcc' }, { path: 'headers.X-Y' }] },
    });
    const large = { name: 'big', content: Buffer.alloc(1_100_000).toString('base64') };
    await expect(client.messages.send({ ...booking('asa@post.example'), attachments: [large] })).rejects.toMatchObject({
      problem: { problems: [{ path: 'attachments' }] },
    });
    await expect(client.uploads.add(new Blob([new Uint8Array(1_100_000)]), { name: 'big' })).rejects.toMatchObject({
      problem: { status: 413 },
    });
  });

  test('what cannot be fetched fails with the reason', async () => {
    const at = (path: string) => ({ ...booking('asa@post.example'), attachments: [{ url: path }] });
    const gone = await ended('captured', at(`http://127.0.0.1:${filesPort}/gone`), 'failed');
    expect(gone.deliveries[0]!.attempts[0]).toMatchObject({ phase: 'fetch', diagnostic: expect.stringContaining('answers 404') });
    const big = await ended('captured', at(`http://127.0.0.1:${filesPort}/big`), 'failed');
    expect(big.deliveries[0]!.attempts[0]!.diagnostic).toContain('more than 1000000 bytes');
    // Allowed is the address of the tests only: other private ones stay out of reach, by name or by number.
    for (const url of ['http://10.0.0.1/x', 'http://[::1]/x', 'http://localhost:1/x', 'http://0x7f000001.example.invalid/x']) {
      const message = await ended('captured', at(url), 'failed', 'delayed');
      expect(message.deliveries[0]!.attempts[0]!.diagnostic).toMatch(/private network|could not be fetched/);
    }
  });

  test('another sender within the allowed domains; the space’s reply-to, archive and operator', async () => {
    const client = clients['by-parcel'] as Client;
    const sent = await ended('by-parcel', { ...booking('asa@post.example'), from: 'Crew <crew@ferries.example>' }, 'accepted');
    expect(sent.from).toEqual({ name: 'Crew', address: 'crew@ferries.example' });
    expect(sent.deliveries.map((delivery) => delivery.address)).toEqual(['asa@post.example', 'archive@saltmarsh-ferries.example']);
    const mail = readMail(Buffer.from(await client.messages.source(sent.id)));
    expect(fieldOf(mail, 'reply-to')).toBe('Harbour desk <desk@saltmarsh-ferries.example>');
    await expect(client.messages.send({ ...booking('asa@post.example'), from: 'x@elsewhere.example' })).rejects.toMatchObject({
      problem: { problems: [{ path: 'from', hint: expect.stringContaining('ferries.example') }] },
    });
    const { id } = await client.operatorNotes.send({ subject: 'The pier is closed', text: 'Since noon.\nCall the harbour.' });
    await until(async () => ((await client.messages.get(id)).deliveries[0]!.state === 'accepted' ? true : undefined));
    expect((await client.messages.mail(id)).text).toContain('Call the harbour.');
    await expect(clients['captured']!.operatorNotes.send({ subject: 'x', text: 'y' })).rejects.toMatchObject({
      problem: { type: expect.stringContaining('no-operator') },
    });
  });
});

describe('keys, pictures, tests of providers', () => {
  test('a domain with keys signs; the private half is encrypted', async () => {
    const client = clients['captured'] as Client;
    const made = await client.domains.add({ name: 'saltmarsh-ferries.example' });
    expect(made.records.filter(({ purpose }) => purpose === 'dkim')).toHaveLength(2);
    expect(made.records[0]).toMatchObject({
      type: 'TXT',
      name: expect.stringMatching(/\._domainkey\.saltmarsh-ferries\.example$/),
      value: expect.stringContaining('v=DKIM1; k='),
    });
    expect((await client.domains.add({ name: 'saltmarsh-ferries.example' })).records).toEqual(made.records);
    const message = await ended('captured', booking('asa@post.example'), 'accepted');
    const mail = readMail(Buffer.from(await client.messages.source(message.id)));
    expect(mail.fields.filter((field) => field.name === 'dkim-signature')).toHaveLength(2);
    for (const name of ['verbalis.sqlite', 'verbalis.sqlite-wal']) {
      const file = join(all.folder, name);
      if (existsSync(file)) expect(readFileSync(file).includes('PRIVATE KEY')).toBe(false);
    }
  });

  test('providers are looked into, and what to fix is said', async () => {
    const client = clients['captured'] as Client;
    expect((await client.providers.list()).providers.map((provider) => provider.name)).toContain('parcel');
    for (const name of ['parcel', 'files', 'mbox', 'logged'])
      expect(await client.providers.test(name, { to: 'asa@post.example' })).toMatchObject({ ok: true });
    expect(await client.providers.test('nowhere')).toMatchObject({
      ok: false,
      findings: [
        { step: 'connect', ok: false, detail: expect.stringContaining('nothing listens'), hint: expect.stringContaining('host and port') },
      ],
    });
    expect(await client.providers.test('wrong-key', { to: 'asa@post.example' })).toMatchObject({
      ok: false,
      findings: [{ ok: true }, { step: 'mail', detail: '401 token not known' }],
    });
    await expect(client.providers.test('parcl')).rejects.toMatchObject({ problem: { hint: 'Did you mean "parcel"?' } });
  });
});
