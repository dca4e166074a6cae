import { mkdirSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe as group, expect, test } from '@jest/globals';
import { StartError } from '../kernel/index.js';
import { readConfig } from './read.js';

const folder = mkdtempSync(join(tmpdir(), 'verbalis-config-'));
let n = 0;
function written(yaml: string): string {
  n += 1;
  const file = join(folder, `${n}.yaml`);
  writeFileSync(file, yaml);
  return file;
}
const GOOD = `
listen: { port: 8620 }
providers:
  north-relay: { kind: smtp, host: relay.example, port: 587, user: harbour, password: secret }
spaces:
  harbour: { mode: deliver, mailFolder: mail, route: [north-relay] }
`;

/** What is wrong, as "path: message hint". */
function faults(yaml: string, env: Record<string, string> = {}): string[] {
  try {
    readConfig(written(yaml), env);
    return [];
  } catch (error) {
    if (!(error instanceof StartError)) throw error;
    return (error.more.faults ?? []).map(({ path, message, hint = '' }) => `${path}: ${message} ${hint}`.trim());
  }
}

test('what is not said has a usual value, and relative paths start at the file', () => {
  const { settings, folder: from } = readConfig(written(GOOD), {});
  expect(from).toBe(folder);
  expect(settings).toMatchObject({
    listen: { host: '127.0.0.1', port: 8620 },
    dispatch: { retryByCause: {} },
    keep: { mailDays: 30, messageDays: 400 },
    alerts: {},
  });
  expect(readConfig(written(''), {}).settings.spaces).toBeDefined();
});

group('variables', () => {
  test('go before the file, and it is known where each setting came from', () => {
    const { settings, origins } = readConfig(written(GOOD), {
      VERBALIS_LISTEN_PORT: '9999',
      VERBALIS_PROVIDERS_NORTH_RELAY_HOST: 'other.example',
      VERBALIS_PROVIDERS_NORTH_RELAY_PASSWORD: '12345',
      VERBALIS_DISPATCH_ATTEMPTS: '60',
      VERBALIS_KEY: 'of the command line',
      HOME: '/root',
    });
    expect(settings.listen.port).toBe(9999);
    expect(settings.dispatch.attempts).toBe(60);
    expect(settings.providers['north-relay']).toMatchObject({ host: 'other.example', port: 587, password: '12345' });
    expect(origins.get('listen.port')).toContain('VERBALIS_LISTEN_PORT');
    expect(origins.get('providers.north-relay.port')).toContain('.yaml');
  });
  test('those that a container platform sets for its services are none of ours', () => {
    const { settings, origins } = readConfig(written(GOOD), {
      VERBALIS_SERVICE_HOST: '10.96.0.7',
      VERBALIS_SERVICE_PORT: '8620',
      VERBALIS_SERVICE_PORT_HTTP: '8620',
      VERBALIS_PORT: 'tcp://10.96.0.7:8620',
      VERBALIS_PORT_8620_TCP: 'tcp://10.96.0.7:8620',
      VERBALIS_PORT_8620_TCP_PROTO: 'tcp',
      VERBALIS_PORT_8620_TCP_PORT: '8620',
      VERBALIS_PORT_8620_TCP_ADDR: '10.96.0.7',
      // Of a service that is called verbalis-returns.
      VERBALIS_RETURNS_SERVICE_HOST: '10.96.0.8',
      VERBALIS_RETURNS_PORT: 'tcp://10.96.0.8:25',
    });
    expect(settings.returns.port).toBe(8625);
    expect(origins.has('returns.port')).toBe(false);
  });
  test.each([
    [{ VERBALIS_LISTEN_PROT: '1' }, /VERBALIS_LISTEN_PROT/],
    [{ VERBALIS_LISTEN_PORT: 'many' }, /listen\.port/],
    [{ VERBALIS_NOTHING: '1' }, /VERBALIS_NOTHING/],
    [{ VERBALIS_SERVICE_PROT: '1' }, /VERBALIS_SERVICE_PROT/],
  ] as [Record<string, string>, RegExp][])('%j is told', (env, words) => {
    expect(faults(GOOD, env).join('\n')).toMatch(words);
  });
});

