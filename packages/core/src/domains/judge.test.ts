import { beforeAll, describe, expect, test } from '@jest/globals';
import { importKey, makeKey, recordOf } from '../dkim/index.js';
import { judgeOldKey, judgeRecord, wantedRecords, type DomainNeeds, type Finding, type RecordVerdict } from './index.js';
import { nameServers, type Records, type World } from './test-world.js';

const ZONE = 'saltmarsh-ferries.example';
const RETURNS = `returns.${ZONE}`;
const RSA = `r1._domainkey.${ZONE}`;
const ED = `e1._domainkey.${ZONE}`;
let needs: DomainNeeds;
let otherKey: string;
let right: Readonly<Record<string, string[]>>;

const keyText = async (algorithm: 'rsa-sha256' | 'ed25519-sha256'): Promise<string> =>
  recordOf(algorithm, importKey(algorithm, (await makeKey(algorithm)).privateKey));

beforeAll(async () => {
  needs = {
    domain: ZONE,
    returnHost: RETURNS,
    mailServer: 'mail.quayside.example',
    keys: [
      { selector: 'r1', record: await keyText('rsa-sha256') },
      { selector: 'e1', record: await keyText('ed25519-sha256') },
    ],
    providers: [
      {
        name: 'relay',
        signs: 'us',
        envelopeFrom: 'kept',
        spf: ['ip4:192.0.2.0/24', 'include:_spf.relay.example'],
        records: [{ type: 'CNAME', name: 'bounce', value: 'bounce.relay.example.' }],
      },
    ],
    policy: 'none',
    reports: { dmarc: 'dmarc-reports', tls: 'tls-reports' },
  };
  otherKey = await keyText('rsa-sha256');
  right = {
    [`${RSA} TXT`]: [needs.keys[0]?.record ?? ''],
    [`${ED} TXT`]: [needs.keys[1]?.record ?? ''],
    [`${RETURNS} TXT`]: ['v=spf1 ip4:192.0.2.0/24 include:_spf.relay.example ~all'],
    [`${RETURNS} MX`]: ['10 mail.quayside.example'],
    [`_dmarc.${ZONE} TXT`]: [`v=DMARC1; p=none; rua=mailto:dmarc-reports@${RETURNS}`],
    [`bounce.${ZONE} CNAME`]: ['bounce.relay.example'],
    [`_smtp._tls.${RETURNS} TXT`]: [`v=TLSRPTv1; rua=mailto:tls-reports@${RETURNS}`],
    'mail.quayside.example A': ['198.51.100.7'],
    '_spf.relay.example TXT': ['v=spf1 ip4:203.0.113.0/25 -all'],
  };
});

async function judged(world: Partial<World> & { readonly records: Records }, own = needs): Promise<RecordVerdict[]> {
  const servers = nameServers({ zone: ZONE, ...world });
  return Promise.all(wantedRecords(own).records.map((wanted) => judgeRecord(wanted, own, servers)));
}

const found = (verdicts: readonly RecordVerdict[]): Finding[] => verdicts.flatMap(({ findings }) => findings);

test('where all is right there is no finding', async () => {
  const verdicts = await judged({ records: right });
  expect(found(verdicts)).toEqual([]);
  expect(verdicts.map(({ state, isPublished }) => [state, isPublished])).toEqual(Array(7).fill(['right', true]));
});

const without = (...keys: string[]): Records => Object.fromEntries(Object.entries(right).filter(([key]) => !keys.includes(key)));
const rsa = (): string => needs.keys[0]?.record ?? '';

type Case = readonly [name: string, world: () => Partial<World> & { readonly records: Records }, kind: string, sentence: RegExp];

