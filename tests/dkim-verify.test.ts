import { spawnSync } from 'node:child_process';
import { generateKeyPairSync, type KeyObject } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, test } from '@jest/globals';
import { verifyDkim, type DnsAsk } from '@verbalis/core/authentication';
import { importKey, recordOf, signMail, type KeyAlgorithm } from '@verbalis/core/dkim';
import { bytesOf } from '@verbalis/core/mime';
import { costsAtMostAsync } from './support/cpu.js';
import { temporaryFolder } from './support/service.js';

const folder = temporaryFolder();
afterAll(folder.remove);

const NOW = 1_764_374_400;
const pem = (key: KeyObject): string => key.export({ type: 'pkcs8', format: 'pem' }) as string;
const RSA = pem(generateKeyPairSync('rsa', { modulusLength: 2048 }).privateKey);
const WEAK = pem(generateKeyPairSync('rsa', { modulusLength: 768 }).privateKey);
const EDWARDS = pem(generateKeyPairSync('ed25519').privateKey);
const record = (algorithm: KeyAlgorithm, key: string): string => recordOf(algorithm, importKey(algorithm, key));
const RSA_RECORD = record('rsa-sha256', RSA);
const EDWARDS_RECORD = record('ed25519-sha256', EDWARDS);

/** Name servers that have these TXT records; "!" for those that do not answer. */
const asking =
  (zone: Readonly<Record<string, readonly string[] | '!'>>): DnsAsk =>
  (name) => {
    const records = zone[name];
    if (records === '!') return Promise.resolve({ status: 'failed' });
    return Promise.resolve(records === undefined ? { status: 'none' } : { status: 'found', records });
  };
const ZONE = { 'r1._domainkey.saltmarsh-ferries.example': [RSA_RECORD], 'e1._domainkey.saltmarsh-ferries.example': [EDWARDS_RECORD] };

const MAIL = [
  'From: "Saltmarsh Ferries" <bookings@saltmarsh-ferries.example>',
  'To: =?utf-8?q?=C3=81sa?= <asa@post.example>',
  'Subject: Your   booking',
  '\tSM-1042',
  'Date: Sat, 28 Nov 2026 10:00:00 +0000',
  'Message-ID: <1@saltmarsh-ferries.example>',
  '',
  'Good morning,  ',
  '',
  '\tthe 08:45 sails.',
  '',
  '',
].join('\r\n');
const check = (mail: string, zone: Parameters<typeof asking>[0] = ZONE, seconds = NOW) =>
  verifyDkim({ mail: Buffer.from(mail, 'latin1'), ask: asking(zone), seconds });

async function signed(algorithm: KeyAlgorithm = 'rsa-sha256', mail = MAIL): Promise<string> {
  const key = importKey(algorithm, algorithm === 'rsa-sha256' ? RSA : EDWARDS);
  const keys = [{ domain: 'saltmarsh-ferries.example', selector: algorithm === 'rsa-sha256' ? 'r1' : 'e1', algorithm, key }];
  return (await signMail(bytesOf(Buffer.from(mail, 'latin1')), keys, NOW * 1000)) + mail;
}

