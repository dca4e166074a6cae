import { readdirSync, readFileSync } from 'node:fs';
import { connect } from 'node:net';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import {
  decodeWords,
  fieldText,
  isFault,
  parseAddress,
  parseMailbox,
  parseParameters,
  readAuthor,
  readMail,
  repairMail,
} from '@verbalis/core/mime';
import { readProxyHeader, ServerDialogue, type ServerOptions, type ServerStep } from '@verbalis/core/smtp';
import { pino } from 'pino';
import { Writable } from 'node:stream';
import { listenApart } from '@verbalis/service/smtp';
import { isInProportion } from './support/cpu.js';
import { LIMITS } from './support/limits.js';
import { ROOT, until } from './support/service.js';
import { scaled } from './support/scale.js';

// Whatever strangers send to a listener: nothing throws, nothing hangs, nothing grows.

/** A small generator of chance that can be repeated. */
function chance(seed: number): (most: number) => number {
  let state = seed;
  return (most) => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return state % most;
  };
}
const COUNT = scaled(1500, 20_000);
const pick = <T>(list: readonly T[], any: (most: number) => number): T => list[any(list.length)] as T;

const COMMANDS = [
  'EHLO a\r\n',
  'HELO a\r\n',
  'MAIL FROM:<a@b.example>\r\n',
  'MAIL FROM:<> SIZE=10 BODY=8BITMIME SMTPUTF8\r\n',
  'RCPT TO:<c@d.example>\r\n',
  'RCPT TO:<@x,@y:"a>b"@d.example.>\r\n',
  'DATA\r\n',
  'RSET\r\n',
  'AUTH PLAIN AGEAYg==\r\n',
  'AUTH LOGIN\r\n',
  'YQ==\r\n',
  '*\r\n',
  'STARTTLS\r\n',
  'NOOP\r\n',
  'Subject: x\r\n\r\nhello\r\n',
  '.\r\n',
  '\r\n.\r\n',
  '..\r\n',
  '\n.\n',
  '\r',
  '\n',
  '\0',
  '\u00FF\u00FE',
  'QUIT\r\n',
  'x'.repeat(3000),
  '<',
  '>',
  '"',
  ' ',
];

test(
  'dialogues of chance: no throw, one answer to each question, bounded answers, nothing kept',
  () => {
    const any = chance(11);
    for (let i = 0; i < COUNT; i += 1) {
      const options: ServerOptions = {
        name: 'us',
        maxBytes: 200,
        maxRecipients: 3,
        secure: any(2) === 0,
        repairsLineEnds: any(2) === 0,
        loginInTheOpen: any(2) === 0,
        ...(any(2) === 0 ? {} : { login: any(2) === 0 ? ('needed' as const) : ('offered' as const) }),
      };
      const dialogue = new ServerDialogue(options);
      const input = Buffer.from(Array.from({ length: any(30) }, () => pick(COMMANDS, any)).join(''), 'latin1');
      let [said, content, steps] = [0, 0, 0];
      let isClosed = false;
      const take = (list: readonly ServerStep[]): void => {
        for (const step of list) {
          steps += 1;
          expect(isClosed).toBe(false);
          if (step.kind === 'send') said += step.bytes.length;
          else if (step.kind === 'content') content += step.bytes.length;
          else if (step.kind === 'discard') content = 0;
          else if (step.kind === 'close') isClosed = true;
          else if (step.kind === 'secure') dialogue.secured();
          else {
            if (step.kind === 'ask-mail') {
              expect(step.envelope.to.length).toBeGreaterThan(0);
              expect(content).toBeLessThanOrEqual(200);
              content = 0;
            }
            const code = step.kind === 'ask-login' ? pick([235, 535], any) : pick([250, 451, 550, 421], any);
            take(dialogue.answer({ code, text: 'so' }));
          }
        }
      };
      take(dialogue.greet());
      for (let at = 0; at < input.length;) {
        const length = 1 + any(40);
        if (!isClosed) take(dialogue.receive(input.subarray(at, at + length)));
        at += length;
      }
      // A command of six bytes has an answer of at most a few lines.
      expect(said).toBeLessThan(1000 + 60 * input.length);
      expect(steps).toBeLessThan(100 + 4 * input.length);
    }
  },
  LIMITS.longTest,
);

