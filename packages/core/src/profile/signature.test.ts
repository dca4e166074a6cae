import { constants, createHash, createHmac, generateKeyPairSync, sign, type KeyObject } from 'node:crypto';
import { describe as group, expect, test } from '@jest/globals';
import { ProfileFaults } from './faults.js';
import { CallbackSignature } from './schema-callbacks.js';
import { readSignature } from './signature.js';

const NOW = Date.parse('2026-11-20T08:00:00Z');
const BODY = Buffer.from('{"event":"arrived","to":"ása@post.example"}');
const hmac = (text: string | Buffer, secret = 'a secret', encoding: 'hex' | 'base64' = 'hex') =>
  createHmac('sha256', secret).update(text).digest(encoding);
const seconds = (offset = 0) => String(NOW / 1000 + offset);

/** Whether a call passes, or why not. */
function verdict(signature: object, headers: Record<string, string | string[]>, body: Buffer = BODY): true | string {
  const faults = new ProfileFaults();
  const read = readSignature(CallbackSignature.parse(signature), faults);
  expect(faults.list).toEqual([]);
  const lower = Object.fromEntries(Object.entries(headers).map(([name, value]) => [name.toLowerCase(), value]));
  const call = { method: 'POST', url: 'https://mail.example/v1/callbacks/x?token=a%20long%20secret', headers: lower, body };
  let outside: unknown;
  try {
    outside = JSON.parse(body.toString());
  } catch {
    outside = undefined;
  }
  const found = read.verify({ call, outside, now: NOW });
  return found.ok ? true : found.why;
}

group('HMAC-SHA256', () => {
  const plain = { kind: 'hmac', secret: 'a secret', signature: 'header:X-Signature' };
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
    ['no field', {}, 'no signature at header:X-Signature'],
    ['an empty one', { 'x-signature': '' }, 'no signature at'],
    ['half of it', { 'x-signature': hmac(BODY).slice(0, 32) }, 'not right'],
    ['what is no hex', { 'x-signature': 'zz'.repeat(32) }, 'not right'],
    ['more than it', { 'x-signature': `${hmac(BODY)}00` }, 'not right'],
  ])('%s is refused', (_name, headers, why) => {
    expect(verdict(plain, headers as Record<string, string>)).toEqual(expect.stringContaining(why));
  });

  const timed = { ...plain, timestamp: 'header:X-Time', signed: '{{ timestamp }}.{{ body }}' };
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
    const one = { kind: 'ed25519', publicKey: key, signature: 'header:X-Signature', encoding: 'base64' };
    expect(verdict(one, { 'x-signature': signature.toString('base64') })).toBe(true);
    expect(verdict(one, { 'x-signature': signature.toString('base64') }, Buffer.from('other'))).not.toBe(true);
    expect(verdict(one, { 'x-signature': Buffer.alloc(64).toString('base64') })).not.toBe(true);
    expect(verdict(one, { 'x-signature': 'short' })).not.toBe(true);
  });
});

