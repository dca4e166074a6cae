import { expect, test } from '@jest/globals';
import { scaled } from '../../../../tests/support/scale.js';
import fc from '../../../../node_modules/fast-check/lib/fast-check.js';
import { importKey, makeKey, recordOf } from '../dkim/index.js';
import { judgeRecord, type DomainNeeds, type WantedRecord } from './index.js';
import { nameServers, type Records } from './test-world.js';

// A finding that asks for an act exists exactly where a receiver would fail. The receiver here is written for this test alone: it splits
// texts and knows nothing of the readers that are judged by.

const ZONE = 'cove.example';
const HOST = `returns.${ZONE}`;
const ed25519 = async (): Promise<string> =>
  recordOf('ed25519-sha256', importKey('ed25519-sha256', (await makeKey('ed25519-sha256')).privateKey));
const [own, other] = [await ed25519(), await ed25519()];
const tagsOf = (text: string): Map<string, string> =>
  new Map(
    text
      .split(';')
      .filter((part) => part.includes('='))
      .map((part) => [part.slice(0, part.indexOf('=')).trim(), part.slice(part.indexOf('=') + 1).trim()]),
  );

/** Texts, the alias followed. */
function texts(records: Records, name: string): readonly string[] {
  const alias = records[`${name} CNAME`]?.[0];
  return records[`${alias ?? name} TXT`] ?? [];
}

function passesKey(records: Records): boolean {
  const all = texts(records, `k._domainkey.${ZONE}`);
  if (all.length !== 1) return false;
  const tags = tagsOf(all[0] ?? '');
  return tags.get('p') === tagsOf(own).get('p') && tags.get('k') === 'ed25519' && (tags.get('v') ?? 'DKIM1') === 'DKIM1';
}

/** "pass", "other", or "error" for one address. */
function spf(records: Records, name: string, address: string, count = { lookups: 0 }): 'pass' | 'other' | 'error' {
  const found = texts(records, name).filter((text) => text === 'v=spf1' || text.startsWith('v=spf1 '));
  if (found.length !== 1) return 'error';
  const terms = (found[0] ?? '').split(' ').slice(1);
  for (const term of terms) if (!/^(?:ip4:[\d.]+(?:\/\d+)?|include:[a-z.]+|[-~]all)$/.test(term)) return 'error';
  for (const term of terms) {
    if (term.endsWith('all')) return 'other';
    if (term.startsWith('ip4:') && covers(term.slice(4), address)) return 'pass';
    if (!term.startsWith('include:')) continue;
    count.lookups += 1;
    if (count.lookups > 10) return 'error';
    const there = spf(records, term.slice(8), address, count);
    if (there !== 'other') return there;
  }
  return 'other';
}

const number = (address: string): number => address.split('.').reduce((sum, part) => sum * 256 + Number(part), 0);
function covers(network: string, address: string): boolean {
  const [base = '', bits = '32'] = network.split('/');
  const size = 2 ** (32 - Number(bits));
  return Math.floor(number(base) / size) === Math.floor(number(address) / size);
}

function passesSpf(records: Records): boolean {
  // All of the network may send, and a stranger must at least be answered about.
  return spf(records, HOST, '198.18.255.254') !== 'error' && ['192.0.2.0', '192.0.2.255'].every((ip) => spf(records, HOST, ip) === 'pass');
}

function passesDmarc(records: Records): boolean {
  const found = texts(records, `_dmarc.${ZONE}`).filter((text) => /^v=DMARC1\s*(?:;|$)/.test(text));
  return found.length === 1 && ['none', 'quarantine', 'reject'].includes(tagsOf(found[0] ?? '').get('p') ?? '');
}

function passesMx(records: Records): boolean {
  const found = (records[`${HOST} MX`] ?? []).map((text) => text.split(' '));
  const first = Math.min(...found.map(([priority]) => Number(priority)));
  const tried = found.filter(([priority]) => Number(priority) === first).map(([, host]) => host);
  return (
    tried.length > 0 &&
    tried.every((host) => host === 'mail.example') &&
    records['mail.example CNAME'] === undefined &&
    records['mail.example A'] !== undefined
  );
}

const needs: DomainNeeds = {
  domain: ZONE,
  returnHost: HOST,
  mailServer: 'mail.example',
  keys: [],
  providers: [],
  policy: 'none',
  reports: undefined,
};
const shared = { isRequired: true, selector: undefined, provider: undefined, terms: [] };
const KINDS: readonly (readonly [WantedRecord, (records: Records) => boolean])[] = [
  [{ ...shared, purpose: 'dkim', record: { type: 'TXT', name: `k._domainkey.${ZONE}`, text: own } }, passesKey],
  [
    { ...shared, purpose: 'spf', record: { type: 'TXT', name: HOST, text: 'v=spf1 ip4:192.0.2.0/24 ~all' }, terms: ['ip4:192.0.2.0/24'] },
    passesSpf,
  ],
  [{ ...shared, purpose: 'dmarc', record: { type: 'TXT', name: `_dmarc.${ZONE}`, text: 'v=DMARC1; p=none' } }, passesDmarc],
  [{ ...shared, purpose: 'bounces', record: { type: 'MX', name: HOST, priority: 10, host: 'mail.example' } }, passesMx],
];

