import { createHash, createHmac, generateKeyPairSync, verify } from 'node:crypto';
import { describe as group, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { parse } from 'yaml';
import * as z from 'zod';
import { MESSAGE_NAMES, PROFILE_SHAPE, readProfile, UnreadableContent, type MessageView, type ReadProfile } from './index.js';
import { scaled } from '../../../../tests/support/scale.js';

const Profile = z.strictObject(PROFILE_SHAPE);

/** A profile as it is in the configuration; all that is wrong with it, as "path message hint". */
function profile(yaml: string): { readonly read: ReadProfile; readonly faults: readonly string[] } {
  const read = readProfile(Profile.parse(parse(yaml)));
  return { read, faults: read.faults.map(({ path, message, hint = '' }) => `${path} ${message} ${hint}`.trim()) };
}

const NOW = Date.parse('2026-11-28T13:30:05Z');
const file = (name: string, text: string) => ({
  name,
  type: 'text/plain',
  size: text.length,
  base64: Buffer.from(text).toString('base64'),
  hex: Buffer.from(text).toString('hex'),
});
const MESSAGE: MessageView = {
  id: 'm1@ferries.example',
  deliveryId: 'd1',
  from: { name: 'Saltmarsh Ferries', address: 'office@ferries.example' },
  recipient: { name: 'Ása <"&\'', address: 'ása+1@post.example' },
  to: [{ name: 'Ása', address: 'ása+1@post.example' }, { address: 'liv@post.example' }],
  cc: [],
  replyTo: [],
  returnPath: 'r@ferries.example',
  subject: 'Größe: 5 € – <now> & "then"',
  text: 'Täxt\n',
  html: '<p>Täxt & ]]></p>',
  headers: [{ name: 'X-Deck', value: 'upper' }],
  attachments: [file('ä.txt', 'ä€'), file('b.txt', 'b')],
  pictures: [],
  references: [],
  labels: [
    { name: 'till', value: '4' },
    { name: 'empty', value: '' },
  ],
  template: 'booking-confirmed',
  topic: undefined,
  reference: '../../other?x=1#y',
  size: 100,
  raw: 'Subject: Größe\r\n\r\n€',
  rawBase64: Buffer.from('Subject: Größe\r\n\r\n€').toString('base64'),
};

function made(yaml: string, more: { readonly token?: string; readonly nonce?: string } = {}) {
  const { read, faults } = profile(yaml);
  expect(faults).toEqual([]);
  const request = read.request.make({ message: MESSAGE, size: 100, deliveryId: 'd1', now: NOW, ...more });
  return { ...request, header: Object.fromEntries(request.headers), text: request.body.toString('utf8') };
}

group('bodies', () => {
  test('fields: names and values, repeated and bracketed names', () => {
    const fields = `
request:
  url: https://api.example/send
  fields:
    to: [{ $each: one in message.to, $value: '{{ one.address }}' }]
    subject: '{{ message.subject }}'
    options: { track: no, deep: { x: 1 } }
    tag: '{{ message.topic }}'
`;
    const request = made(fields);
    expect(request.header['content-type']).toBe('application/x-www-form-urlencoded');
    expect([...new URLSearchParams(request.text)]).toEqual([
      ['to', 'ása+1@post.example'],
      ['to', 'liv@post.example'],
      ['subject', MESSAGE['subject']],
      ['options[track]', 'no'],
      ['options[deep][x]', '1'],
    ]);
    const names = (lists: string): string[] => [
      ...new URLSearchParams(made(fields.replace('request:', `request:\n  lists: ${lists}`)).text).keys(),
    ];
    expect(names('brackets').slice(0, 2)).toEqual(['to[]', 'to[]']);
    expect(names('numbered').slice(0, 2)).toEqual(['to[0]', 'to[1]']);
    const asList = made(`
request:
  url: https://api.example/send
  fields: [{ name: a, value: 1 }, { $each: one in message.labels, $value: { name: 'l[{{ one.name }}]', value: '{{ one.value }}' } }]
`);
    expect(asList.text).toBe('a=1&l%5Btill%5D=4&l%5Bempty%5D=');
  });

  test('a multipart form holds files by content or encoding, whole emails as UTF-8', async () => {
    const request = made(`
request:
  url: https://api.example/send
  form:
    - { name: mime, file: { name: mail.eml, type: message/rfc822, content: '{{ message.raw }}' } }
    - $each: one in message.attachments
      $value: { name: 'file[]', file: { name: '{{ one.name }}', type: '{{ one.type }}', base64: '{{ one.base64 }}' } }
    - { name: subject, value: '{{ message.subject }}' }
`);
    const form = await new Response(new Uint8Array(request.body), {
      headers: { 'content-type': request.header['content-type'] ?? '' },
    }).formData();
    expect(await (form.get('mime') as File).text()).toBe(MESSAGE['raw']);
    expect(await Promise.all(form.getAll('file[]').map((entry) => (entry as File).text()))).toEqual(['ä€', 'b']);
    expect(form.get('subject')).toBe(MESSAGE['subject']);
    expect(made('request: { url: "https://api.example/x", raw: "{{ message.raw }}" }').text).toBe(MESSAGE['raw']);
  });

  test('XML: values are escaped by where they stand, lists repeat, what XML cannot hold is replaced', () => {
    const request = made(`
request:
  url: https://api.example/send
  xml:
    letter:
      '@version': 2
      to: { '@name': '{{ message.recipient.name }}', $text: '{{ message.recipient.address }}' }
      title: '{{ message.subject }}'
      html: '{{ message.html }}'
      enclosed: [{ $each: one in message.attachments, $value: { '@name': '{{ one.name }}', $text: '{{ one.base64 }}' } }]
      topic: '{{ message.topic }}'
`);
    expect(request.header['content-type']).toBe('application/xml; charset=utf-8');
    expect(request.text).toBe(
      '<?xml version="1.0" encoding="UTF-8"?>\n<letter version="2"><to name="Ása &lt;&quot;&amp;&apos;">ása+1@post.example</to>' +
        '<title>Größe: 5 € – &lt;now&gt; &amp; &quot;then&quot;</title><html>&lt;p&gt;Täxt &amp; ]]&gt;&lt;/p&gt;</html>' +
        `<enclosed name="ä.txt">${Buffer.from('ä€').toString('base64')}</enclosed><enclosed name="b.txt">Yg==</enclosed></letter>`,
    );
  });

  test('XML of any texts comes back as it was (but for what XML cannot hold)', () => {
    const { read } = profile(`
request: { url: 'https://x.example', xml: { a: { '@b': '{{ message.subject }}', $text: '{{ message.text }}' } } }
answer: { format: xml, reason: "$.a['@b']", values: { text: "$.a['$text']" } }
`);
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), fc.string({ unit: 'grapheme', minLength: 1 }), (subject, text) => {
        const { body } = read.request.make({ message: { subject, text }, size: 1, deliveryId: 'd', now: NOW });
        const { values } = read.answer.read({ status: 400, headers: {}, content: body.toString('utf8') }, { address: '', now: NOW });
        expect(values['isRead']).toBe(true);
        // Attributes are normalised by XML readers (XML 1.0 3.3.3), and blanks around texts are not kept.
        const plain = (value: unknown): string => (typeof value === 'string' ? value : '').replace(/[\s\uFFFD\uFEFF]|[^\P{C}]/gu, '');
        expect(plain(values['text'])).toBe(plain(text));
      }),
    );
  });

  test.each([
    ['as-it-is', { to: 'ása+1@post.example', cc: [], label: '' }],
    ['left-out', { to: 'ása+1@post.example' }],
    ['sent', { to: 'ása+1@post.example', cc: [], label: '', topic: null }],
  ])('what is empty or absent: %s', (empty, wanted) => {
    const request = made(`
request:
  url: https://api.example
  empty: ${empty}
  json: { to: '{{ message.recipient.address }}', cc: '{{ message.cc }}', label: '{{ message.labels[1].value }}', topic: '{{ message.topic }}' }
`);
    expect(JSON.parse(request.text)).toEqual(wanted);
  });
});