test('headers of a balancer: each is a header, more, or a fault', () => {
  const any = chance(13);
  const whole = Buffer.concat([Buffer.from('\r\n\r\n\0\r\nQUIT\n', 'latin1'), Buffer.from([0x21, 0x11, 0, 12]), Buffer.alloc(12, 1)]);
  for (let i = 0; i < COUNT; i += 1) {
    const bytes = Buffer.from(whole.subarray(0, any(whole.length + 1)));
    for (let j = any(3); j > 0 && bytes.length > 0; j -= 1) bytes[any(bytes.length)] = any(256);
    const found = readProxyHeader(bytes);
    if (found.kind === 'header') expect(found.length).toBeLessThanOrEqual(bytes.length);
  }
});

const FOLDER = join(ROOT, 'tests/fixtures/returns');
const samples = readdirSync(FOLDER, { recursive: true, encoding: 'utf8' })
  .filter((name) => name.endsWith('.eml'))
  .map((name) => readFileSync(join(FOLDER, name)))
  .filter((bytes) => bytes.length < 20_000);
const PIECES = [
  '\r\n',
  '\r\n\r\n',
  ':',
  ';',
  '--b',
  '--b--',
  '=?utf-8?q?=C3?=',
  '=?utf-8?b?w7w=?=',
  '\0',
  '\u00FF\u00E4',
  'Content-Type: multipart/mixed; boundary=b\r\n',
  'Content-Type: message/rfc822\r\n\r\n',
  'Content-Transfer-Encoding: base64\r\n',
  "name*0*=utf-8''%C3;",
  'From: a@b.example, "c" <d@e.example> (f)\r\n',
  'x'.repeat(1200),
  ' '.repeat(300),
];
/** An address without an ASCII form stays as it is; nothing else does. */
const ADDRESSES = /^(?:from|sender|reply-to|to|cc|bcc|errors-to|return-receipt-to|disposition-notification-to|resent-[a-z]+)[ \t]*:/i;
const travels = (bytes: Buffer): boolean =>
  bytes
    .toString('latin1')
    .split(/\r\n(?![ \t])/)
    .every((field) => ADDRESSES.test(field) || !/[^\x01-\x7F]/.test(field)) &&
  bytes
    .toString('latin1')
    .split('\r\n')
    .every((line) => line.length <= 998);

test(
  'emails that were tampered with: repaired they travel, and a second time changes nothing',
  () => {
    const any = chance(17);
    let refused = 0;
    for (let i = 0; i < COUNT; i += 1) {
      const sample = pick(samples, any);
      const at = any(sample.length);
      const pieces = Array.from({ length: 1 + any(5) }, () => Buffer.from(pick(PIECES, any), 'latin1'));
      const bytes = Buffer.concat([sample.subarray(0, at), ...pieces, sample.subarray(at + any(100))]);
      const { bytes: made, fault } = repairMail(bytes);
      readMail(made);
      if (fault !== undefined) {
        refused += 1;
        continue;
      }
      expect(travels(made)).toBe(true);
      expect(made.length).toBeLessThan(2000 + 4 * bytes.length);
      const again = repairMail(made);
      expect({ isSame: again.bytes.equals(made), repairs: again.repairs }).toEqual({ isSame: true, repairs: [] });
    }
    process.stderr.write(`fuzz: ${COUNT} emails, ${refused} cannot be repaired\n`);
    expect(refused).toBeLessThan(COUNT / 10);
  },
  LIMITS.longTest,
);

test('addresses and header fields of chance', () => {
  const any = chance(19);
  const signs = ['a', '@', '.', '<', '>', '"', '\\', '(', ')', ',', ':', ';', ' ', 'é', '=?', '?=', '\r\n', '*', "'", '%', 'b.example'];
  for (let i = 0; i < COUNT * 3; i += 1) {
    const text = Array.from({ length: any(40) }, () => pick(signs, any)).join('');
    for (const read of [parseAddress, parseMailbox, readAuthor]) {
      const found = read(text);
      // What is read once is read the same again: nobody else can take it for another address.
      if (!isFault(found))
        expect(parseAddress(`${found.local}@${found.domain}`)).toMatchObject({ local: found.local, domain: found.domain });
    }
    parseParameters(text);
    decodeWords(text);
    fieldText(Buffer.from(text, 'utf8').toString('latin1'));
  }
});