group('every fault at once, each with its path and a way out', () => {
  test.each([
    ['a setting that is none', GOOD.replace('listen:', 'listn:'), ['listn']],
    ['a port that is none', GOOD.replace('8620', '99999'), ['listen.port']],
    ['a kind that is none', GOOD.replace('kind: smtp', 'kind: smpt'), ['providers.north-relay']],
    ['a user without a password', GOOD.replace(', password: secret', ''), ['providers.north-relay.user']],
    ['both a password and a token', GOOD.replace('password: secret', 'password: secret, token: t'), ['providers.north-relay.user']],
    ['a route to nobody', GOOD.replace('route: [north-relay]', 'route: [north-relai]'), ['spaces.harbour.route']],
    ['a space that delivers by nobody', GOOD.replace(', route: [north-relay]', ''), ['spaces.harbour']],
    ['a name in capitals', GOOD.replace('harbour:', 'Harbour:'), ['spaces']],
    ['two faults', GOOD.replace('8620', 'x').replace('587', 'y'), ['listen.port', 'providers.north-relay.port']],
    ['a rule without a limit', `${GOOD}alerts: { a: { of: [failed] } }\n`, ['alerts.a']],
    ['a rule with two', `${GOOD}alerts: { a: { percent: 5, count: 3 } }\n`, ['alerts.a']],
    ['a rule whose filter is none', `${GOOD}alerts: { a: { count: 3, where: 'topik = x' } }\n`, ['alerts.a.where']],
    ['a rule for a space that is none', `${GOOD}alerts: { a: { count: 3, spaces: [harbor] } }\n`, ['alerts.a.spaces']],
    ['an unknown kind of event', `${GOOD}alerts: { a: { count: 3, of: [bounced] } }\n`, ['alerts.a.of']],
    ['what is no list of settings', '- a\n- b\n', ['(file)']],
  ])('%s', (_name, yaml, paths) => {
    const found = faults(yaml);
    expect(found.length).toBeGreaterThanOrEqual(paths.length);
    for (const path of paths) expect(found.some((text) => text.startsWith(path))).toBe(true);
    for (const text of found) expect(text).toMatch(/: \S.{5,}/);
  });

  test('a slip of the hand is answered with what was likely meant', () => {
    expect(faults(GOOD.replace('route: [north-relay]', 'route: [north-relai]')).join()).toContain('Did you mean "north-relay"?');
    expect(faults(GOOD.replace('listen:', 'listn:')).join()).toContain('Did you mean "listen"?');
    expect(faults(`${GOOD}alerts: { a: { count: 3, spaces: [harbor] } }\n`).join()).toContain('Did you mean "harbour"?');
  });

  test('a file that is not there, and one that is no YAML', () => {
    expect(() => readConfig(join(folder, 'none.yaml'), {})).toThrow(/does not exist/);
    expect(() => readConfig(written('a: [1, 2'), {})).toThrow(StartError);
  });
});