group('no value of an email leaves its place', () => {
  test('in an address it is percent-encoded', () => {
    const request = made(`
request: { url: 'https://api.example/v1/{{ message.reference }}/{{ message.recipient.address }}', query: { s: '{{ message.subject }}', l: [1, 2] }, json: {} }
`);
    expect(request.url).toBe(
      'https://api.example/v1/..%2F..%2Fother%3Fx%3D1%23y/%C3%A1sa%2B1%40post.example' +
        '?s=Gr%C3%B6%C3%9Fe%3A+5+%E2%82%AC+%E2%80%93+%3Cnow%3E+%26+%22then%22&l=1&l=2',
    );
  });
  test('in a header field it cannot begin another', () => {
    const { read } = profile('request: { url: "https://x.example", headers: { X-Subject: "{{ message.subject }}" }, json: {} }');
    const { headers } = read.request.make({ message: { subject: 'a\r\nX-Evil: 1\0' }, size: 1, deliveryId: 'd', now: NOW });
    expect(headers).toEqual([
      ['x-subject', 'a X-Evil: 1'],
      ['content-type', 'application/json'],
    ]);
  });
});

group('authorisation', () => {
  const request = 'secrets: { user: u, key: s3cret }\nrequest: { url: "https://api.example/a b?z=1&a=2", json: { x: 1 } }\n';
  test.each([
    [
      '{ kind: basic, user: "{{ secrets.user }}", password: "{{ secrets.key }}" }',
      'authorization',
      `Basic ${Buffer.from('u:s3cret').toString('base64')}`,
    ],
    ['{ kind: bearer, token: "{{ secrets.key }}" }', 'authorization', 'Bearer s3cret'],
    ['{ kind: header, name: X-Key, value: "{{ secrets.key }}" }', 'x-key', 's3cret'],
  ])('%s', (authorisation, name, value) => {
    expect(made(`${request}authorisation: ${authorisation}`).header[name]).toBe(value);
  });
  test('in the query, and an access token', () => {
    expect(made(`${request}authorisation: { kind: query, name: k, value: "{{ secrets.key }}" }`).url).toContain('&k=s3cret');
    const token =
      'authorisation: { kind: client-credentials, tokenUrl: "https://login.example/t", clientId: "{{ secrets.user }}", clientSecret: "{{ secrets.key }}" }';
    expect(made(request + token, { token: 't1' }).header['authorization']).toBe('Bearer t1');
    expect(profile(request + token).read.request.token).toMatchObject({ clientId: 'u', clientSecret: 's3cret', sendsAs: 'basic' });
  });

  test('a signed request: canonical text with newlines, sorted query, body hash, chained keys', () => {
    const signed = made(
      `${request}
authorisation:
  kind: signed
  signs: [Host, X-Date]
  before: [{ header: X-Date, value: '{{ time.basic }}' }]
  steps:
    - { name: digest, hash: sha256, of: '{{ request.body }}' }
    - { name: canonical, text: "{{ request.method }}\\n{{ request.path }}\\n{{ request.query }}\\n{{ request.canonicalHeaders }}\\n{{ request.signedHeaders }}\\n{{ digest }}" }
    - { name: canonicalHash, hash: sha256, of: '{{ canonical }}' }
    - { name: dayKey, hmac: sha256, key: 'V1{{ secrets.key }}', of: '{{ time.day }}', as: bytes }
    - { name: key, hmac: sha256, key: '{{ dayKey }}', of: 'mail', as: bytes }
    - { name: signature, hmac: sha256, key: '{{ key }}', of: "V1\\n{{ time.basic }}\\n{{ canonicalHash }}", as: base64url }
  after: [{ header: Authorization, value: 'V1 id={{ secrets.user }}, nonce={{ nonce }}, sig={{ signature }}' }]
`,
      { nonce: 'n1' },
    );
    const digest = createHash('sha256').update('{"x":1}').digest('hex');
    const canonical = `POST\n/a%20b\na=2&z=1\nhost:api.example\nx-date:20261128T133005Z\n\nhost;x-date\n${digest}`;
    const key = createHmac('sha256', createHmac('sha256', 'V1s3cret').update('20261128').digest()).update('mail').digest();
    const text = `V1\n20261128T133005Z\n${createHash('sha256').update(canonical).digest('hex')}`;
    expect(signed.header['authorization']).toBe(`V1 id=u, nonce=n1, sig=${createHmac('sha256', key).update(text).digest('base64url')}`);
    expect(signed.header['x-date']).toBe('20261128T133005Z');
  });

  test('a signature by a private key', () => {
    const { privateKey, publicKey } = generateKeyPairSync('ed25519');
    const pem = JSON.stringify(privateKey.export({ format: 'pem', type: 'pkcs8' }));
    const signed = made(`
secrets: { key: ${pem} }
request: { url: 'https://api.example/', json: {} }
authorisation:
  kind: signed
  steps: [{ name: s, sign: ed25519, key: '{{ secrets.key }}', of: '{{ request.url }}', as: base64 }]
  after: [{ query: sig, value: '{{ s }}' }]
`);
    const given = new URL(signed.url).searchParams.get('sig') ?? '';
    expect(verify(null, Buffer.from('https://api.example/'), publicKey, Buffer.from(given, 'base64'))).toBe(true);
  });
});