describe('what is large takes time in proportion', () => {
  const TIMES = 8;
  const many = (text: string, of: number): string => text.repeat(Math.ceil(of / text.length));
  const head = 'From: a@b.example\r\nContent-Type: text/plain; charset=utf-8\r\n';
  test.each<[string, (of: number) => string]>([
    ['a line without an end', (of) => `${head}\r\n${many('x', of)}`],
    ['8-bit text without an end', (of) => `${head}\r\n${many('é', of)}`],
    ['line ends', (of) => `${head}\r\n${many('\n', of)}`],
    ['spaces', (of) => `${head}\r\n${many(' ', of)}é`],
    ['a header of words', (of) => `${head}Subject: ${many('é ', of)}\r\n\r\nx`],
    ['a header of addresses', (of) => `From: ${many('"é" <a@b.example>, ', of)}\r\n\r\nx`],
    ['a header of open brackets', (of) => `From: é${many('<(', of)}\r\n\r\nx`],
    ['a header of open quotes', (of) => `From: é${many('"\\', of)}\r\n\r\nx`],
    ['folds', (of) => `Subject: é\r\n${many(' y\r\n', of)}\r\nx`],
    ['parameters', (of) => `Content-Type: text/plain; ${many('é*0*=%C3;', of)}\r\n\r\nx`],
    ['boundaries', (of) => `Content-Type: multipart/mixed; boundary=b\r\n\r\né\r\n${many('--b\r\n\r\né\r\n', of)}`],
    ['parts in parts', (of) => many('Content-Type: multipart/mixed; boundary=b\r\n\r\né--b\r\n', of)],
    ['emails in emails', (of) => `${many('Content-Type: message/rfc822\r\n\r\n', of)}é`],
  ])('%s', (_name, make) => {
    const [short, long] = [256 * 1024, 256 * 1024 * TIMES].map((of) => Buffer.from(make(of), 'utf8'));
    expect(
      isInProportion(
        TIMES,
        () => repairMail(short!),
        () => repairMail(long!),
      ),
    ).toBe(true);
    const author = (bytes: Buffer, of: number) => readAuthor(fieldText(bytes.toString('latin1', 6, of)));
    expect(
      isInProportion(
        TIMES,
        () => author(long!, 8 * 1024),
        () => author(long!, 64 * 1024),
      ),
    ).toBe(true);
  });
});

/** A listener in a thread of `file`, and what came of it. */
async function listening(file: string) {
  const logs: string[] = [];
  const log = pino(
    { level: 'warn' },
    new Writable({
      write: (chunk: Buffer, _encoding, done) => {
        logs.push(chunk.toString());
        done();
      },
    }),
  );
  const taken: string[] = [];
  const listener = await listenApart<string>(
    {
      file: join(import.meta.dirname, 'support', file),
      name: 'of tests',
      log,
      listen: { host: '127.0.0.1', doors: [{ port: 0 }], server: { name: 'us', maxBytes: 10_000, maxRecipients: 1 } },
    },
    {
      recipient: () => ({ code: 250, text: 'ok' }),
      mail: ({ reading }) => {
        taken.push('value' in reading ? reading.value : reading.error);
        return { code: 250, text: 'kept' };
      },
    },
  );
  const port = listener.ports[0] ?? 0;
  /** @returns all that was said; undefined where nobody listens */
  const send = (body: string): Promise<string | undefined> =>
    new Promise((done) => {
      const socket = connect(port, '127.0.0.1');
      let said = '';
      socket.on('data', (bytes: Buffer) => (said += bytes.toString()));
      socket.on('error', () => undefined);
      socket.on('close', () => done(said === '' ? undefined : said));
      socket.write(`EHLO a\r\nMAIL FROM:<a@b.example>\r\nRCPT TO:<c@d.example>\r\nDATA\r\n${body}\r\n.\r\nQUIT\r\n`);
    });
  return { listener, logs, taken, send };
}

test('a thread that an email brings down is started again, on its port, and the email is not lost', async () => {
  const { listener, logs, taken, send } = await listening('falling-thread.mjs');
  expect(await send('hello')).toContain('250 kept');
  expect(await send('throw')).toContain('250 kept');
  // No answer: whoever sent it still has it.
  expect((await send('fall'))!).not.toContain('250 kept');
  expect(taken).toEqual(['hello', 'It cannot be read.']);
  await until(async () => ((await send('again'))?.includes('250 kept') === true ? true : undefined));
  expect(listener.isListening()).toBe(true);
  expect(logs.join('')).toContain('It is started again.');
  await listener.close();
});

test('an email that cannot be read, since what reads it cannot be loaded, is for its sender to send again', async () => {
  const { listener, logs, taken, send } = await listening('unreadable-thread.mjs');
  expect(await send('hello')).toMatch(/^451 4\.3\.0 /m);
  expect(await send('hello')).toMatch(/^451 4\.3\.0 /m);
  expect(taken).toEqual([]);
  expect(listener.isListening()).toBe(true);
  await until(() => (logs.join('').includes('there-is-none.mjs') ? true : undefined));
  await listener.close();
});
