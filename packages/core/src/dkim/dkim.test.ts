import { createHash, createPrivateKey, createPublicKey, verify } from 'node:crypto';
import { describe as group, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { bytesOf } from '../mime/index.js';
import { canonicalBodyHash, canonicalField, importKey, makeKey, recordOf, signMail, type KeyAlgorithm } from './index.js';
import { scaled } from '../../../../tests/support/scale.js';

const hashOf = (text: string): string => createHash('sha256').update(text, 'latin1').digest('base64');
const bodyHash = (...chunks: string[]): string => canonicalBodyHash(chunks.map((chunk) => Buffer.from(chunk, 'latin1')));

group('relaxed form', () => {
  test('the example of RFC 6376 3.4.5', () => {
    expect([canonicalField('A', ' X'), canonicalField('B ', ' Y\t\r\n\tZ  ')]).toEqual(['a:X', 'b:Y Z']);
    expect(bodyHash(' C \r\nD \t E\r\n\r\n\r\n')).toBe(hashOf(' C\r\nD E\r\n'));
  });

  test.each([
    ['', ''],
    ['\r\n\r\n', ''],
    ['a', 'a\r\n'],
    ['a\r\n', 'a\r\n'],
    ['a  b\t\tc \r\n', 'a b c\r\n'],
    ['a\r\n\r\nb\r\n', 'a\r\n\r\nb\r\n'],
    [' \r\n', ''],
    ['\t\r\na\r\n', '\r\na\r\n'],
    ['a \r\n \r\n\t\r\n', 'a\r\n'],
  ])('%j', (body, wanted) => {
    expect(bodyHash(body)).toBe(hashOf(wanted));
  });

  test('does not depend on where the pieces end', () => {
    const piece = fc.constantFrom('a', ' ', '\t', '\r\n', '  ', 'word', '.', '\r\n\r\n');
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 30 }), fc.array(fc.nat(60), { maxLength: 5 }), (list, cuts) => {
        const text = list.join('');
        const ends = [0, ...cuts.map((cut) => Math.min(cut, text.length)).sort((a, b) => a - b), text.length];
        const chunks = ends.slice(1).map((end, i) => text.slice(ends[i], end));
        // As the RFC says it, line by line.
        const lines = text.split('\r\n').map((line) => line.replace(/[ \t]+/g, ' ').replace(/ $/, ''));
        const simple = lines.join('\r\n').replace(/(?:\r\n)*$/, '');
        expect(bodyHash(...chunks)).toBe(hashOf(simple === '' ? '' : `${simple}\r\n`));
      }),
      { numRuns: scaled(500, 2000) },
    );
  });
});

/** Checks a signature as RFC 6376 6.1.3 says, sharing only the relaxed form of a field with our code. */
function holds(mail: string, algorithm: KeyAlgorithm, publicKey: ReturnType<typeof createPublicKey>): boolean {
  const [head = '', ...rest] = mail.split('\r\n\r\n');
  const fields = head.split(/\r\n(?![ \t])/).map((line) => [line.slice(0, line.indexOf(':')), line.slice(line.indexOf(':') + 1)] as const);
  const signature = fields.find(([name]) => name === 'DKIM-Signature')?.[1] ?? '';
  const tags = Object.fromEntries(
    signature.split(';').map((tag) => [tag.slice(0, tag.indexOf('=')).trim(), tag.slice(tag.indexOf('=') + 1).replace(/\s+/g, '')]),
  );
  if (tags['bh'] !== bodyHash(rest.join('\r\n\r\n'))) return false;
  const left = [...fields].reverse();
  const chosen = (tags['h'] ?? '').split(':').flatMap((name) => {
    const at = left.findIndex(([other]) => other.toLowerCase() === name);
    return at === -1 ? [] : left.splice(at, 1);
  });
  const input = `${chosen.map(([name, value]) => `${canonicalField(name, value)}\r\n`).join('')}${canonicalField('DKIM-Signature', signature.replace(/b=[^;]*$/, 'b='))}`;
  const bytes = Buffer.from(tags['b'] ?? '', 'base64');
  return algorithm === 'rsa-sha256'
    ? verify('sha256', Buffer.from(input, 'latin1'), publicKey, bytes)
    : verify(null, createHash('sha256').update(input, 'latin1').digest(), publicKey, bytes);
}

