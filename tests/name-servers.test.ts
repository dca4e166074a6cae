import { createServer, type Server } from 'node:net';
import { createSocket, type Socket } from 'node:dgram';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, type Client, type DomainView } from '@verbalis/client';
import { startNameServer } from '@verbalis/simulators';
import { startNsd, startUnbound, zoneProblems, type RealNameServer } from './support/name-servers.js';
import { freePort } from './support/postfix.js';
import { DEMO_FOLDER, OPERATOR, startTestService, type TestService } from './support/service.js';

// Real name servers on loopback: NSD twice, which answers for every zone here, and Unbound as a resolver that checks signatures.

const SERVERS = ['ns1.servers.example', 'ns2.servers.example'];
const HELPERS = {
  example: '',
  'servers.example': 'ns1 IN A 127.0.0.1\nns2 IN A 127.0.0.2',
  'quayside.example': 'mail IN A 198.51.100.7\nalias IN CNAME mail',
  'relay.example': '_spf IN TXT "v=spf1 ip4:203.0.113.0/25 -all"',
};

/** Zone lines of a domain's records, by what they are for. */
interface Lines {
  readonly rsa: string;
  readonly ed: string;
  readonly spf: string;
  readonly mx: string;
  readonly dmarc: string;
  readonly tls: string;
}

let all: TestService;
let operator: Client;
const running: RealNameServer[] = [];
let port: number;
const views = new Map<string, DomainView>();

/** One fault each: what is put in place of the right lines, and what has to be found. `second`: the same at the other server. */
interface Fault {
  readonly name: string;
  readonly zone: (lines: Lines, domain: string) => string;
  readonly second?: (lines: Lines, domain: string) => string;
  /** Kinds of all findings, and words of the first sentence. */
  readonly kinds: readonly string[];
  readonly sentence?: RegExp;
}

const joined = (lines: Partial<Lines>, ...more: readonly string[]): string => [...Object.values(lines), ...more].join('\n');
const without = (lines: Lines, ...names: readonly (keyof Lines)[]): Partial<Lines> =>
  Object.fromEntries(Object.entries(lines).filter(([name]) => !names.includes(name as keyof Lines)));
/** The name and the text of a zone line. */
const nameOf = (line: string): string => line.split(' ')[0] ?? '';
const textOf = (line: string): string => [...line.matchAll(/"((?:[^"\\]|\\.)*)"/g)].map((match) => match[1] ?? '').join('');
const txt = (name: string, text: string): string =>
  `${name} 300 IN TXT ${(text.match(/.{1,250}/gs) ?? ['']).map((part) => `"${part}"`).join(' ')}`;
const OTHER_KEY = 'v=DKIM1; k=ed25519; p=11qYAYKxCrfVS/7TyWQHOg7hcvPapiMlrwIaaPcHURo=';

