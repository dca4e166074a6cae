import { createHmac, generateKeyPairSync, sign } from 'node:crypto';
import { describe as group, expect, test } from '@jest/globals';
import { CallbackSignature } from '../providers/index.js';
import { verifyCall } from './verify.js';

const NOW = Date.parse('2026-11-20T08:00:00Z');
const BODY = Buffer.from('{"event":"arrived","to":"ása@post.example"}');
const hmac = (text: string | Buffer, secret = 'a secret', encoding: 'hex' | 'base64' = 'hex') =>
  createHmac('sha256', secret).update(text).digest(encoding);
const seconds = (offset = 0) => String(NOW / 1000 + offset);

/** Whether a call passes, or why not. */
function verdict(signature: object, headers: Record<string, string | string[]>, body: Buffer = BODY): true | string {
  const found = verifyCall(CallbackSignature.parse(signature), headers, body, NOW);
  return found.ok ? true : found.why;
}

group('HMAC-SHA256', () => {
  const plain = { kind: 'hmac-sha256', secret: 'a secret', header: 'X-Signature' };
  test('of the body, in hex or base64, with or without a word before it', () => {
    expect(verdict(plain, { 'x-signature': hmac(BODY) })).toBe(true);
    expect(verdict(plain, { 'x-signature': hmac(BODY).toUpperCase() })).toBe(true);
    expect(verdict({ ...plain, encoding: 'base64' }, { 'x-signature': hmac(BODY, 'a secret', 'base64') })).toBe(true);
    expect(verdict({ ...plain, prefix: 'sha256=' }, { 'x-signature': `sha256=${hmac(BODY)}` })).toBe(true);
    expect(verdict(plain, { 'x-signature': [hmac(BODY), 'second'] })).toBe(true);
  });

  test.each([
    ['another body', { 'x-signature': hmac('other') }, 'not right'],
    ['another secret', { 'x-signature': hmac(BODY, 'b secret') }, 'not right'],
    ['no field', {}, '"X-Signature" is missing'],
    ['an empty one', { 'x-signature': '' }, 'is missing'],
    ['half of it', { 'x-signature': hmac(BODY).slice(0, 32) }, 'not right'],
    ['what is no hex', { 'x-signature': 'zz'.repeat(32) }, 'not right'],
    ['more than it', { 'x-signature': `${hmac(BODY)}00` }, 'not right'],
  ])('%s is refused', (_name, headers, why) => {
    expect(verdict(plain, headers as Record<string, string>)).toEqual(expect.stringContaining(why));
  });

  const timed = { ...plain, timestampHeader: 'X-Time', signed: '{{ timestamp }}.{{ body }}' };
  test.each([
    ['now', 0, true],
    ['at the edge', -300, true],
    ['too old', -301, 'too old, or from the future'],
    ['from the future', 301, 'too old, or from the future'],
  ])('with a time: %s', (_name, offset, wanted) => {
    const at = seconds(offset);
    const found = verdict(timed, { 'x-time': at, 'x-signature': hmac(`${at}.${BODY.toString()}`) });
    expect(found).toEqual(wanted === true ? true : expect.stringContaining(wanted as string));
  });

  test('a time that is not the signed one, none, or none that can be read', () => {
    const signature = hmac(`${seconds()}.${BODY.toString()}`);
    expect(verdict(timed, { 'x-time': seconds(1), 'x-signature': signature })).toEqual(expect.stringContaining('not right'));
    expect(verdict(timed, { 'x-signature': signature })).toEqual(expect.stringContaining('no time that can be read'));
    expect(verdict(timed, { 'x-time': 'noon', 'x-signature': signature })).toEqual(expect.stringContaining('no time that can be read'));
  });

  test('times in milliseconds and as dates', () => {
    for (const at of [String(NOW), 'Fri, 20 Nov 2026 08:00:00 GMT', '2026-11-20T08:00:00Z'])
      expect(verdict(timed, { 'x-time': at, 'x-signature': hmac(`${at}.${BODY.toString()}`) })).toBe(true);
  });

  test('a field that holds both, with several signatures while keys are changed', () => {
    const both = { ...plain, parts: { timestamp: 't', signature: 'v1' }, signed: '{{ timestamp }}.{{ body }}' };
    const right = hmac(`${seconds()}.${BODY.toString()}`);
    expect(verdict(both, { 'x-signature': `t=${seconds()},v1=${right}` })).toBe(true);
    expect(verdict(both, { 'x-signature': `t=${seconds()}, v1=${'0'.repeat(64)}, v1=${right}` })).toBe(true);
    expect(verdict(both, { 'x-signature': `v1=${right}` })).toEqual(expect.stringContaining('no time'));
    expect(verdict(both, { 'x-signature': `t=${seconds()}` })).not.toBe(true);
    expect(verdict(both, { 'x-signature': `t=${seconds()},v0=${right}` })).not.toBe(true);
  });

  test('what is signed may hold other fields of the call', () => {
    const more = { ...plain, signed: '{{ header.X-Id }}:{{ body }}' };
    expect(verdict(more, { 'x-id': '7', 'x-signature': hmac(`7:${BODY.toString()}`) })).toBe(true);
    expect(verdict(more, { 'x-id': '8', 'x-signature': hmac(`7:${BODY.toString()}`) })).not.toBe(true);
  });
});

group('Ed25519', () => {
  const { privateKey, publicKey } = generateKeyPairSync('ed25519');
  const raw = Buffer.from(publicKey.export({ format: 'jwk' }).x ?? '', 'base64url').toString('base64');
  const pem = publicKey.export({ format: 'pem', type: 'spki' }) as string;
  const signature = sign(null, BODY, privateKey);
  test.each([
    ['as 32 bytes in base64', raw],
    ['in PEM', pem],
  ])('a key %s', (_name, key) => {
    const one = { kind: 'ed25519', publicKey: key, header: 'X-Signature', encoding: 'base64' };
    expect(verdict(one, { 'x-signature': signature.toString('base64') })).toBe(true);
    expect(verdict(one, { 'x-signature': signature.toString('base64') }, Buffer.from('other'))).not.toBe(true);
    expect(verdict(one, { 'x-signature': Buffer.alloc(64).toString('base64') })).not.toBe(true);
    expect(verdict(one, { 'x-signature': 'short' })).not.toBe(true);
  });
});

group('a shared secret, and basic authentication', () => {
  const secret = { kind: 'secret', header: 'X-Secret', value: 'a long secret' };
  const basic = { kind: 'basic', user: 'harbour', password: 'a long password' };
  const login = (text: string) => ({ authorization: `Basic ${Buffer.from(text).toString('base64')}` });
  test.each([
    [secret, { 'x-secret': 'a long secret' }, true],
    [secret, { 'x-secret': 'a long secret ' }, false],
    [secret, { 'x-secret': '' }, false],
    [secret, {}, false],
    [basic, login('harbour:a long password'), true],
    [basic, { authorization: login('harbour:a long password').authorization.replace('Basic', 'basic') }, true],
    [basic, login('harbour:another'), false],
    [basic, login('harbour'), false],
    [basic, { authorization: 'Bearer x' }, false],
    [basic, {}, false],
  ])('%j with %j', (signature, headers, wanted) => {
    expect(verdict(signature, headers as Record<string, string>) === true).toBe(wanted);
  });
  test('a secret that is too short to be one is no setting', () => {
    expect(CallbackSignature.safeParse({ ...secret, value: 'short' }).success).toBe(false);
  });
});