group('answers', () => {
  const answered = (yaml: string, status: number, body: unknown, headers: Record<string, string> = {}) => {
    const { read, faults } = profile(`request: { url: 'https://api.example', json: {} }\nanswer:\n${yaml.replace(/^/gm, '  ')}`);
    expect(faults).toEqual([]);
    const content = typeof body === 'string' ? body : JSON.stringify(body);
    const { outcome, because } = read.answer.read({ status, headers, content }, { address: 'Asa@post.example', now: NOW });
    return { ...outcome, because };
  };
  const condition = 'values: { ok: $.ok }\naccepted: ok == true\nid: $.id\nreason: $.error';
  test.each<[string, number, unknown, object]>([
    ['200 with a yes', 200, { ok: true, id: 7 }, { kind: 'accepted', providerId: '7' }],
    ['200 with a no inside', 200, { ok: false, error: 'template is missing' }, { kind: 'rejected', because: 'answer.accepted' }],
    ['200 with a no about the mailbox', 200, { ok: false, error: 'mailbox does not exist' }, { kind: 'refused' }],
    ['200 that cannot be read', 200, '<html>', { kind: 'uncertain' }],
    ['500', 500, { ok: true }, { kind: 'uncertain' }],
  ])('success is a condition: %s', (_name, status, body, wanted) => {
    expect(answered(condition, status, body)).toMatchObject(wanted);
  });
  test('words give outcome and cause; patterns; conditions go before statuses', () => {
    const words = `
reason: $.error
values: { code: $.code }
outcomes: [{ when: 'status == 400 and code == 17', means: deferred }]
words:
  - { has: On Our Suppression List, means: refused, cause: withheld-by-provider }
  - { matches: 'quota (is )?exceeded', means: trouble }
`;
    expect(answered(words, 400, { error: 'it is on our suppression list' })).toMatchObject({
      kind: 'refused',
      cause: 'withheld-by-provider',
    });
    expect(answered(words, 400, { error: 'Quota exceeded' })).toMatchObject({ kind: 'trouble', scope: 'provider' });
    expect(answered(words, 400, { code: 17, error: 'quota exceeded' })).toMatchObject({ kind: 'deferred', because: 'answer.outcomes.0' });
    expect(answered('notAccepted: [500]', 500, '')).toMatchObject({ kind: 'trouble' });
    expect(answered("statuses: { '4xx': deferred }", 422, '')).toMatchObject({ kind: 'deferred' });
  });
  test('the entry of the recipient, where an answer lists several', () => {
    const entries =
      'entry: { at: $.results, address: $.to }\nid: $.id\nvalues: { state: $.state }\naccepted: state == "queued"\nreason: $.why';
    const results = [
      { to: 'liv@post.example', state: 'queued', id: 1 },
      { to: 'asa@post.example', state: 'rejected', why: 'user unknown' },
    ];
    expect(answered(entries, 200, { results })).toMatchObject({ kind: 'refused', reply: { lines: ['user unknown'] } });
    expect(answered(entries, 200, { results: [{ to: 'asa@post.example', state: 'queued', id: 'q2' }] })).toMatchObject({
      kind: 'accepted',
      providerId: 'q2',
    });
  });
  test('XML, text and header fields', () => {
    const xml = 'id: "$.done.id[\'@n\']"\nreason: $.error.text';
    expect(answered(xml, 200, '<?xml version="1.0"?><done><id n="x&amp;1"/></done>', { 'content-type': 'text/xml' })).toMatchObject({
      providerId: 'x&1',
    });
    expect(answered(xml, 400, '<error><text>no such user</text></error>', { 'content-type': 'application/xml' })).toMatchObject({
      kind: 'refused',
    });
    expect(answered('format: text\nid: "pattern:queued as (\\\\w+)"', 200, '250 queued as A7B.')).toMatchObject({ providerId: 'A7B' });
    expect(answered('id: header:X-Id', 202, '', { 'x-id': 'h1' })).toMatchObject({ kind: 'accepted', providerId: 'h1' });
  });
  test('how long to wait: a field, seconds, a date, never more than a day', () => {
    expect(answered('{}', 429, '', { 'retry-after': '20' })).toMatchObject({ kind: 'trouble', retryAfterMs: 20_000 });
    expect(answered('{}', 429, '', { 'retry-after': 'Sat, 28 Nov 2026 13:31:05 GMT' })).toMatchObject({ retryAfterMs: 60_000 });
    expect(answered('retryAfter: $.wait', 429, { wait: 2.5 })).toMatchObject({ retryAfterMs: 2500 });
    expect(answered('{}', 429, '', { 'retry-after': '999999999' })).toMatchObject({ retryAfterMs: 86_400_000 });
    expect(answered('{}', 429, '', { 'retry-after': 'soon' })).toMatchObject({ retryAfterMs: undefined });
  });
});