const FAULTS: readonly Fault[] = [
  { name: 'right', zone: (lines) => joined(lines), kinds: [] },
  {
    name: 'right-as-alias',
    zone: (lines) =>
      joined(without(lines, 'ed'), `${nameOf(lines.ed)} IN CNAME key.elsewhere`, `key.elsewhere IN TXT "${textOf(lines.ed)}"`),
    kinds: [],
  },
  {
    name: 'right-with-others',
    zone: (lines, domain) => joined(lines, txt(`returns.${domain}.`, 'other-verification=1'), txt(`${domain}.`, 'hello')),
    kinds: [],
  },
  { name: 'empty', zone: () => '', kinds: ['missing', 'missing', 'missing', 'missing', 'missing', 'missing'] },
  {
    name: 'no-rsa',
    zone: (lines) => joined(without(lines, 'rsa')),
    kinds: ['missing'],
    sentence: /add one with the name "v\d+r\._domainkey" in the zone no-rsa\.example/,
  },
  { name: 'no-mx', zone: (lines) => joined(without(lines, 'mx')), kinds: ['missing'], sentence: /no MX record at returns\.no-mx\.example/ },
  {
    name: 'one-server',
    zone: (lines) => joined(lines),
    second: (lines) => joined(without(lines, 'ed')),
    kinds: ['not-everywhere'],
    sentence: /^ns2\.servers\.example does not have/,
  },
  {
    name: 'old-server',
    zone: (lines) => joined(lines),
    second: (lines) => joined(without(lines, 'rsa'), txt(nameOf(lines.rsa), OTHER_KEY)),
    kinds: ['not-everywhere'],
    sentence: /^ns2/,
  },
  {
    name: 'type-spf',
    zone: (lines, domain) => joined(without(lines, 'spf'), `returns.${domain}. IN SPF "${textOf(lines.spf)}"`),
    kinds: ['wrong-type'],
    sentence: /as a record of type SPF; enter it as type TXT/,
  },
  {
    name: 'mx-as-txt',
    zone: (lines, domain) => joined(without(lines, 'mx'), txt(`returns.${domain}.`, '10 mail.quayside.example.')),
    kinds: ['wrong-type'],
    sentence: /of type TXT; enter it as type MX/,
  },
  {
    name: 'zone-twice',
    zone: (lines, domain) => joined(without(lines, 'ed'), txt(`${nameOf(lines.ed)}${domain}.`, textOf(lines.ed))),
    kinds: ['doubled-name'],
    sentence: /the panel appends the name of the zone, so enter "v\d+e\._domainkey"/,
  },
  {
    name: 'no-underscores',
    zone: (lines, domain) => joined(without(lines, 'dmarc'), txt(`dmarc.${domain}.`, textOf(lines.dmarc))),
    kinds: ['other-place'],
    sentence: /is at dmarc\.no-underscores\.example and belongs at _dmarc/,
  },
  {
    name: 'spf-at-domain',
    zone: (lines, domain) => joined(without(lines, 'spf'), txt(`${domain}.`, textOf(lines.spf))),
    kinds: ['other-place'],
    sentence: /enter "returns" as the name/,
  },
  {
    name: 'quotes',
    zone: (lines) => joined(without(lines, 'dmarc'), txt(nameOf(lines.dmarc), `\\"${textOf(lines.dmarc)}\\"`)),
    kinds: ['stray-characters'],
    sentence: /contains quotes/,
  },
  {
    name: 'backslashes',
    zone: (lines) => joined(without(lines, 'dmarc'), txt(nameOf(lines.dmarc), textOf(lines.dmarc).replaceAll(';', '\\\\;'))),
    kinds: ['stray-characters'],
    sentence: /contains backslashes/,
  },
  {
    name: 'line-break',
    zone: (lines) => joined(without(lines, 'spf'), txt(nameOf(lines.spf), textOf(lines.spf).replace(' ip4', '\\010ip4'))),
    kinds: ['stray-characters'],
    sentence: /contains line breaks/,
  },
  {
    name: 'unseen',
    zone: (lines) => joined(without(lines, 'spf'), txt(nameOf(lines.spf), textOf(lines.spf).replace(' ip4', '\\194\\160ip4'))),
    kinds: ['stray-characters'],
    sentence: /characters that cannot be seen/,
  },
  {
    name: 'cut-off',
    zone: (lines) => joined(without(lines, 'rsa'), `${nameOf(lines.rsa)} IN TXT "${textOf(lines.rsa).slice(0, 255)}"`),
    kinds: ['cut-off'],
    sentence: /ends after \d+ of \d+ of its characters/,
  },
  {
    name: 'trailing',
    zone: (lines) => joined(without(lines, 'ed'), txt(nameOf(lines.ed), `${textOf(lines.ed)} Copied`)),
    kinds: ['trailing-text'],
    sentence: /More text follows/,
  },
  {
    name: 'two-spf',
    zone: (lines) => joined(lines, txt(nameOf(lines.spf), 'v=spf1 mx ~all')),
    kinds: ['several-records'],
    sentence: /2 SPF records .* so receivers use none/,
  },
  {
    name: 'two-dmarc',
    zone: (lines) => joined(lines, txt(nameOf(lines.dmarc), 'v=DMARC1; p=reject')),
    kinds: ['several-records'],
    sentence: /2 DMARC records/,
  },
  {
    name: 'two-keys',
    zone: (lines) => joined(lines, txt(nameOf(lines.ed), OTHER_KEY)),
    kinds: ['several-records'],
    sentence: /2 TXT records/,
  },
  {
    name: 'lookups',
    zone: (lines) =>
      joined(
        without(lines, 'spf'),
        txt(nameOf(lines.spf), `v=spf1 ip4:192.0.2.0/24 ${'a:mail.quayside.example '.repeat(10)}include:_spf.relay.example ~all`),
      ),
    kinds: ['too-many-lookups'],
    sentence: /more than 10 lookups/,
  },
  {
    name: 'empty-lookups',
    zone: (lines) =>
      joined(
        without(lines, 'spf'),
        txt(
          nameOf(lines.spf),
          'v=spf1 ip4:192.0.2.0/24 include:_spf.relay.example a:a.quayside.example a:b.quayside.example a:c.quayside.example ~all',
        ),
      ),
    kinds: ['too-many-empty-lookups'],
  },
  {
    name: 'typo',
    zone: (lines) => joined(without(lines, 'spf'), txt(nameOf(lines.spf), textOf(lines.spf).replace('ip4', 'ipv4'))),
    kinds: ['invalid-value'],
    sentence: /"ipv4:192\.0\.2\.0\/24" is not a valid mechanism/,
  },
  {
    name: 'not-allowed',
    zone: (lines) => joined(without(lines, 'spf'), txt(nameOf(lines.spf), 'v=spf1 mx -all')),
    kinds: ['missing-terms'],
    sentence: /does not allow ip4:192\.0\.2\.0\/24 and include:_spf\.relay\.example/,
  },
  {
    name: 'alias-to-nothing',
    zone: (lines) => joined(without(lines, 'ed'), `${nameOf(lines.ed)} IN CNAME gone.quayside.example.`),
    kinds: ['alias-to-nothing'],
  },
  {
    name: 'mx-address',
    zone: (lines) => joined(without(lines, 'mx'), `${nameOf(lines.mx)} IN MX 10 198.51.100.7.`),
    kinds: ['mx-to-address'],
    sentence: /leads to the address 198\.51\.100\.7/,
  },
  {
    name: 'mx-alias',
    zone: (lines) => joined(without(lines, 'mx'), `${nameOf(lines.mx)} IN MX 10 alias.quayside.example.`),
    kinds: ['mx-to-alias'],
  },
  {
    name: 'mx-elsewhere',
    zone: (lines) => joined(lines, `${nameOf(lines.mx)} IN MX 5 mx.elsewhere.example.`),
    kinds: ['mx-elsewhere'],
    sentence: /goes to mx\.elsewhere\.example first/,
  },
  { name: 'other-key', zone: (lines) => joined(without(lines, 'ed'), txt(nameOf(lines.ed), OTHER_KEY)), kinds: ['other-key'] },
  { name: 'revoked', zone: (lines) => joined(without(lines, 'ed'), txt(nameOf(lines.ed), 'v=DKIM1; p=')), kinds: ['revoked-key'] },
  {
    name: 'wildcard',
    zone: (lines) => joined(without(lines, 'dmarc'), '* IN TXT "hello"'),
    kinds: ['wildcard'],
    sentence: /wildcard record \(\*\.wildcard\.example\)/,
  },
  { name: 'bogus', zone: (lines) => joined(lines), kinds: Array<string>(6).fill('dnssec'), sentence: /do not pass DNSSEC/ },
  {
    name: 'testing',
    zone: (lines) => joined(without(lines, 'ed'), txt(nameOf(lines.ed), textOf(lines.ed).replace('k=ed', 't=y; k=ed'))),
    kinds: ['testing'],
  },
];