const MAIL = [
  'From: Harbour <harbour@saltmarsh-ferries.example>',
  'To: asa@post.example',
  'Subject: A  folded\r\n\tsubject',
  'Date: Fri, 04 Dec 2026 08:15:00 +0000',
  'Message-ID: <m1@saltmarsh-ferries.example>',
  'X-Other: not signed',
  'MIME-Version: 1.0',
  '',
  'Hello  Ása \r\n\r\nSee you.\r\n\r\n',
].join('\r\n');

const MADE = { 'rsa-sha256': await makeKey('rsa-sha256'), 'ed25519-sha256': await makeKey('ed25519-sha256') };

group.each(['rsa-sha256', 'ed25519-sha256'] as const)('%s', (algorithm) => {
  const { privateKey } = MADE[algorithm];
  const key = importKey(algorithm, privateKey);
  const publicKey = createPublicKey(key);
  const sign = (mail: string) =>
    signMail(
      bytesOf(Buffer.from(mail, 'latin1')),
      [{ domain: 'saltmarsh-ferries.example', selector: 'v1', algorithm, key }],
      1_796_000_000_000,
    );

  test('an email that is signed holds, and does not once it is changed', async () => {
    const signed = `${await sign(MAIL)}${MAIL}`;
    expect(holds(signed, algorithm, publicKey)).toBe(true);
    expect(holds(signed.replace('See you', 'See me'), algorithm, publicKey)).toBe(false);
    expect(holds(signed.replace('A  folded', 'Another'), algorithm, publicKey)).toBe(false);
    // A second From on top is one more than was signed.
    expect(holds(signed.replace('From:', 'From: other@host.example\r\nFrom:'), algorithm, publicKey)).toBe(false);
    expect(holds(signed.replace('X-Other: not signed', 'X-Other: changed'), algorithm, publicKey)).toBe(true);
    // What relays do: white space, and empty lines at the end.
    expect(holds(signed.replace('Hello  Ása ', 'Hello Ása').replace(/(?:\r\n)+$/, '\r\n'), algorithm, publicKey)).toBe(true);
  });

  test('the same mail has the same signature, with lines that may stand in a header', async () => {
    const field = await sign(MAIL);
    expect(await sign(MAIL)).toBe(field);
    for (const line of field.split('\r\n')) expect(line.length).toBeLessThanOrEqual(100);
    expect(field).toContain(`a=${algorithm}; c=relaxed/relaxed; d=saltmarsh-ferries.example; s=v1;`);
    expect(field).toContain('t=1796000000;');
  });

  test('the record holds the public key', () => {
    const record = recordOf(algorithm, key);
    const [, value = ''] = /p=(.*)$/.exec(record) ?? [];
    const bytes = Buffer.from(value, 'base64');
    const read =
      algorithm === 'rsa-sha256'
        ? createPublicKey({ key: bytes, format: 'der', type: 'spki' })
        : createPublicKey({ key: { kty: 'OKP', crv: 'Ed25519', x: bytes.toString('base64url') }, format: 'jwk' });
    expect(read.equals(publicKey)).toBe(true);
  });
});

test('the key and record of RFC 8463 appendix A', () => {
  const seed = Buffer.from('nWGxne/9WmC6hEr0kuwsxERJxWl7MmkZcDusAxyuf2A=', 'base64');
  const der = Buffer.concat([Buffer.from('302e020100300506032b657004220420', 'hex'), seed]);
  const key = createPrivateKey({ key: der, format: 'der', type: 'pkcs8' });
  expect(recordOf('ed25519-sha256', key)).toBe('v=DKIM1; k=ed25519; p=11qYAYKxCrfVS/7TyWQHOg7hcvPapiMlrwIaaPcHURo=');
});

test('a key of the other kind is refused, and no key signs nothing', async () => {
  const { privateKey } = MADE['ed25519-sha256'];
  expect(() => importKey('rsa-sha256', privateKey)).toThrow(/ed25519, not for rsa/);
  expect(() => importKey('rsa-sha256', 'no key')).toThrow();
  expect(await signMail(bytesOf(Buffer.from(MAIL)), [], 0)).toBe('');
});