group('a provider described elsewhere', () => {
  const at = mkdtempSync(join(folder, 'profiles-'));
  const profile = (text: string, examples: Record<string, string> = {}): string => {
    const dir = mkdtempSync(join(at, 'p-'));
    writeFileSync(join(dir, 'profile.yaml'), text);
    mkdirSync(join(dir, 'examples'));
    for (const [name, example] of Object.entries(examples)) writeFileSync(join(dir, 'examples', name), example);
    return dir;
  };
  const PROFILE = `
request: { url: 'https://parcel.example/send', headers: { X-Key: '{{ secrets.key }}', X-Deck: lower }, json: { to: '{{ message.recipient.address }}' } }
answer: { id: $.id, reason: $.why, words: [{ has: no such house, means: refused, cause: mailbox-unknown }] }
callbacks:
  signature: { kind: hmac, secret: known to both, signature: header:X-Sig }
  fields: { type: $.what, address: $.to }
  words: { arrived: delivered }
`;
  const using = (dir: string, more = ''): string =>
    `providers:\n  parcel: { kind: http, profile: '${dir}', secrets: { key: k1 }${more} }\n`;

  test('the profile is filled in, and what stands in the configuration or in a variable goes before it', () => {
    const dir = profile(PROFILE);
    const { settings, origins } = readConfig(written(using(dir, ', request: { headers: { X-Deck: upper } }')), {
      VERBALIS_PROVIDERS_PARCEL_SECRETS_KEY: 'from outside',
    });
    expect(settings.providers['parcel']).toMatchObject({
      request: { url: 'https://parcel.example/send', headers: { 'X-Key': '{{ secrets.key }}', 'X-Deck': 'upper' } },
      secrets: { key: 'from outside' },
    });
    expect(origins.get('providers.parcel.request.url')).toBe(join(dir, 'profile.yaml'));
    expect(origins.get('providers.parcel.request.headers.X-Deck')).toMatch(/\d\.yaml$/);
  });

  test('secrets from files, without the end of their last line', () => {
    const file = join(at, 'key');
    writeFileSync(file, 's3cret\n');
    const { settings, origins } = readConfig(
      written(`providers:
  relay: { kind: smtp, host: relay.example, port: 587, user: harbour, passwordFile: '${file}' }
  parcel: { kind: http, secretFiles: { key: '${file}' }, request: { url: 'https://{{ secrets.key }}.example', json: {} } }
`),
      {},
    );
    expect(settings.providers).toMatchObject({ relay: { password: 's3cret' }, parcel: { secrets: { key: 's3cret' } } });
    expect(origins.get('providers.relay.password')).toBe(file);
    expect(faults(`providers: { relay: { kind: smtp, host: r.example, port: 25, user: u, password: p, passwordFile: nowhere } }`)).toEqual([
      'providers.relay.passwordFile: stands beside password. Keep one of them.',
      expect.stringMatching(/^providers\.relay\.passwordFile: cannot be read: .*nowhere \(ENOENT\)\.$/),
    ]);
  });

  test('what was recorded beside it must be read as it says', () => {
    const good = {
      'no.http': 'HTTP/1.1 422 No\nVerbalis-Expect: refused mailbox-unknown\n\n{"why":"No such house"}\n',
      'yes.http': 'HTTP/1.1 200 OK\r\nVerbalis-Expect: accepted 7\r\n\r\n{"id":7}\r\n',
      'call.http':
        'POST /v1/callbacks/parcel HTTP/1.1\nVerbalis-Expect: delivered a@b.example; unknown\n\n[{"what":"Arrived","to":"a@b.example"},{"what":"?"}]\n',
    };
    expect(faults(using(profile(PROFILE, good)))).toEqual([]);
    const wrong = faults(
      using(
        profile(PROFILE, {
          ...good,
          'a.http': 'HTTP/1.1 422 No\nVerbalis-Expect: deferred\n\n{"why":"No such house"}\n',
          'b.http': 'HTTP/1.1 200 OK\n\n{}\n',
          'c.http':
            'POST /x HTTP/1.1\nVerbalis-Expect: delivered\nVerbalis-At: 2026-11-28T10:00:00Z\nVerbalis-Secret: key=k2\nX-Sig: 00\n\n{"what":"arrived"}\n',
          'd.http': 'HTTP/1.1 200 OK\nVerbalis-Expct: accepted\n\n{}\n',
        }),
      ),
    );
    expect(wrong).toEqual([
      expect.stringMatching(/examples\/a\.http\): It is read as "refused mailbox-unknown" \(by answer\.words\.0\), not as "deferred"\.$/),
      expect.stringMatching(/b\.http\): It does not say what is expected/),
      expect.stringMatching(/c\.http\): Its signature does not fit: The signature is not right\.$/),
      expect.stringMatching(/d\.http\): There is no field "verbalis-expct"\. Did you mean "verbalis-expect"\?$/),
    ]);
  });

  test('a kind that is none, and a step that fits no form, are answered with what was likely meant', () => {
    const base = "providers:\n  x:\n    kind: http\n    request: { url: 'https://x.example', json: {} }\n";
    expect(faults(`${base}    authorisation: { kind: baerer, token: x }\n`)).toEqual([
      'providers.x.authorisation.kind: must be one of basic, bearer, header, query, client-credentials, signed. Did you mean "bearer"?',
    ]);
    expect(faults(`${base}    authorisation: { kind: basic, usr: x, user: a, password: b }\n`)).toEqual([
      'providers.x.authorisation.usr: is not a setting. Did you mean "user"?',
    ]);
    expect(
      faults(
        `${base}    authorisation: { kind: signed, steps: [{ name: a, hash: sha256, of: x, key: k }], after: [{ header: A, value: b }] }\n`,
      ),
    ).toEqual([expect.stringMatching(/^providers\.x\.authorisation\.steps\.0\.key: is not a setting\./)]);
    expect(faults(using(join(at, 'none')))[0]).toMatch(/names a folder without profile\.yaml/);
  });
});