describe('what signers of all kinds sign', () => {
  test.each(['rsa-sha256', 'ed25519-sha256'] as const)('our own, %s', async (algorithm) => {
    const mail = await signed(algorithm);
    expect(await check(mail)).toEqual([
      expect.objectContaining({ result: 'pass', domain: 'saltmarsh-ferries.example', algorithm, unsignedOctets: 0, isTesting: false }),
    ]);
    // White space that the relaxed form passes over.
    expect((await check(mail.replace('Your   booking', 'Your booking').replace('Good morning,  ', 'Good morning,')))[0]?.result).toBe(
      'pass',
    );
  });

  test('two fields of one name, each at its place', async () => {
    const mail = await signed('rsa-sha256', MAIL.replace('Date:', 'Comments: one\r\nComments: two\r\nDate:'));
    expect((await check(mail))[0]?.result).toBe('pass');
    const swapped = mail.replace('Comments: one\r\nComments: two', 'Comments: two\r\nComments: one');
    expect((await check(swapped))[0]?.result).toBe('fail');
  });

  const python = (algorithm: KeyAlgorithm, header: string, body: string, length: boolean): string => {
    const key = join(folder.path, `${algorithm}.pem`);
    const raw = Buffer.from(importKey('ed25519-sha256', EDWARDS).export({ format: 'jwk' }).d ?? '', 'base64url').toString('base64');
    writeFileSync(key, algorithm === 'rsa-sha256' ? RSA : raw);
    const program = `
import dkim, sys
mail = sys.stdin.buffer.read()
key = open(${JSON.stringify(key)}, 'rb').read()
d = dkim.DKIM(mail, signature_algorithm=${JSON.stringify(algorithm)}.encode())
sys.stdout.buffer.write(d.sign(${algorithm === 'rsa-sha256' ? "b'r1'" : "b'e1'"}, b'saltmarsh-ferries.example', key, canonicalize=(b'${header}', b'${body}'), length=${length ? 'True' : 'False'}) + mail)
`;
    const { stdout, stderr } = spawnSync('/usr/bin/python3', ['-c', program], { input: Buffer.from(MAIL, 'latin1') });
    expect(stderr.toString()).toBe('');
    return stdout.toString('latin1');
  };
  const forms = ['simple', 'relaxed'].flatMap((header) => ['simple', 'relaxed'].map((body) => [header, body] as const));
  test.each(
    forms.flatMap(([header, body]) => (['rsa-sha256', 'ed25519-sha256'] as const).map((algorithm) => [algorithm, header, body] as const)),
  )('a library of Debian’s, %s %s/%s', async (algorithm, header, body) => {
    const mail = python(algorithm, header, body, false);
    expect((await check(mail)).map(({ result, reason }) => [result, reason])).toEqual([['pass', expect.any(String)]]);
    const [changed] = await check(mail.replace('the 08:45 sails', 'the 08:46 sails'));
    expect(changed).toMatchObject({ result: 'fail', reason: 'The body was changed after it was signed.' });
    const spaced = mail.replace('Your   booking', 'Your booking');
    expect((await check(spaced))[0]?.result).toBe(header === 'relaxed' ? 'pass' : 'fail');
    const trimmed = mail.replace('Good morning,  ', 'Good morning,');
    expect((await check(trimmed))[0]?.result).toBe(body === 'relaxed' ? 'pass' : 'fail');
  });

  test('one with l=, and what was added after it', async () => {
    const mail = python('rsa-sha256', 'relaxed', 'relaxed', true);
    expect((await check(mail))[0]).toMatchObject({ result: 'pass', unsignedOctets: 0 });
    expect((await check(`${mail}An advertisement.\r\n`))[0]).toMatchObject({ result: 'pass', unsignedOctets: expect.any(Number) });
    expect((await check(`${mail}An advertisement.\r\n`))[0]?.unsignedOctets).toBeGreaterThan(10);
    expect((await check(mail.replace('\tthe 08:45 sails.\r\n', '')))[0]?.result).toBe('permerror');
  });

  test.each(['simple', 'relaxed'])('another library of Debian’s, %s', async (form) => {
    const key = join(folder.path, 'perl.pem');
    writeFileSync(key, importKey('rsa-sha256', RSA).export({ type: 'pkcs1', format: 'pem' }));
    const program = `
use Mail::DKIM::Signer; use Mail::DKIM::PrivateKey; my $mail = do { local $/; <STDIN> };
my $s = Mail::DKIM::Signer->new(Algorithm => 'rsa-sha256', Method => '${form}', Domain => 'saltmarsh-ferries.example', Selector => 'r1', Key => Mail::DKIM::PrivateKey->load(File => '${key}'));
$s->PRINT($mail); $s->CLOSE; print $s->signature->as_string, "\\r\\n", $mail;`;
    const { stdout, stderr } = spawnSync('perl', ['-e', program], { input: Buffer.from(MAIL, 'latin1') });
    expect(stderr.toString()).toBe('');
    expect((await check(stdout.toString('latin1'))).map(({ result, reason }) => [result, reason])).toEqual([['pass', expect.any(String)]]);
  });
});

