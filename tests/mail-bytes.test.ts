import { spawnSync } from 'node:child_process';
import { rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { importKey, makeKey, recordOf, signMail, type SigningKey } from '@verbalis/core/dkim';
import {
  addressText,
  bytesOf,
  fieldOf,
  mailBytes,
  parseMailbox,
  isFault,
  partBytes,
  partsOf,
  prefixed,
  readMail,
  shownText,
  writeMail,
  type MailContent,
} from '@verbalis/core/mime';
import { needs } from './support/browser.js';
import { temporaryFolder } from './support/service.js';

// What we write, read by programs that share no line with ours.
const PYTHON = '/usr/bin/python3';
const folder = temporaryFolder();
afterAll(() => folder.remove());

const signs = fc.oneof(
  fc.constantFrom(
    'a',
    'Z',
    ' ',
    '  ',
    '.',
    '=',
    '?',
    '_',
    '"',
    '\\',
    ',',
    '<',
    '>',
    '(',
    '\n',
    '\r\n',
    '\t',
    'é',
    'ß',
    'Ж',
    'ع',
    'ש',
    '日',
    '👩‍👩‍👧',
    '\u0301',
    '\uD800',
    '\u202E',
    '\0',
    'From ',
  ),
  fc.string({ unit: 'binary', maxLength: 1 }),
);
const short = fc.string({ unit: signs, maxLength: 40 });
const long = fc.oneof(
  fc.string({ unit: signs, maxLength: 200 }),
  fc.integer({ min: 900, max: 2500 }).map((n) => 'x'.repeat(n)),
  fc.integer({ min: 10, max: 60 }).map((n) => 'a line of words that goes on\n'.repeat(n)),
  fc.constant(''),
);
const content = fc.record({
  name: short,
  subject: fc.oneof(short, long),
  text: long,
  html: fc.option(long, { nil: undefined }),
  files: fc.array(fc.record({ name: short, bytes: fc.uint8Array({ maxLength: 300 }) }), { maxLength: 3 }),
  calendar: fc.boolean(),
});
type Content = typeof content extends fc.Arbitrary<infer T> ? T : never;

function mailOf(content: Content): MailContent {
  return {
    from: { name: content.name, local: 'harbour', domain: 'saltmarsh-ferries.example' },
    to: [{ name: '', local: 'asa', domain: 'post.example' }],
    subject: content.subject,
    messageId: 'm1@saltmarsh-ferries.example',
    date: 0,
    text: content.text,
    ...(content.html === undefined ? {} : { html: content.html }),
    attachments: content.files.map((file) => ({ name: file.name, type: 'application/pdf', body: bytesOf(file.bytes) })),
    calendar: content.calendar ? { method: 'REQUEST', text: 'BEGIN:VCALENDAR\r\nEND:VCALENDAR\r\n' } : undefined,
    boundary: '=_0123456789abcdef',
  };
}

const flat = (text: string): string =>
  text
    .toWellFormed()
    .replace(/[\s\u0085\u2028\u2029]/g, ' ')
    .replace(/[\u0000-\u001F\u007F-\u009F]/g, '')
    .replace(/ +/g, ' ')
    .trim();
const body = (text: string): string =>
  text
    .toWellFormed()
    .replaceAll('\0', '')
    .replace(/\r\n|\r|\n/g, '\n');
const lines = (text: string | undefined): string | undefined => text?.replaceAll('\r\n', '\n');

/** What our own reader makes of an email, in the shape in which Python tells it. */
function ours(bytes: Buffer) {
  const mail = readMail(bytes);
  const from = parseMailbox(fieldOf(mail, 'from') ?? '');
  return {
    subject: fieldOf(mail, 'subject'),
    from: isFault(from) ? '' : addressText(from),
    text: lines(shownText(mail, 'plain')),
    html: lines(shownText(mail, 'html')) ?? null,
    files: [...partsOf(mail)]
      .filter((part) => part.type === 'application/pdf')
      .map((part) => Buffer.from(partBytes(part)).toString('base64')),
  };
}

const READER = `
import sys, json, base64, struct
from email import message_from_bytes, policy
data = open(sys.argv[1], 'rb').read()
at, out = 0, []
while at < len(data):
  (n,) = struct.unpack('>I', data[at:at+4]); at += 4
  mail = message_from_bytes(data[at:at+n], policy=policy.default); at += n
  plain, html = None, None
  files = []
  for part in mail.walk():
    if part.get_content_type() == 'text/plain' and plain is None: plain = part.get_payload(decode=True).decode('utf-8').replace('\\r\\n', '\\n')
    if part.get_content_type() == 'text/html' and html is None: html = part.get_payload(decode=True).decode('utf-8').replace('\\r\\n', '\\n')
    if part.get_content_type() == 'application/pdf': files.append(base64.b64encode(part.get_payload(decode=True)).decode())
  out.append({'subject': mail['subject'], 'from': mail['from'].addresses[0].addr_spec, 'text': plain, 'html': html, 'files': files,
    'defects': sorted({type(d).__name__ for part in mail.walk() for d in part.defects})})
json.dump(out, sys.stdout)
`;

// All of them on CI; Python takes 10 ms for one.
const COUNT = scaled(300, 1500);

needs(PYTHON)(
  'RFC 2045 6: generated emails are read back the same by our reader and by another [Python’s email]',
  () => {
    // Pools of generated pieces, put together in ever new ways: making each mail from nothing takes minutes.
    const pool = { seed: 20261123, numRuns: 331 };
    const [names, texts, files] = [fc.sample(short, pool), fc.sample(long, pool), fc.sample(fc.uint8Array({ maxLength: 300 }), pool)];
    const pick = <T>(list: readonly T[], i: number): T => list[i % list.length] as T;
    const all = Array.from({ length: COUNT }, (_, i): Content => ({
      name: pick(names, i),
      subject: i % 3 === 0 ? pick(texts, i * 7) : pick(names, i * 11 + 5),
      text: pick(texts, i * 13 + 3),
      html: i % 4 === 0 ? undefined : pick(texts, i * 17 + 2),
      files: Array.from({ length: i % 3 }, (_unused, n) => ({ name: pick(names, i * 19 + n), bytes: pick(files, i * 23 + n) })),
      calendar: i % 5 === 0,
    }));
    const emails = all.map((content) => mailBytes(writeMail(mailOf(content))));
    const file = join(folder.path, 'emails');
    writeFileSync(
      file,
      Buffer.concat(
        emails.flatMap((mail) => {
          const size = Buffer.alloc(4);
          size.writeUInt32BE(mail.length);
          return [size, mail];
        }),
      ),
    );
    const run = spawnSync(PYTHON, ['-c', READER, file], { encoding: 'utf8', maxBuffer: 1e9 });
    expect(run.stderr).toBe('');
    const theirs = JSON.parse(run.stdout) as (ReturnType<typeof ours> & { defects: string[] })[];
    all.forEach((content, i) => {
      const wanted = {
        subject: flat(content.subject),
        from: 'harbour@saltmarsh-ferries.example',
        text: body(content.text),
        html: content.html === undefined || content.html === '' ? null : body(content.html),
        files: content.files.map((found) => Buffer.from(found.bytes).toString('base64')),
      };
      expect(ours(emails[i] as Buffer)).toEqual(wanted);
      const { defects, ...read } = theirs[i] as (typeof theirs)[number];
      expect({ i, ...read, subject: flat(read.subject ?? '') }).toEqual({ i, ...wanted });
      expect(defects).toEqual([]);
      expect(
        Math.max(
          ...(emails[i] as Buffer)
            .toString('latin1')
            .split('\r\n')
            .map((line) => line.length),
        ),
      ).toBeLessThanOrEqual(998);
    });
    rmSync(file);
  },
  300_000,
);

test('a large attachment goes through without being in memory as a whole', () => {
  const size = 25 * 1024 * 1024;
  const piece = Buffer.alloc(64 * 1024, 0x5a);
  const file = {
    name: 'big.bin',
    type: 'application/zip',
    body: {
      size,
      *chunks() {
        for (let at = 0; at < size; at += piece.length) yield piece;
      },
    },
  };
  const mail = writeMail({ ...mailOf({ name: '', subject: 's', text: 't', html: 'h', files: [], calendar: false }), attachments: [file] });
  const before = process.memoryUsage().arrayBuffers;
  let most = 0;
  let sum = 0;
  for (const chunk of mail.chunks()) {
    sum += chunk.length;
    most = Math.max(most, process.memoryUsage().arrayBuffers - before);
  }
  expect(sum).toBe(mail.size);
  expect(most).toBeLessThan(2 * size);
});

const DOMAIN = 'saltmarsh-ferries.example';
const made = await Promise.all(
  (['rsa-sha256', 'ed25519-sha256'] as const).map(async (algorithm, i): Promise<SigningKey> => ({
    domain: DOMAIN,
    selector: `s${i}`,
    algorithm,
    key: importKey(algorithm, (await makeKey(algorithm)).privateKey),
  })),
);

/** Verifies every signature of an email by the Python implementation, with the records given instead of asked for. */
export const VERIFY = `
import sys, json, dkim
records = json.loads(sys.argv[2])
verifier = dkim.DKIM(open(sys.argv[1], 'rb').read())
look = lambda name, timeout=5: records[(name.decode() if isinstance(name, bytes) else name).rstrip('.')].encode()
print(json.dumps([verifier.verify(idx=i, dnsfunc=look) for i in range(int(sys.argv[3]))]))
`;
import { scaled } from './support/scale.js';
const records = Object.fromEntries(
  made.map((signingKey) => [`${signingKey.selector}._domainkey.${DOMAIN}`, recordOf(signingKey.algorithm, signingKey.key)]),
);

needs(PYTHON, '/usr/bin/dkimverify')('RFC 8463 3: signatures are verified, RSA and Ed25519 [dkimpy]', async () => {
  for (const [i, one] of fc.sample(content, { numRuns: 25, seed: 7 }).entries()) {
    const mail = writeMail(mailOf(one));
    const file = join(folder.path, `signed-${i}.eml`);
    writeFileSync(file, mailBytes(prefixed(await signMail(mail, made, 1_000_000_000_000), mail)));
    const { stdout, stderr } = spawnSync(PYTHON, ['-c', VERIFY, file, JSON.stringify(records), '2'], { encoding: 'utf8' });
    expect(stderr).toBe('');
    expect(JSON.parse(stdout)).toEqual([true, true]);
  }
});

needs('/usr/sbin/opendkim')('RFC 6376 6.1: signatures are verified [opendkim]', async () => {
  const mail = writeMail(mailOf({ name: 'Ása', subject: 'Häfen → 港', text: 'a  b \n\n\n', html: '<p>é</p>', files: [], calendar: true }));
  const file = join(folder.path, 'second.eml');
  const dns = join(folder.path, 'dns');
  const conf = join(folder.path, 'conf');
  writeFileSync(file, mailBytes(prefixed(await signMail(mail, made, Date.now() - 1000), mail)));
  writeFileSync(
    dns,
    Object.entries(records)
      .map(([name, text]) => `${name} ${text}\n`)
      .join(''),
  );
  writeFileSync(conf, `Mode v\nTestDNSData ${dns}\nBackground no\nUserID root\n`);
  const { stdout, stderr } = spawnSync('/usr/sbin/opendkim', ['-x', conf, '-t', file, '-vv'], { encoding: 'utf8' });
  expect(`${stdout}${stderr}`.match(/dkim=\w+/g)).toEqual(['dkim=pass', 'dkim=pass']);
});

test('the same mail, keys and time give the same bytes', async () => {
  const mail = writeMail(mailOf({ name: 'x', subject: 's', text: 't', html: undefined, files: [], calendar: false }));
  expect(await signMail(mail, made, 5)).toBe(await signMail(mail, made, 5));
});
