import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { expect, test } from '@jest/globals';
import { evaluateSpf } from '@verbalis/core/authentication';
import { asking, queryOf, SPF_CASES, zoneOf, type SpfCase } from './support/spf-cases.js';

test('there are cases enough', () => {
  expect(SPF_CASES.length).toBeGreaterThanOrEqual(150);
  expect(new Set(SPF_CASES.map(({ about }) => about)).size).toBe(SPF_CASES.length);
});

test.each(SPF_CASES.map((each) => [each.about, each] as const))('%s', async (_about, each) => {
  const verdict = await evaluateSpf({ ...queryOf(each), ask: asking(zoneOf(each)) });
  expect({ result: verdict.result, explanation: verdict.explanation, why: verdict.reason }).toEqual({
    result: each.result,
    explanation: each.explanation,
    why: expect.stringMatching(/\S\.$/),
  });
});

test.each<[name: string, record: string, more?: Partial<Parameters<typeof evaluateSpf>[0]>]>([
  ['a mechanism of 64 kB', `v=spf1 a:${'a/1'.repeat(21_000)}`],
  ['a name of 64 kB', `v=spf1 a:${'a-'.repeat(32_000)}.b`],
  ['16,000 macros', `v=spf1 exists:${'%{s}'.repeat(16_000)}.b.example`],
  ['a macro of 60,000 digits', `v=spf1 exists:%{d${'9'.repeat(60_000)}}.b.example`],
  ['60,000 delimiters', `v=spf1 exists:%{d${'-.+'.repeat(20_000)}}.b.example`],
  ['an explanation that multiplies', 'v=spf1 exp=long.example -all', { sender: `${'l'.repeat(60)}@x.example` }],
  ['half a letter', 'v=spf1 exists:%{S}.b.example -all', { sender: '\ud800@x.example' }],
  ['a HELO name that is none', 'v=spf1 -all', { sender: '', helo: '' }],
  ['a record that includes itself', 'v=spf1 include:x.example'],
  ['one that redirects to itself', 'v=spf1 redirect=x.example'],
])('hostile: %s', async (_name, record, more = {}) => {
  const zone = { 'x.example': { TXT: [record] }, 'long.example': { TXT: ['%{s}'.repeat(16_000)] } };
  const asked: string[] = [];
  const ask = asking(zone);
  const verdict = await evaluateSpf({
    ip: '192.0.2.1',
    sender: 'a@x.example',
    helo: 'h.example',
    ...more,
    ask: (name, type) => {
      asked.push(name);
      return ask(name, type);
    },
  });
  expect(verdict.reason.length).toBeLessThan(500);
  expect((verdict.explanation ?? '').length).toBeLessThanOrEqual(1000);
  expect(asked.length).toBeLessThanOrEqual(12);
});

const OTHER = `
import json, sys, spf
world = {}
def ask(name, qtype, tcpfallback=True, timeout=30):
    name = name.lower().rstrip('.')
    records = world.get(name, {}).get(qtype)
    if records == '!': raise spf.TempError('no answer')
    out = []
    for record in records or []:
        if qtype == 'TXT': out.append(((name, qtype), (record.encode(),)))
        elif qtype == 'MX': out.append(((name, qtype), (10, record)))
        elif qtype == 'AAAA':
            import ipaddress
            out.append(((name, qtype), ipaddress.ip_address(record).packed))
        else: out.append(((name, qtype), record))
    return out
spf.DNSLookup = ask
results = []
for case in json.load(sys.stdin):
    world = case['zone']
    try:
        q = spf.query(i=case['ip'], s=case['sender'], h=case['helo'], receiver=case['receiver'], strict=True)
        results.append(q.check()[0])
    except Exception as error:
        results.append('crash: %r' % error)
print(json.dumps(results))
`;

/** Where the other implementation differs, with what the standard has. */
const DIFFERENT = new Map<string, string>([
  ['records: v=spf1 -all {"sender":"a@x.example."}', 'a zero-length label at the end is none that is malformed (RFC 7208 4.3)'],
  ['ptr: v=spf1 ptr -all {"ip":"192.0.2.9"}', 'where the PTR lookup fails, the mechanism does not match (5.5)'],
  ['ptr: v=spf1 ptr -all {"ip":"192.0.2.8"}', 'a name whose lookup fails is skipped (5.5)'],
  ['redirect: v=spf1 REDIRECT=pass.example', 'names of modifiers are case-insensitive (RFC 5234 2.3)'],
  ['macros: v=spf1 exists:%{d0}.list.example -all', 'the number of parts is not zero (7.1)'],
]);