const CALLS =
  "request: { url: 'https://api.example', json: {} }\ncallbacks:\n  signature: { kind: secret, at: query:t, value: a long secret }\n";

group('calls', () => {
  const events = (yaml: string, body: string, more: { readonly url?: string; readonly headers?: Record<string, string> } = {}) => {
    const { read, faults } = profile(CALLS + yaml.replace(/^/gm, '  '));
    expect(faults).toEqual([]);
    const { content, events: reading } = read.callbacks!;
    const call = { method: 'POST', url: 'https://us.example/v1/callbacks/x', headers: {}, body: Buffer.from(body), ...more };
    return reading.raw(call, content.read(call.body).inside).map(reading.read);
  };
  test('nested lists with values of the parent, of the call and of a header field', () => {
    const found = events(
      "events: $.batches[*]\nwithin: $.items\nfields: { type: ['header:X-Kind', $.what], address: outer:$.rcpt, id: $.n, reason: call:$.account }\nwords: { 'mail gone': failed }",
      JSON.stringify({
        account: 'a1',
        batches: [
          {
            rcpt: 'asa@post.example',
            items: [
              { n: 1, what: 'GONE' },
              { n: 2, what: 'gone' },
            ],
          },
          { rcpt: 'x', items: [] },
        ],
      }),
      { headers: { 'x-kind': 'mail' } },
    );
    expect(found).toMatchObject([
      { id: '1', type: 'mail GONE', meaning: 'failed', address: 'asa@post.example', reason: 'a1' },
      { id: '2', meaning: 'failed' },
    ]);
  });
  const one =
    "fields: { type: $.what, id: $.n }\nwords: { arrived: delivered, '/^bounce/': { means: failed, cause: mailbox-full }, '*': ignored }";
  const json = '{"n":1,"what":"arrived"}';
  test.each([
    ['an object', '', json, ['delivered']],
    ['a list', '', `[${json},{"n":2,"what":"Bounce.soft"}]`, ['delivered', 'failed']],
    ['JSON lines', 'read: [lines]\n', `${json}\r\n\n{"what":"?"}\n`, ['delivered', 'ignored']],
    ['a form', 'read: [form]\n', 'what=arrived&n=1', ['delivered']],
    [
      'a field that is base64 of JSON',
      'read: [form, { at: $.data }, base64, json]\n',
      `x=1&data=${encodeURIComponent(Buffer.from(json).toString('base64'))}`,
      ['delivered'],
    ],
    [
      'an envelope around JSON text',
      'read: [json, { at: $.Message }, json]\n',
      JSON.stringify({ Type: 'N', Message: json }),
      ['delivered'],
    ],
    ['XML', 'read: [xml]\nevents: $.e\n', '<e><what>arrived</what><n>1</n></e>', ['delivered']],
  ])('%s', (_name, read, body, meanings) => {
    const found = events(read + one, body);
    expect(found.map(({ meaning }) => meaning)).toEqual(meanings);
    if (meanings.includes('failed')) expect(found[1]).toMatchObject({ cause: 'mailbox-full' });
  });
  test.each([
    ['1764336605', NOW - 365 * 86_400_000],
    ['1764336605000', NOW - 365 * 86_400_000],
    ['2025-11-28T13:30:05Z', NOW - 365 * 86_400_000],
    ['Fri, 28 Nov 2025 13:30:05 +0000', NOW - 365 * 86_400_000],
    ['yesterday', undefined],
  ])('the time %s', (at, wanted) => {
    expect(events(`fields: { type: $.a, at: $.at }\nwords: {}`, JSON.stringify({ a: 1, at }))).toMatchObject([
      { at: wanted, meaning: undefined },
    ]);
  });
  test('handshakes: an echo, a proof by HMAC, an address to be fetched from hosts that are allowed', () => {
    const { read, faults } = profile(
      `${CALLS}  fields: { type: $.t }
  words: {}
  handshakes:
    - { kind: echo, method: GET, token: query:challenge }
    - { kind: echo, when: { at: $.type, is: hello }, token: $.token, json: { answer: '{{ token }}' }, signed: false }
    - { kind: proof, method: GET, token: query:crc, secret: s3cret, encoding: base64, prefix: 'sha256=', json: { response: '{{ proof }}' } }
    - { kind: confirm, when: { at: header:X-Kind, is: confirm }, address: $.url, hosts: ['*.calls.example'] }
`,
    );
    expect(faults).toEqual([]);
    const meet = (method: string, query: string, body: unknown, headers = {}) =>
      read.callbacks!.handshake({ method, url: `https://us.example/x?${query}`, headers, body: Buffer.alloc(0) }, body);
    expect(meet('GET', 'challenge=c%201', undefined)).toEqual({ signed: false, answer: { kind: 'text', text: 'c 1' } });
    expect(meet('POST', '', { type: 'hello', token: 7 })).toEqual({ signed: false, answer: { kind: 'json', value: { answer: '7' } } });
    expect(meet('POST', '', { type: 'news', token: 7 })).toBeUndefined();
    expect(meet('GET', 'crc=abc', undefined)?.answer).toEqual({
      kind: 'json',
      value: { response: `sha256=${createHmac('sha256', 's3cret').update('abc').digest('base64')}` },
    });
    const confirm = (url: string) => meet('POST', '', { url }, { 'x-kind': 'confirm' });
    expect(confirm('https://eu.calls.example/c?x=1')).toMatchObject({ signed: true, answer: { kind: 'fetch' } });
    for (const url of [
      'https://calls.example.evil.example/',
      'http://eu.calls.example/',
      'https://evil.example/?.calls.example',
      'file:///etc/passwd',
    ])
      expect(confirm(url)?.answer.kind).toBe('refused');
  });
});