const domainOf = ({ name }: Fault): string => `${name}.example`;

function linesOf({ records }: DomainView): Lines {
  const line = (purpose: string, algorithm = ''): string =>
    records.find((record) => record.purpose === purpose && record.value.includes(algorithm))?.zoneLine ?? '';
  return {
    rsa: line('dkim', 'k=rsa'),
    ed: line('dkim', 'k=ed25519'),
    spf: line('spf'),
    mx: line('bounces'),
    dmarc: line('dmarc'),
    tls: line('tls-reports'),
  };
}

beforeAll(async () => {
  port = await freePort();
  // The ports are known before anybody listens there, since the zones need the service's keys.
  const resolverPort = await freePort();
  const zones: Record<string, string> = { ...HELPERS };
  all = await startTestService({
    change: (relay) => ({
      dns: { servers: [`127.0.0.1:${resolverPort}`], port, waitSeconds: 2 },
      returns: { port: 0, name: 'mail.quayside.example' },
      providers: {
        relay: { kind: 'smtp', host: '127.0.0.1', port: relay, facts: { spf: ['ip4:192.0.2.0/24', 'include:_spf.relay.example'] } },
      },
      spaces: {
        harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'], senderDomains: FAULTS.map(domainOf) },
        drydock: { mode: 'capture', mailFolder: DEMO_FOLDER },
      },
    }),
  });
  operator = createClient({ url: all.service.url, key: OPERATOR });
  const second: Record<string, string> = { ...HELPERS };
  for (const fault of FAULTS) {
    const domain = domainOf(fault);
    const lines = linesOf(await operator.domains.add({ name: domain }));
    zones[domain] = fault.zone(lines, domain);
    second[domain] = (fault.second ?? fault.zone)(lines, domain);
  }
  const first = await startNsd(zones, { port, servers: SERVERS });
  running.push(first, await startNsd(second, { address: '127.0.0.2', port, servers: SERVERS }));
  // An anchor for a zone that is not signed: nothing of it passes.
  const anchor = 'bogus.example. DS 12345 13 2 49FD46E6C4B45C55D4AC69CBD3CD34AC1AFE51DE1B29C0B8F1F5E1A6D1B2C3D4';
  running.push(await startUnbound(first, { port: resolverPort, trusted: [anchor] }));
  for (const fault of FAULTS) views.set(fault.name, await operator.domains.check(domainOf(fault)));
}, 300_000);
afterAll(async () => {
  await all.stop();
  await Promise.all(running.map((server) => server.stop()));
});