describe('broken mails', () => {
  const at = 'r1._domainkey.saltmarsh-ferries.example';
  const change: [name: string, (mail: string) => string, result: string, reason: RegExp][] = [
    ['a changed subject', (mail) => mail.replace('SM-1042', 'SM-1043'), 'fail', /header field was changed/],
    ['a second From above', (mail) => `From: a@b.example\r\n${mail}`, 'fail', /header field was changed/],
    ['a second Subject below', (mail) => mail.replace('Date:', 'Subject: x\r\nDate:'), 'fail', /header field was changed/],
    ['a field that is not signed', (mail) => `X-Seen: 1\r\n${mail}`, 'pass', /signed it/],
    ['a footer', (mail) => `${mail}-- \r\nA list\r\n`, 'fail', /body was changed/],
    ['an empty line at the end', (mail) => `${mail}\r\n\r\n`, 'pass', /signed it/],
    ['another domain', (mail) => mail.replace('d=saltmarsh', 'd=sandmarsh'), 'permerror', /no key at r1\._domainkey\.sandmarsh/],
    ['another selector', (mail) => mail.replace('s=r1', 's=r2'), 'permerror', /no key at r2/],
    ['no d=', (mail) => mail.replace(/ d=[^;]*;/, ''), 'permerror', /has no d=/],
    ['no bh=', (mail) => mail.replace(/\r\n bh=[^;]*;/, ''), 'permerror', /has no bh=/],
    ['a tag twice', (mail) => mail.replace(' v=1;', ' v=1; v=1;'), 'permerror', /not a list of tags, or has one twice/],
    ['version 2', (mail) => mail.replace(' v=1;', ' v=2;'), 'permerror', /version "2"/],
    ['an unknown algorithm', (mail) => mail.replace('a=rsa-sha256', 'a=rsa-md5'), 'permerror', /rsa-md5/],
    ['SHA-1', (mail) => mail.replace('a=rsa-sha256', 'a=rsa-sha1'), 'permerror', /RFC 8301/],
    ['an unknown form', (mail) => mail.replace('c=relaxed/relaxed', 'c=loose'), 'permerror', /unknown c=/],
    ['From not signed', (mail) => mail.replace(/:from/g, ':x-from'), 'permerror', /does not sign the From field/],
    ['an identity elsewhere', (mail) => mail.replace(' v=1;', ' v=1; i=@other.example;'), 'permerror', /not under saltmarsh/],
    [
      'an identity that only looks to be under it',
      (mail) => mail.replace(' v=1;', ' v=1; i=@evilsaltmarsh-ferries.example;'),
      'permerror',
      /not under/,
    ],
    ['expired', (mail) => mail.replace(' v=1;', ` v=1; x=${NOW - 1};`).replace(/\r\n t=\d+;/, ''), 'permerror', /expired/],
    ['ends before it begins', (mail) => mail.replace(' v=1;', ' v=1; x=5;').replace(/ t=\d+;/, ' t=9;'), 'permerror', /ends before/],
    ['times that are none', (mail) => mail.replace(/ t=\d+;/, ' t=soon;'), 'permerror', /not a number/],
    ['a key by other means', (mail) => mail.replace(' v=1;', ' v=1; q=http;'), 'permerror', /unknown place for its key/],
    ['b= that is not base64', (mail) => mail.replace(/ b=[^;]*?(?=\r\n[A-Z])/, ' b=***'), 'permerror', /b= that is not base64/],
    [
      'a signature cut off',
      (mail) => mail.replace(/ b=([A-Za-z0-9+/]{20})[^;]*?(?=\r\n[A-Z])/, ' b=$1'),
      'fail',
      /header field was changed, or the key/,
    ],
    ['a selector that is too long', (mail) => mail.replace('s=r1', `s=${'x'.repeat(64)}`), 'permerror', /is not valid/],
    ['not a list', (mail) => mail.replace(/^DKIM-Signature:[\s\S]*?\r\n(?=From)/, 'DKIM-Signature: hello\r\n'), 'permerror', /not a list/],
    ['an empty one', (mail) => mail.replace(/^DKIM-Signature:[\s\S]*?\r\n(?=From)/, 'DKIM-Signature:\r\n'), 'permerror', /has no v=/],
  ];
  test.each(change)('%s', async (_name, broken, result, reason) => {
    const mail = broken(await signed());
    expect(await check(mail)).toEqual([expect.objectContaining({ result, reason: expect.stringMatching(reason) })]);
  });

  const p = /p=(.*)$/.exec(RSA_RECORD)?.[1] ?? '';
  const keys: [name: string, records: readonly string[] | '!', result: string, reason: RegExp][] = [
    ['no answer', '!', 'temperror', /did not answer/],
    ['two records', [RSA_RECORD, RSA_RECORD], 'permerror', /2 TXT records/],
    ['another key', [record('rsa-sha256', pem(generateKeyPairSync('rsa', { modulusLength: 2048 }).privateKey))], 'fail', /key is another/],
    ['a key of the other kind', [EDWARDS_RECORD], 'permerror', /is for ed25519/],
    ['a revoked key', ['v=DKIM1; p='], 'permerror', /revoked/],
    ['a key cut at 255', [`v=DKIM1; k=rsa; p=${p.slice(0, 237)}`], 'permerror', /not a key for rsa/],
    ['a key in quotes', [`"${RSA_RECORD}"`], 'permerror', /not a list of tags/],
    ['a key with backslashes', [RSA_RECORD.replaceAll(';', '\\;')], 'permerror', /version that is not DKIM1/],
    ['a text that is no key', ['site-verification=abc'], 'permerror', /has no p=|not a list/],
    ['no version', [`k=rsa; p=${p}`], 'pass', /signed it/],
    ['no kind', [`p=${p}`], 'pass', /signed it/],
    ['version at the end', [`p=${p}; v=DKIM1`], 'permerror', /version/],
    ['version 2', [`v=DKIM2; p=${p}`], 'permerror', /version/],
    ['folded, with unknown tags', [`v=DKIM1; n=a note; zz=1; p=${p.slice(0, 60)} ${p.slice(60)};`], 'pass', /signed it/],
    ['for SHA-1 only', [`v=DKIM1; h=sha1; p=${p}`], 'permerror', /not for SHA-256/],
    ['for both', [`v=DKIM1; h=sha1 : sha256; p=${p}`], 'pass', /signed it/],
    ['not for email', [`v=DKIM1; s=chat; p=${p}`], 'permerror', /not for email/],
    ['for all', [`v=DKIM1; s=chat:*; p=${p}`], 'pass', /signed it/],
    ['an unknown kind', [`v=DKIM1; k=dsa; p=${p}`], 'permerror', /"dsa"/],
    ['too few bits', [record('rsa-sha256', WEAK)], 'permerror', /768 bits/],
    ['only tried', [`v=DKIM1; t=y; p=${p}`], 'pass', /signed it/],
    ['bytes of another kind', [`v=DKIM1; k=ed25519; p=${p}`], 'permerror', /not a key for ed25519/],
    ['the bare form', [`v=DKIM1; p=${bareKey()}`], 'pass', /signed it/],
  ];
  function bareKey(): string {
    const key = importKey('rsa-sha256', RSA);
    return Buffer.from(recordBytes(key)).toString('base64');
  }
  function recordBytes(key: KeyObject): Buffer {
    // A public key from the private one, in the form of PKCS #1.
    const program = 'openssl rsa -RSAPublicKey_out -outform DER 2>/dev/null';
    return spawnSync('sh', ['-c', program], { input: pem(key) }).stdout;
  }
  test.each(keys)('a key record: %s', async (_name, records, result, reason) => {
    expect(await check(await signed(), { [at]: records })).toEqual([
      expect.objectContaining({ result, reason: expect.stringMatching(reason) }),
    ]);
  });

  test('a strict key allows no identity in a subdomain', async () => {
    const mail = (await signed()).replace(' v=1;', ' v=1; i=@mail.saltmarsh-ferries.example;');
    expect(await check(mail, { [at]: [`v=DKIM1; t=s:y; p=${p}`] })).toEqual([
      expect.objectContaining({ result: 'permerror', isTesting: true, reason: expect.stringMatching(/subdomain/) }),
    ]);
  });

  test('several signatures, each for itself; no more than ten are looked at', async () => {
    const mail = await signed('rsa-sha256', await signed('ed25519-sha256'));
    expect((await check(mail)).map(({ result, selector }) => [selector, result])).toEqual([
      ['r1', 'pass'],
      ['e1', 'pass'],
    ]);
    expect(await check('DKIM-Signature: x\r\n'.repeat(5000) + MAIL)).toHaveLength(10);
    expect(await check(MAIL)).toEqual([]);
  });

  test.each([
    [''],
    ['\r\n'],
    ['\r\nx'],
    ['x'],
    ['DKIM-Signature'],
    [':'],
    ['DKIM-Signature: a=1;\r\n\r\n'],
    [`DKIM-Signature: ${'a;'.repeat(100_000)}`],
  ])('whatever else comes is no error: %#', async (mail) => {
    for (const { result } of await check(mail)) expect(result).toBe('permerror');
  });

  test('a hostile list of names and a long body take time in proportion', async () => {
    const names = `h=${'from:'.repeat(50_000)}from`;
    const mail = `DKIM-Signature: v=1; a=rsa-sha256; d=saltmarsh-ferries.example; s=r1; ${names}; bh=x; b=AAAA\r\n${MAIL}${' \t'.repeat(2_000_000)}`;
    expect((await check(mail))[0]?.result).toBe('fail');
    expect(await costsAtMostAsync(3000, () => check(mail))).toBe(true);
  });
});