group('RSA and ECDSA', () => {
  const rsa = generateKeyPairSync('rsa', { modulusLength: 2048 });
  const ec = generateKeyPairSync('ec', { namedCurve: 'P-256' });
  const pem = (key: KeyObject): string => key.export({ format: 'pem', type: 'spki' }) as string;
  test.each<[string, object, Buffer]>([
    ['RSA PKCS #1', { kind: 'rsa', publicKey: pem(rsa.publicKey) }, sign('sha256', BODY, rsa.privateKey)],
    [
      'RSA-PSS',
      { kind: 'rsa', padding: 'pss', publicKey: pem(rsa.publicKey) },
      sign('sha256', BODY, { key: rsa.privateKey, padding: constants.RSA_PKCS1_PSS_PADDING, saltLength: 32 }),
    ],
    ['RSA with SHA-1', { kind: 'rsa', hash: 'sha1', publicKey: pem(rsa.publicKey) }, sign('sha1', BODY, rsa.privateKey)],
    ['ECDSA in DER', { kind: 'ecdsa', publicKey: pem(ec.publicKey) }, sign('sha256', BODY, ec.privateKey)],
    [
      'ECDSA plain',
      { kind: 'ecdsa', form: 'plain', publicKey: pem(ec.publicKey) },
      sign('sha256', BODY, { key: ec.privateKey, dsaEncoding: 'ieee-p1363' }),
    ],
  ])('%s', (_name, kind, signature) => {
    const all = { ...kind, signature: 'header:X-Signature' };
    expect(verdict(all, { 'x-signature': signature.toString('base64') })).toBe(true);
    expect(verdict(all, { 'x-signature': signature.toString('base64') }, Buffer.from('other'))).not.toBe(true);
    for (const wrong of ['', 'AAAA', Buffer.alloc(256).toString('base64')]) expect(verdict(all, { 'x-signature': wrong })).not.toBe(true);
  });
  test('several keys by their id, while one is changed for another', () => {
    const other = generateKeyPairSync('rsa', { modulusLength: 2048 });
    const all = {
      kind: 'rsa',
      publicKeys: { old: pem(other.publicKey), new: pem(rsa.publicKey) },
      keyId: 'header:X-Key',
      signature: 'header:X-Signature',
    };
    const given = sign('sha256', BODY, rsa.privateKey).toString('base64');
    expect(verdict(all, { 'x-signature': given, 'x-key': 'new' })).toBe(true);
    expect(verdict(all, { 'x-signature': given, 'x-key': 'old' })).not.toBe(true);
    expect(verdict(all, { 'x-signature': given, 'x-key': 'none' })).not.toBe(true);
  });
});

group('what is signed can be put together in any way', () => {
  const base = { kind: 'hmac', secret: 'a secret', signature: 'header:X-Signature' };
  test('values of the body, the address, the method, the fields of a form in order', () => {
    const url = 'https://mail.example/v1/callbacks/x?token=a%20long%20secret';
    expect(
      verdict(
        { ...base, values: { event: '$.event', token: 'query:token' }, signed: '{{ method }} {{ url }}\n{{ event }}{{ token }}' },
        { 'x-signature': hmac(`POST ${url}\narriveda long secret`) },
      ),
    ).toBe(true);
    expect(verdict({ ...base, signed: '{{ sortedFields }}' }, { 'x-signature': hmac('eventarrivedtoása@post.example') })).toBe(true);
  });
  test('steps: a hash of the body in a canonical text', () => {
    const hash = createHash('sha256').update(BODY).digest('base64');
    const steps = [{ name: 'digest', hash: 'sha256', of: '{{ body }}', as: 'base64' }];
    expect(verdict({ ...base, steps, signed: 'v1:{{ digest }}' }, { 'x-signature': hmac(`v1:${hash}`) })).toBe(true);
  });
  test('a signature in the body, or in the query', () => {
    const body = Buffer.from(JSON.stringify({ token: 't1', sig: { value: hmac('t1') } }));
    const inBody = { ...base, signature: '$.sig.value', values: { token: '$.token' }, signed: '{{ token }}' };
    expect(verdict(inBody, {}, body)).toBe(true);
    expect(verdict(inBody, {}, Buffer.from(body.toString().replace('"t1"', '"t2"')))).not.toBe(true);
    expect(verdict({ kind: 'secret', at: 'query:token', value: 'a long secret' }, {})).toBe(true);
    expect(verdict({ kind: 'secret', at: 'query:token', value: 'another secret' }, {})).not.toBe(true);
  });
  test('names that nothing stands behind are faults, with what was likely meant', () => {
    const faults = new ProfileFaults();
    readSignature(
      CallbackSignature.parse({ ...base, signed: '{{ boddy }}', steps: [{ name: 'a', hash: 'md5', of: '{{ later }}' }] }),
      faults,
    );
    expect(faults.list.map(({ path, message, hint }) => `${path} ${message} ${hint ?? ''}`.trim())).toEqual([
      expect.stringMatching(/^callbacks\.signature\.steps\.0\.of uses "later", which there is not\./),
      'callbacks.signature.signed uses "boddy", which there is not. Did you mean "body"?',
    ]);
  });
});

group('a shared secret, and basic authentication', () => {
  const secret = { kind: 'secret', at: 'header:X-Secret', value: 'a long secret' };
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