test.each(FAULTS.map((fault) => [fault.name, fault] as const))('%s', (name, { kinds, sentence }) => {
  const view = views.get(name);
  const findings = view?.records.flatMap((record) => record.findings) ?? [];
  expect({ kinds: findings.map(({ kind }) => kind), findings }).toMatchObject({ kinds });
  if (sentence !== undefined) expect(findings[0]?.sentence).toMatch(sentence);
  for (const { sentence: text } of findings) expect(text).not.toMatch(/undefined|\[object| {2}|\.\.$/);
  const isRight = findings.every(({ severity }) => severity === 'advice');
  expect(view?.state).toBe(isRight ? 'right' : 'open');
});

test('the lines of every domain are a zone that three checkers accept', () => {
  const view = views.get('right');
  expect(zoneProblems('right.example', (view?.records ?? []).map(({ zoneLine }) => zoneLine).join('\n'))).toEqual([]);
});

test('each check is kept with what every server answered', async () => {
  const { checks } = await operator.domains.checks('one-server.example');
  const [last] = checks;
  expect(last?.state).toBe('open');
  const selector = views.get('one-server')?.keys.find(({ algorithm }) => algorithm.startsWith('ed'))?.selector ?? '';
  const question = `TXT ${selector}._domainkey.one-server.example`;
  expect(last?.answers).toEqual(
    expect.arrayContaining([
      { server: 'ns1.servers.example', question, answer: expect.stringContaining('v=DKIM1; k=ed25519') },
      { server: 'ns2.servers.example', question, answer: 'no such name' },
    ]),
  );
});

describe('name servers that misbehave', () => {
  /** One port for datagrams and streams. What is free for the first may be taken for the second, so it is tried again. */
  async function sockets(): Promise<{ readonly udp: Socket; readonly stream: Server }> {
    for (;;) {
      const udp = createSocket('udp4');
      const stream = createServer();
      await new Promise<void>((done) => udp.bind(0, '127.0.0.1', done));
      const isFree = await new Promise<boolean>((done) => {
        stream.once('error', () => done(false)).listen(udp.address().port, '127.0.0.1', () => done(true));
      });
      if (isFree) return { udp, stream };
      udp.close();
    }
  }

  /** A domain whose authoritative server, or the resolver, is the one given. */
  async function checkWith(answer: (query: Buffer) => Buffer | undefined, tcp?: (query: Buffer) => Buffer): Promise<DomainView> {
    const { udp, stream } = await sockets();
    const own = udp.address().port;
    udp.on('message', (bytes, from) => {
      const reply = answer(bytes);
      if (reply !== undefined) udp.send(reply, from.port, from.address);
    });
    stream.on('connection', (socket) => {
      socket.on('error', () => undefined);
      socket.on('data', (bytes) => socket.write(tcp?.(bytes) ?? Buffer.alloc(0)));
    });
    const other = await startTestService({ change: { dns: { servers: [`127.0.0.1:${own}`], port: own, waitSeconds: 1 } } });
    try {
      const client = createClient({ url: other.service.url, key: OPERATOR });
      await client.domains.add({ name: 'saltmarsh-ferries.example', algorithms: ['ed25519-sha256'] });
      return await client.domains.check('saltmarsh-ferries.example');
    } finally {
      await other.stop();
      udp.close();
      stream.close();
    }
  }

  const cases: readonly (readonly [string, (query: Buffer) => Buffer | undefined])[] = [
    ['says nothing', () => undefined],
    ['sends noise', () => Buffer.from('not a message of the DNS at all')],
    [
      'answers another question',
      (query) =>
        Buffer.concat([
          query.subarray(0, 2),
          Buffer.from([0x84, 0, 0, 1, 0, 0, 0, 0, 0, 0]),
          Buffer.from('\x05other\x00'),
          Buffer.from([0, 16, 0, 1]),
        ]),
    ],
    ['answers with another id', (query) => Buffer.concat([Buffer.from([query[0]! ^ 255, query[1]!, 0x84, 0]), query.subarray(4)])],
    [
      'has names that lead to themselves',
      (query) =>
        Buffer.concat([
          query.subarray(0, 2),
          Buffer.from([0x84, 0, 0, 1, 0, 1, 0, 0, 0, 0]),
          query.subarray(12),
          Buffer.from([0xc0, 0x0c, 0, 2, 0, 1, 0, 0, 0, 9, 0, 2, 0xc0, 0xff]),
        ]),
    ],
    [
      'fails',
      (query) =>
        Buffer.concat([query.subarray(0, 2), Buffer.from([0x81, 0x82, 0, 1, 0, 0, 0, 0, 0, 0]), query.subarray(12, query.length - 11)]),
    ],
    [
      'cuts everything and has no TCP',
      (query) =>
        Buffer.concat([query.subarray(0, 2), Buffer.from([0x86, 0, 0, 1, 0, 0, 0, 0, 0, 0]), query.subarray(12, query.length - 11)]),
    ],
  ];
  test.each(cases)('one that %s: the state is unknown, and nothing else is', async (_name, answer) => {
    const view = await checkWith(answer);
    expect(view.state).toBe('unknown');
    expect(new Set(view.records.flatMap(({ findings }) => findings.map(({ kind }) => kind)))).toEqual(new Set(['unreachable']));
    expect(view.signing).toBe(false);
  });

  test('one that sends 65,535 octets of anything over TCP', async () => {
    const view = await checkWith(cases[6]![1], () => Buffer.concat([Buffer.from([255, 255]), Buffer.alloc(65_535, 0xc0)]));
    expect(view.state).toBe('unknown');
  });
});

test('the simulated name server of the demo answers as a real one does: by UDP, and by TCP what is long', async () => {
  const simulated = await startNameServer();
  const other = await startTestService({
    change: {
      dns: { servers: [`127.0.0.1:${simulated.port}`], port: simulated.port },
      returns: { port: 0, name: 'mail.quayside.example' },
    },
  });
  try {
    const client = createClient({ url: other.service.url, key: OPERATOR });
    const { records } = await client.domains.add({ name: 'saltmarsh-ferries.example' });
    simulated.setZone('quayside.example', [{ name: 'mail.quayside.example', type: 'A', value: '198.51.100.7' }]);
    simulated.setZone('saltmarsh-ferries.example', [
      ...records.map(({ name, type, value, priority }) => ({ name, type, value: type === 'MX' ? `${priority ?? 0} ${value}` : value })),
      // Long enough that no datagram holds it.
      ...Array.from({ length: 12 }, (_, i) => ({
        name: 'returns.saltmarsh-ferries.example',
        type: 'TXT' as const,
        value: `${i}${'x'.repeat(200)}`,
      })),
    ]);
    const view = await client.domains.check('saltmarsh-ferries.example');
    expect(view.records.flatMap(({ findings }) => findings)).toEqual([]);
    expect(view.state).toBe('right');
  } finally {
    await other.stop();
    await simulated.close();
  }
});