test('all that is wrong is found at the start, with what was likely meant', () => {
  const { faults } = profile(`
secrets: { token: x }
request:
  url: api.example/send
  headers: { Authorization: '{{ secrets.tokn }}' }
  json:
    to: '{{ message.recipient.adress }}'
    files: [{ $each: one in message.attachments, $value: { n: '{{ one.nme }}', u: '{{ one.name | uper }}' } }]
answer: { id: $.a-b, accepted: 'statu == 200', words: [{ matches: '(', means: refused }], values: { x: 'heder:X' } }
callbacks:
  signature: { kind: hmac, signature: $.a, signed: '{{ timestamp }}{{ bdy }}' }
  events: $..[
  fields: { type: outer:$.x }
  words: { '/(/': failed }
`);
  expect(faults).toEqual([
    expect.stringContaining('"secrets" has no "tokn". Did you mean "token"?'),
    expect.stringContaining('"message.recipient" has no "adress". Did you mean "address"?'),
    expect.stringContaining('"one" has no "nme". Did you mean "name"?'),
    expect.stringContaining('There is no formatter "uper". Did you mean "upper"?'),
    'request.url is not an address. Begin it with https://, as in "https://api.provider.example/api.example/send".',
    expect.stringContaining('answer.id is not a JSONPath: a name with "-" is written [\'a-b\'].'),
    expect.stringContaining('answer.values.x must be one of'),
    expect.stringContaining('answer.accepted is not a valid condition: There is no "statu" here. Did you mean "status"?'),
    expect.stringContaining('answer.words.0.matches is not a valid pattern'),
    expect.stringContaining('callbacks.signature.signed uses "bdy", which there is not. Did you mean "body"?'),
    expect.stringContaining('callbacks.signature.timestamp is missing'),
    expect.stringContaining('callbacks.signature.secret is missing.'),
    expect.stringContaining('callbacks.events is not a JSONPath'),
    expect.stringContaining('callbacks.words./(/ is not a valid pattern'),
  ]);
});