const keyTexts = [
  own,
  other,
  own.slice(0, 40),
  `"${own}"`,
  own.replace('v=DKIM1; ', ''),
  own.replace('; ', ';'),
  'v=DKIM1; p=',
  'hello',
  `${own} x`,
];
const spfTexts = [
  'v=spf1 ip4:192.0.2.0/24 ~all',
  'v=spf1 ip4:192.0.2.0/25 ip4:192.0.2.128/25 -all',
  'v=spf1 include:a.example include:b.example -all',
  'v=spf1 ip4:192.0.0.0/16 -all',
  'v=spf1 ip4:192.0.2.0/25 -all',
  'v=spf1 -all ip4:192.0.2.0/24',
  `v=spf1 ${'include:b.example '.repeat(9)}include:a.example ~all`,
  `v=spf1 ${'include:b.example '.repeat(10)}include:a.example ~all`,
  'v=spf1 include:c.example -all',
  'v=spf1 ipv4:192.0.2.0/24',
  '"v=spf1 ip4:192.0.2.0/24 ~all"',
  'v=spf10 ip4:192.0.2.0/24',
  'v=spf1',
];
const dmarcTexts = [
  'v=DMARC1; p=none',
  'v=DMARC1;p=reject;',
  'v=DMARC1',
  '"v=DMARC1; p=none"',
  'V=DMARC1; p=none',
  'v=DMARC1; p=maybe',
  'x',
];
const some = (from: readonly string[]): fc.Arbitrary<string[]> => fc.uniqueArray(fc.constantFrom(...from), { maxLength: 2 });

const zones = fc.record({
  key: some(keyTexts),
  isAlias: fc.boolean(),
  spf: some(spfTexts),
  a: some(['v=spf1 ip4:192.0.2.0/24 -all', 'v=spf1 ip4:192.0.2.0/26 -all', 'v=spf1 what']),
  b: some(['v=spf1 -all', 'v=spf1 ip4:198.51.100.0/24']),
  dmarc: some(dmarcTexts),
  mx: some(['10 mail.example', '20 mail.example', '10 other.example', '5 other.example', '10 198.51.100.7', '0 ']),
  mail: fc.constantFrom('A', 'A', 'A', 'CNAME', ''),
});

function recordsOf({ key, isAlias, spf: ofSpf, a, b, dmarc, mx, mail }: typeof zones extends fc.Arbitrary<infer Z> ? Z : never): Records {
  const all: Record<string, readonly string[]> = {
    [`${isAlias ? 'k.keys.example' : `k._domainkey.${ZONE}`} TXT`]: key,
    ...(isAlias ? { [`k._domainkey.${ZONE} CNAME`]: ['k.keys.example'] } : {}),
    [`${HOST} TXT`]: ofSpf,
    'a.example TXT': a,
    'b.example TXT': b,
    [`_dmarc.${ZONE} TXT`]: dmarc,
    [`${HOST} MX`]: mx,
    'other.example A': ['198.51.100.9'],
    ...(mail === 'A' ? { 'mail.example A': ['198.51.100.7'] } : mail === 'CNAME' ? { 'mail.example CNAME': ['other.example'] } : {}),
  };
  return Object.fromEntries(Object.entries(all).filter(([, values]) => values.length > 0));
}

const RUNS = scaled(400, 1500);

test('a finding that asks for an act exists exactly where a receiver would fail', async () => {
  let [passed, failed] = [0, 0];
  await fc.assert(
    fc.asyncProperty(zones, zones, fc.boolean(), async (first, second, isSame) => {
      const [records, others] = [
        recordsOf(first),
        recordsOf(isSame ? first : { ...first, key: first.isAlias ? first.key : second.key, dmarc: second.dmarc }),
      ];
      const servers = nameServers({ zone: ZONE, records, second: others });
      for (const [wanted, passes] of KINDS) {
        const { findings, state } = await judgeRecord(wanted, needs, servers);
        const isFine = passes(records) && passes(others);
        if (isFine) passed += 1;
        else failed += 1;
        expect([wanted.purpose, findings.some(({ severity }) => severity !== 'advice')]).toEqual([wanted.purpose, !isFine]);
        expect([wanted.purpose, state === 'right']).toEqual([wanted.purpose, isFine]);
      }
    }),
    { numRuns: RUNS },
  );
  // Both ways were taken often.
  expect(Math.min(passed, failed)).toBeGreaterThan(RUNS / 4);
});