const CASES: readonly Case[] = [
  [
    'a missing key',
    () => ({ records: without(`${RSA} TXT`) }),
    'missing',
    /no TXT record at r1.*add one with the name "r1\._domainkey" in the zone saltmarsh/,
  ],
  ['a missing MX', () => ({ records: without(`${RETURNS} MX`) }), 'missing', /no MX record at returns.*the name "returns"/],
  [
    'missing at one server',
    () => ({ records: right, second: without(`${ED} TXT`) }),
    'not-everywhere',
    /^ns2\.example does not have the right TXT/,
  ],
  [
    'SPF as the type that was given up',
    () => ({ records: { ...without(`${RETURNS} TXT`), [`${RETURNS} SPF`]: right[`${RETURNS} TXT`] ?? [] } }),
    'wrong-type',
    /as a record of type SPF; enter it as type TXT/,
  ],
  [
    'a TXT in place of a CNAME',
    () => ({ records: { ...without(`bounce.${ZONE} CNAME`), [`bounce.${ZONE} TXT`]: ['bounce.relay.example.'] } }),
    'wrong-type',
    /of type TXT; enter it as type CNAME/,
  ],
  [
    'an MX entered as TXT',
    () => ({
      records: { ...without(`${RETURNS} MX`), [`${RETURNS} TXT`]: [...(right[`${RETURNS} TXT`] ?? []), '10 mail.quayside.example.'] },
    }),
    'wrong-type',
    /of type TXT; enter it as type MX/,
  ],
  [
    'the zone twice in a name',
    () => ({ records: { ...without(`${RSA} TXT`), [`${RSA}.${ZONE} TXT`]: [rsa()] } }),
    'doubled-name',
    /is at r1\._domainkey\.saltmarsh-ferries\.example\.saltmarsh-ferries\.example: .*enter "r1\._domainkey"/,
  ],
  [
    'a name without its underscores',
    () => ({ records: { ...without(`${RSA} TXT`), [`r1.domainkey.${ZONE} TXT`]: [rsa()] } }),
    'other-place',
    /is at r1\.domainkey\.saltmarsh-ferries\.example and belongs at r1\._domainkey/,
  ],
  [
    'SPF at the domain',
    () => ({ records: { ...without(`${RETURNS} TXT`), [`${ZONE} TXT`]: right[`${RETURNS} TXT`] ?? [] } }),
    'other-place',
    /belongs at returns\.saltmarsh-ferries\.example; enter "returns"/,
  ],
  [
    'quotes around a value',
    () => ({ records: { ...right, [`_dmarc.${ZONE} TXT`]: ['"v=DMARC1; p=none"'] } }),
    'stray-characters',
    /contains quotes/,
  ],
  [
    'a zone file pasted into a panel',
    () => ({ records: { ...right, [`${RSA} TXT`]: [`"${rsa().slice(0, 255)}" "${rsa().slice(255)}"`] } }),
    'stray-characters',
    /contains quotes/,
  ],
  [
    'backslashes',
    () => ({ records: { ...right, [`_dmarc.${ZONE} TXT`]: ['v=DMARC1\\; p=none'] } }),
    'stray-characters',
    /contains backslashes/,
  ],
  [
    'a line break',
    () => ({ records: { ...right, [`${RETURNS} TXT`]: ['v=spf1 ip4:192.0.2.0/24\ninclude:_spf.relay.example ~all'] } }),
    'stray-characters',
    /line breaks/,
  ],
  [
    'a key of 255 characters',
    () => ({ records: { ...right, [`${RSA} TXT`]: [rsa().slice(0, 255)] } }),
    'cut-off',
    /ends after \d+ of \d+ of its characters/,
  ],
  ['two keys', () => ({ records: { ...right, [`${RSA} TXT`]: [rsa(), otherKey] } }), 'several-records', /2 TXT records/],
  [
    'two SPF records',
    () => ({ records: { ...right, [`${RETURNS} TXT`]: ['v=spf1 a ~all', 'v=spf1 ip4:192.0.2.0/24 -all'] } }),
    'several-records',
    /2 SPF records/,
  ],
  [
    'two DMARC records',
    () => ({ records: { ...right, [`_dmarc.${ZONE} TXT`]: ['v=DMARC1; p=none', 'v=DMARC1; p=reject'] } }),
    'several-records',
    /2 DMARC records/,
  ],
  [
    'more than ten lookups',
    () => ({
      records: {
        ...right,
        [`${RETURNS} TXT`]: [`v=spf1 ip4:192.0.2.0/24 ${'a:mail.quayside.example '.repeat(10)}include:_spf.relay.example ~all`],
      },
    }),
    'too-many-lookups',
    /more than 10 lookups/,
  ],
  [
    'three names that do not exist',
    () => ({
      records: {
        ...right,
        [`${RETURNS} TXT`]: ['v=spf1 ip4:192.0.2.0/24 include:_spf.relay.example a:x.example a:y.example a:z.example ~all'],
      },
    }),
    'too-many-empty-lookups',
    /More than 2 lookups/,
  ],
  [
    'a record that cannot be read',
    () => ({ records: { ...right, [`${RETURNS} TXT`]: ['v=spf1 ipv4:192.0.2.0/24 include:_spf.relay.example ~all'] } }),
    'invalid-value',
    /"ipv4:192\.0\.2\.0\/24" is not a valid mechanism/,
  ],
  [
    'a provider that is not allowed',
    () => ({ records: { ...right, [`${RETURNS} TXT`]: ['v=spf1 ip4:192.0.2.0/24 mx -all'] } }),
    'missing-terms',
    /does not allow include:_spf\.relay\.example/,
  ],
  [
    'half a network',
    () => ({ records: { ...right, [`${RETURNS} TXT`]: ['v=spf1 ip4:192.0.2.0/25 include:_spf.relay.example -all'] } }),
    'missing-terms',
    /does not allow ip4:192\.0\.2\.0\/24/,
  ],
  [
    'terms behind the end',
    () => ({ records: { ...right, [`${RETURNS} TXT`]: ['v=spf1 ip4:192.0.2.0/24 ~all include:_spf.relay.example'] } }),
    'missing-terms',
    /does not allow include/,
  ],
  [
    'a CNAME beside a record',
    () => ({ records: { ...right, [`${RSA} CNAME`]: ['keys.elsewhere.example'] }, isLenient: true }),
    'alias-beside-records',
    /CNAME \(to keys\.elsewhere\.example\) beside/,
  ],
  [
    'a CNAME to nothing',
    () => ({ records: { ...without(`${RSA} TXT`), [`${RSA} CNAME`]: ['keys.elsewhere.example'] } }),
    'alias-to-nothing',
    /is a CNAME to keys\.elsewhere\.example/,
  ],
  [
    'an MX to an address',
    () => ({ records: { ...right, [`${RETURNS} MX`]: ['10 198.51.100.7'] } }),
    'mx-to-address',
    /leads to the address 198\.51\.100\.7/,
  ],
  [
    'an MX to an alias',
    () => ({
      records: {
        ...without('mail.quayside.example A'),
        'mail.quayside.example CNAME': ['host.example'],
        'host.example A': ['198.51.100.7'],
      },
    }),
    'mx-to-alias',
    /is a CNAME/,
  ],
  [
    'an MX to a host without an address',
    () => ({ records: without('mail.quayside.example A') }),
    'mx-to-nothing',
    /mail\.quayside\.example has no address/,
  ],
  [
    'an MX to someone else first',
    () => ({ records: { ...right, [`${RETURNS} MX`]: ['5 mx.elsewhere.example', '10 mail.quayside.example'] } }),
    'mx-elsewhere',
    /goes to mx\.elsewhere\.example first/,
  ],
  ['a null MX', () => ({ records: { ...right, [`${RETURNS} MX`]: ['0 '] } }), 'mx-elsewhere', /nobody/],
  [
    'text behind a value',
    () => ({ records: { ...right, [`${RSA} TXT`]: [`${rsa()} Copied!`] } }),
    'trailing-text',
    /More text follows the value/,
  ],
  ['the key of someone else', () => ({ records: { ...right, [`${RSA} TXT`]: [otherKey] } }), 'other-key', /Another key is published/],
  ['a revoked key', () => ({ records: { ...right, [`${RSA} TXT`]: ['v=DKIM1; p='] } }), 'revoked-key', /was revoked/],
  [
    'a wildcard',
    () => ({ records: { ...without(`_dmarc.${ZONE} TXT`), [`*.${ZONE} TXT`]: ['hello'] } }),
    'wildcard',
    /wildcard record \(\*\.saltmarsh-ferries\.example\)/,
  ],
  ['DNSSEC that does not hold', () => ({ records: right, bogus: [RSA] }), 'dnssec', /do not pass DNSSEC/],
  [
    'an old answer in a cache',
    () => ({ records: right, resolver: { ...right, [`${RSA} TXT`]: [otherKey] } }),
    'stale-cache',
    /keep the old answer for another 5 minutes/,
  ],
  ['an old nothing in a cache', () => ({ records: right, resolver: without(`${RSA} TXT`) }), 'stale-cache', /another 10 minutes/],
  [
    'servers that do not answer',
    () => ({ records: right, silent: ['ns1.example', 'ns2.example'] }),
    'unreachable',
    /ns1\.example and ns2\.example do not answer/,
  ],
  ['another zone', () => ({ records: right, zone: 'drydock.example' }), 'unreachable', /No name server is known/],
  [
    'one server that does not answer',
    () => ({ records: right, silent: ['ns2.example'] }),
    'server-silent',
    /^ns2\.example does not answer/,
  ],
  ['a resolver that does not answer', () => ({ records: right, silent: ['resolver'] }), 'resolver-silent', /is asked again/],
  [
    'a key that says it is a test',
    () => ({ records: { ...right, [`${RSA} TXT`]: [rsa().replace('k=rsa', 'k=rsa; t=y')] } }),
    'testing',
    /only a test/,
  ],
  [
    'reports to others',
    () => ({ records: { ...right, [`_dmarc.${ZONE} TXT`]: ['v=DMARC1; p=reject; rua=mailto:a@b.example'] } }),
    'no-reports',
    /sends no reports to dmarc-reports@returns/,
  ],
];