/** Records put together by chance from terms that mean something and some that do not. */
function byChance(count: number): SpfCase[] {
  let seed = 7208;
  const random = (below: number): number => {
    seed = (seed + 0x6d_2b_79_f5) | 0;
    let mixed = Math.imul(seed ^ (seed >>> 15), 1 | seed);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) % below;
  };
  const pick = <T>(list: readonly T[]): T => list[random(list.length)] as T;
  const names = ['', 'x.example', 'host.x.example', 'other.example', 'nothing.example', '%{d}', 'host.%{d2}', 'mx1.%{o}'];
  const term = (): string => {
    const sign = pick(['', '', '', '-', '~', '?', '+']);
    const name = pick(names);
    const target = name === '' ? '' : `:${name}`;
    return pick([
      () => `${sign}a${target}${pick(['', '', '/24', '//64', '/16//32'])}`,
      () => `${sign}mx${target}${pick(['', '', '/24', '//48'])}`,
      () => `${sign}ip4:${pick(['192.0.2.0/24', '198.51.100.1', '203.0.113.0/25', '10.0.0.0/8', '192.0.2.1/40'])}`,
      () => `${sign}ip6:${pick(['2001:db8::/32', '2001:db8::1', 'fe80::/10', '::/0'])}`,
      () => `${sign}include:${pick(['pass.example', 'fail.example', 'ours.example', 'silent.example', 'broken.example', 'i6.example'])}`,
      () => `${sign}exists:${pick(['host.x.example', 'nothing.example', '%{ir}.list.example', '%{l1r-}.%{d}'])}`,
      () => `${sign}ptr${target}`,
      () => pick(['redirect=pass.example', 'redirect=ours.example', 'exp=why.example']),
    ])();
  };
  return Array.from({ length: count }, (_, i) => ({
    about: `chance ${i}`,
    record: [
      'v=spf1',
      ...Array.from({ length: 1 + random(6) }, term),
      ...pick([[], ['future=%{d}']]),
      ...pick([[], ['-all'], ['~all'], ['all']]),
    ].join(' '),
    ip: pick(['192.0.2.1', '192.0.2.77', '198.51.100.1', '203.0.113.7', '10.1.1.1', '2001:db8::1', '2001:db8:1::1', 'fe80::1']),
    result: '',
  }));
}

const python = '/usr/bin/python3';
const isThere = existsSync('/usr/lib/python3/dist-packages/spf.py');
if (!isThere) process.stderr.write('\n!! SKIPPED, since this is not installed: python3-spf\n');

function theirs(cases: readonly SpfCase[]): string[] {
  const input = JSON.stringify(cases.map((each) => ({ ...queryOf(each), zone: zoneOf(each) })));
  const { stdout, stderr } = spawnSync(python, ['-c', OTHER], { input, encoding: 'utf8', maxBuffer: 64 * 1024 * 1024 });
  expect(stderr).not.toMatch(/Traceback/);
  return JSON.parse(stdout) as string[];
}

(isThere ? test : test.skip)('an implementation of someone else comes to the same results', () => {
  const others = theirs(SPF_CASES);
  const differ = SPF_CASES.filter(({ result }, i) => others[i] !== result).map(({ about }) => about);
  expect(differ).toEqual([...DIFFERENT.keys()]);
});

(isThere ? test : test.skip)('so it does for records of chance', async () => {
  const cases = byChance(1500);
  const others = theirs(cases);
  const ours = await Promise.all(cases.map((each) => evaluateSpf({ ...queryOf(each), ask: asking(zoneOf(each)) })));
  const differ = cases.flatMap(({ record, ip }, i) =>
    others[i] === ours[i]?.result
      ? []
      : [`${String(record)} for ${ip ?? ''}: ${ours[i]?.result ?? ''} (${ours[i]?.reason ?? ''}), theirs ${others[i] ?? ''}`],
  );
  expect(differ).toEqual([]);
  expect(new Set(others).size).toBeGreaterThanOrEqual(5);
});