group('what loads never throws later', () => {
  const profiles = [
    'answer: { id: $..id, reason: "$..[?@.e].text", accepted: "status < 300 and x", values: { x: "$[0][?search(@, \'a\')]" }, words: [{ matches: "a+$", means: refused }], entry: { at: $.r, address: $.to } }',
    'answer: { format: xml, id: "$.a.b", retryAfter: "pattern:wait ([0-9]+)" }',
  ].flatMap((answer) =>
    ['[json]', '[lines]', '[xml]', '[form, { at: $.d }, base64, json]', '[json, { at: $.m }, json]'].map((read) =>
      profile(`
request: { url: 'https://x.example/{{ message.reference }}', json: { a: '{{ message.labels }}', b: [{ $each: one in message.to, $value: '{{ one.name | upper }}' }] } }
${answer}
callbacks:
  read: ${read}
  signature: { kind: rsa, publicKeyFrom: { address: $.cert, hosts: [x.example] }, signature: $.sig, timestamp: $.at, signed: '{{ timestamp }}{{ body }}{{ sortedFields }}' }
  handshakes: [{ kind: echo, token: $.token }, { kind: confirm, address: $.url, hosts: [x.example] }]
  events: $
  within: $..[?@.e]
  fields: { type: [$.t, outer:$.t], id: $..id, at: $.at, code: $.code, address: call:$.a }
  words: { '/a/': failed, '*': ignored }
`),
    ),
  );
  test('at any bytes of an answer or a call', () => {
    expect(profiles.flatMap(({ faults }) => faults)).toEqual([]);
    const bytes = fc.oneof(
      fc.uint8Array({ maxLength: 300 }).map((array) => Buffer.from(array)),
      fc.json({ maxDepth: 8 }).map((text) => Buffer.from(text)),
      fc.stringMatching(/^(?:<[ab/!?]{0,3}[ab]?>|[ab&;#\]=%]){0,30}$/).map((text) => Buffer.from(text)),
      fc.base64String().map((text) => Buffer.from(`d=${text}`)),
    );
    fc.assert(
      fc.property(fc.constantFrom(...profiles), bytes, fc.integer({ min: 100, max: 599 }), ({ read }, body, status) => {
        const { answer, callbacks } = read;
        answer.read(
          { status, headers: { 'content-type': 'application/json' }, content: body.toString('utf8') },
          { address: 'a@b', now: NOW },
        );
        const call = { method: 'POST', url: 'https://us.example/?a=1', headers: {}, body };
        const { content, signature, handshake, events } = callbacks!;
        const outside = content.outside(body);
        signature.keysFrom({ call, outside });
        expect(signature.verify({ call, outside, now: NOW, keys: body.toString('utf8') }).ok).toBe(false);
        handshake(call, outside);
        try {
          events.raw(call, content.read(body).inside).map(events.read);
        } catch (error) {
          expect(error).toBeInstanceOf(UnreadableContent);
        }
      }),
      { numRuns: scaled(300, 1000) },
    );
  });
  test('at any message', () => {
    const value = fc.oneof(
      fc.string({ unit: 'binary' }),
      fc.constant(undefined),
      fc.integer(),
      fc.array(fc.dictionary(fc.string(), fc.string({ unit: 'binary' }))),
    );
    const names = Object.keys(MESSAGE_NAMES);
    fc.assert(
      fc.property(
        fc.constantFrom(...profiles),
        fc.array(value, { minLength: names.length, maxLength: names.length }),
        ({ read }, values) => {
          const message = Object.fromEntries(names.map((name, i) => [name, values[i]]));
          const { url } = read.request.make({ message, size: 100_000, deliveryId: 'd', now: NOW });
          expect(new URL(url).host).toBe('x.example');
        },
      ),
    );
  });
});