test.each(CASES)('%s', async (_name, world, kind, sentence) => {
  const findings = found(await judged(world()));
  expect(findings.map((finding) => finding.kind)).toContain(kind);
  expect(findings.find((finding) => finding.kind === kind)?.sentence).toMatch(sentence);
  // Every sentence is one: it ends, and nothing in it was left open.
  for (const finding of findings) expect(finding.sentence).not.toMatch(/undefined|\[object|""|\.\.$| {2}/);
  for (const finding of findings) expect(finding.sentence).toMatch(/\.$/);
});

test('advice leaves a record right; what ends by itself, too', async () => {
  const verdicts = await judged({ records: { ...right, [`${RSA} TXT`]: [rsa().replace('k=rsa', 'k=rsa; t=y')] }, silent: ['ns2.example'] });
  expect(verdicts.map(({ state }) => state)).toEqual(Array(7).fill('right'));
});

describe('what to enter', () => {
  const enter = async (...records: string[]): Promise<string | undefined> =>
    found(await judged({ records: { ...right, [`${RETURNS} TXT`]: records } })).find(({ enter: text }) => text !== undefined)?.enter;

  test('a record that lacks something keeps what it has', async () => {
    expect(await enter('v=spf1 mx a:mail.quayside.example -all')).toBe(
      'v=spf1 mx a:mail.quayside.example ip4:192.0.2.0/24 include:_spf.relay.example -all',
    );
    expect(await enter('v=spf1 mx redirect=_spf.relay.example')).toBe('v=spf1 mx ip4:192.0.2.0/24 redirect=_spf.relay.example');
  });

  test('two become one', async () => {
    expect(await enter('v=spf1 mx ~all', 'v=spf1 a ip4:192.0.2.0/24 -all')).toBe(
      'v=spf1 mx a ip4:192.0.2.0/24 include:_spf.relay.example ~all',
    );
  });
});

test.each([
  [
    'by an include',
    'v=spf1 include:all.relay.example -all',
    { 'all.relay.example TXT': ['v=spf1 ip4:192.0.2.0/23 include:_spf.relay.example ~all'] },
  ],
  ['by a wider network', 'v=spf1 ip4:192.0.0.0/16 +include:_SPF.relay.example ?all', {}],
  [
    'by a redirect',
    'v=spf1 redirect=all.relay.example',
    { 'all.relay.example TXT': ['v=spf1 ip4:192.0.2.0/24 include:_spf.relay.example ~all'] },
  ],
])('SPF may allow it %s', async (_name, text, more) => {
  expect(found(await judged({ records: { ...right, ...more, [`${RETURNS} TXT`]: [text, 'some-verification=1'] } }))).toEqual([]);
});

test('a key through a CNAME, in another order of tags, with white space, is right', async () => {
  const [, tags = ''] = /^v=DKIM1; (.*)$/.exec(rsa()) ?? [];
  const turned = `v=DKIM1;p= ${tags.replace('k=rsa; p=', '').replace(/(.{60})/g, '$1 ')} ; k=rsa`;
  const records = { ...without(`${RSA} TXT`), [`${RSA} CNAME`]: ['r1.keys.example'], 'r1.keys.example TXT': [turned] };
  expect(found(await judged({ records }))).toEqual([]);
});

test('a host without an MX whose own address is ours gets its bounces', async () => {
  const records = { ...without(`${RETURNS} MX`), [`${RETURNS} A`]: ['198.51.100.7'] };
  expect(found(await judged({ records }))).toEqual([]);
});

test('the DMARC record of the domain above is enough', async () => {
  const own: DomainNeeds = { ...needs, domain: `mail.${ZONE}`, keys: [], providers: [], reports: undefined };
  const verdicts = await judged({ records: { ...right, [`_dmarc.${ZONE} TXT`]: ['v=DMARC1; p=reject'] } }, own);
  expect(verdicts.find(({ wanted }) => wanted.purpose === 'dmarc')?.state).toBe('right');
});

test('a record for a domain within the zone that was entered without its label', async () => {
  const own: DomainNeeds = { ...needs, domain: `mail.${ZONE}`, keys: needs.keys.slice(0, 1), providers: [], reports: undefined };
  const findings = found(await judged({ records: right }, own));
  expect(findings.find(({ kind }) => kind === 'other-place')?.sentence).toMatch(
    /is at r1\._domainkey\.saltmarsh-ferries\.example .* enter "r1\._domainkey\.mail"/,
  );
});

test('an old key that is still there, and one that is gone', async () => {
  const [wanted] = wantedRecords(needs).records;
  if (wanted === undefined) throw new Error('nothing is wanted');
  expect((await judgeOldKey(wanted, nameServers({ zone: ZONE, records: right })))?.kind).toBe('old-selector');
  expect(await judgeOldKey(wanted, nameServers({ zone: ZONE, records: {} }))).toBeUndefined();
});

describe('wanted records', () => {
  const purposes = (own: DomainNeeds): string[] => wantedRecords(own).records.map(({ purpose }) => purpose);
  const provider = { name: 'api', signs: 'provider', envelopeFrom: 'replaced', spf: [], records: [] } as const;

  test('a provider that signs and replaces the envelope needs neither key nor MX, and that is said', () => {
    expect(purposes({ ...needs, providers: [provider] })).toEqual(['dkim', 'dkim', 'dmarc']);
    expect(wantedRecords({ ...needs, providers: [provider] }).records.map(({ isRequired }) => isRequired)).toEqual([false, false, true]);
    expect(wantedRecords({ ...needs, providers: [provider] }).notes).toEqual([
      'api replaces the envelope sender with its own, so SPF cannot align with saltmarsh-ferries.example; the DKIM signature that api makes must.',
    ]);
  });

  test('of two providers each gets what it needs', () => {
    expect(purposes({ ...needs, providers: [provider, ...needs.providers] })).toEqual([
      'dkim',
      'dkim',
      'bounces',
      'spf',
      'dmarc',
      'provider',
      'tls-reports',
    ]);
  });

  test('where nobody knows from where a provider sends, no SPF record is made up', () => {
    const own = { ...needs, providers: [{ ...provider, name: 'smarthost', envelopeFrom: 'kept' as const }] };
    expect(purposes(own)).not.toContain('spf');
    expect(wantedRecords(own).notes.join()).toContain('providers.smarthost.facts.spf');
  });
});
