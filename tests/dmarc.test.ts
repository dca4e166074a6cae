import { expect, test } from '@jest/globals';
import { evaluateDmarc, organizationalDomain, type DmarcInput, type DnsAsk } from '@verbalis/core/authentication';

type Zone = Readonly<Record<string, readonly string[] | '!'>>;

/** Name servers with TXT records; other records are there for the names in `hosts`. "!" for those that do not answer. */
function asking(zone: Zone, hosts: readonly string[] = []): DnsAsk & { readonly asked: string[] } {
  const asked: string[] = [];
  const ask: DnsAsk = (name, type) => {
    asked.push(`${name} ${type}`);
    const records = type === 'TXT' ? zone[name] : hosts.includes(name) ? ['192.0.2.1'] : undefined;
    if (records === '!') return Promise.resolve({ status: 'failed' });
    return Promise.resolve(records === undefined ? { status: 'none', isNameMissing: !hosts.includes(name) } : { status: 'found', records });
  };
  return Object.assign(ask, { asked });
}

const ORG = { '_dmarc.ferries.example': ['v=DMARC1; p=reject; sp=quarantine; np=reject'] };
const pass = (...domains: string[]): DmarcInput['dkim'] => domains.map((domain) => ({ result: 'pass', domain }));
const none: DmarcInput['spf'] = { result: 'none', domain: 'ferries.example' };
const spf = (domain: string, result: DmarcInput['spf']['result'] = 'pass'): DmarcInput['spf'] => ({ result, domain });

interface Case {
  readonly from?: string;
  readonly zone?: Zone;
  readonly hosts?: readonly string[];
  readonly dkim?: DmarcInput['dkim'];
  readonly spf?: DmarcInput['spf'];
}

const CASES: readonly (readonly [name: string, given: Case, result: string, policy: string | undefined, reason?: RegExp])[] = [
  ['a signature of the domain', { dkim: pass('ferries.example') }, 'pass', 'reject', /the signature of ferries\.example is aligned/],
  ['one of a subdomain', { dkim: pass('mail.ferries.example') }, 'pass', 'reject'],
  [
    'one of the domain above',
    { from: 'news.ferries.example', dkim: pass('ferries.example'), hosts: ['news.ferries.example'] },
    'pass',
    'quarantine',
  ],
  ['one of a sibling', { from: 'a.ferries.example', dkim: pass('b.ferries.example'), hosts: ['a.ferries.example'] }, 'pass', 'quarantine'],
  [
    'one of someone else',
    { dkim: pass('provider.example') },
    'fail',
    'reject',
    /signature of provider\.example holds, and not for ferries\.example/,
  ],
  ['one that only looks alike', { dkim: pass('evilferries.example') }, 'fail', 'reject'],
  [
    'one that fails',
    { dkim: [{ result: 'fail', domain: 'ferries.example' }] },
    'fail',
    'reject',
    /No signature of ferries\.example is valid/,
  ],
  ['one that cannot be told', { dkim: [{ result: 'temperror', domain: 'ferries.example' }] }, 'fail', 'reject'],
  ['one without a domain', { dkim: [{ result: 'permerror', domain: undefined }] }, 'fail', 'reject'],
  ['two, of which one is aligned', { dkim: pass('provider.example', 'ferries.example') }, 'pass', 'reject'],
  ['written in other letters', { from: 'Ferries.Example', dkim: pass('FERRIES.example') }, 'pass', 'reject'],
  ['with a dot at the end', { from: 'ferries.example.', dkim: pass('ferries.example') }, 'pass', 'reject'],
  ['SPF of the domain', { spf: spf('ferries.example') }, 'pass', 'reject', /SPF of ferries\.example is aligned/],
  ['SPF of a return-path host', { spf: spf('returns.ferries.example') }, 'pass', 'reject'],
  ['SPF of a provider', { spf: spf('bounces.provider.example') }, 'fail', 'reject', /SPF of bounces\.provider\.example holds, and not for/],
  ['SPF that fails', { spf: spf('ferries.example', 'fail') }, 'fail', 'reject'],
  ['SPF that softly fails', { spf: spf('ferries.example', 'softfail') }, 'fail', 'reject'],
  ['SPF that is neutral', { spf: spf('ferries.example', 'neutral') }, 'fail', 'reject'],
  ['SPF that cannot be told', { spf: spf('ferries.example', 'temperror') }, 'fail', 'reject'],
  ['both', { dkim: pass('ferries.example'), spf: spf('ferries.example') }, 'pass', 'reject', /and SPF of ferries\.example are aligned/],
  ['nothing', {}, 'fail', 'reject'],
  ['both of others', { dkim: pass('a.example'), spf: spf('b.example') }, 'fail', 'reject', /and SPF of b\.example hold, and not for/],
  [
    'strict DKIM, the domain',
    { zone: { '_dmarc.ferries.example': ['v=DMARC1; p=reject; adkim=s'] }, dkim: pass('ferries.example') },
    'pass',
    'reject',
  ],
  [
    'strict DKIM, a subdomain',
    { zone: { '_dmarc.ferries.example': ['v=DMARC1; p=reject; adkim=s'] }, dkim: pass('mail.ferries.example') },
    'fail',
    'reject',
  ],
  [
    'strict SPF, the domain',
    { zone: { '_dmarc.ferries.example': ['v=DMARC1; p=reject; aspf=s'] }, spf: spf('ferries.example') },
    'pass',
    'reject',
  ],
  [
    'strict SPF, a subdomain',
    { zone: { '_dmarc.ferries.example': ['v=DMARC1; p=reject; aspf=s'] }, spf: spf('returns.ferries.example') },
    'fail',
    'reject',
  ],
  [
    'strict SPF says nothing of DKIM',
    { zone: { '_dmarc.ferries.example': ['v=DMARC1; p=reject; aspf=s'] }, dkim: pass('mail.ferries.example') },
    'pass',
    'reject',
  ],
  ['no record', { zone: {} }, 'none', undefined, /Neither ferries\.example has a DMARC record|ferries\.example/],
  ['no record under or above', { from: 'a.ferries.example', zone: {} }, 'none', undefined],
  ['no answer', { zone: { '_dmarc.ferries.example': '!' } }, 'temperror', undefined, /did not answer/],
  ['no answer above', { from: 'a.ferries.example', zone: { '_dmarc.ferries.example': '!' } }, 'temperror', undefined],
  [
    'no answer about the one that signed',
    { zone: { ...ORG, '_dmarc.provider.example': '!' }, dkim: pass('provider.example') },
    'temperror',
    undefined,
  ],
  ['two records', { zone: { '_dmarc.ferries.example': ['v=DMARC1; p=reject', 'v=DMARC1; p=none'] } }, 'none', undefined],
  ['a record beside another text', { zone: { '_dmarc.ferries.example': ['hello', 'v=DMARC1; p=none'] } }, 'fail', 'none'],
  ['a version in small letters', { zone: { '_dmarc.ferries.example': ['v=dmarc1; p=reject'] } }, 'none', undefined],
  ['a version at the end', { zone: { '_dmarc.ferries.example': ['p=reject; v=DMARC1'] } }, 'none', undefined],
  ['a version with a longer name', { zone: { '_dmarc.ferries.example': ['v=DMARC10; p=reject'] } }, 'none', undefined],
  ['white space around the version', { zone: { '_dmarc.ferries.example': ['v = DMARC1 ; p = reject'] } }, 'fail', 'reject'],
  ['a record in quotes', { zone: { '_dmarc.ferries.example': ['"v=DMARC1; p=reject"'] } }, 'none', undefined],
  ['no policy', { zone: { '_dmarc.ferries.example': ['v=DMARC1'] } }, 'none', undefined],
  ['no policy, but reports', { zone: { '_dmarc.ferries.example': ['v=DMARC1; rua=mailto:dmarc@ferries.example'] } }, 'fail', 'none'],
  ['an unknown policy', { zone: { '_dmarc.ferries.example': ['v=DMARC1; p=refuse'] } }, 'none', undefined],
  [
    'an unknown policy with reports',
    { zone: { '_dmarc.ferries.example': ['v=DMARC1; p=refuse; rua=mailto:d@ferries.example!10m'] } },
    'fail',
    'none',
  ],
  ['a policy in large letters', { zone: { '_dmarc.ferries.example': ['v=DMARC1; p=REJECT'] } }, 'fail', 'reject'],
  ['unknown tags', { zone: { '_dmarc.ferries.example': ['v=DMARC1; p=reject; pct=50; ri=3600; zz=1'] } }, 'fail', 'reject'],
  ['a tag twice', { zone: { '_dmarc.ferries.example': ['v=DMARC1; p=reject; p=none'] } }, 'none', undefined],
  ['an empty tag', { zone: { '_dmarc.ferries.example': ['v=DMARC1; p=reject;; rua='] } }, 'none', undefined],
  ['an existing subdomain', { from: 'a.ferries.example', hosts: ['a.ferries.example'] }, 'fail', 'quarantine'],
  ['a subdomain that does not exist', { from: 'a.ferries.example' }, 'fail', 'reject'],
  [
    'no np: sp counts',
    { from: 'a.ferries.example', zone: { '_dmarc.ferries.example': ['v=DMARC1; p=reject; sp=quarantine'] } },
    'fail',
    'quarantine',
  ],
  [
    'neither np nor sp: p counts',
    { from: 'a.ferries.example', zone: { '_dmarc.ferries.example': ['v=DMARC1; p=reject'] } },
    'fail',
    'reject',
  ],
  [
    'a subdomain with a record of its own',
    { from: 'a.ferries.example', zone: { ...ORG, '_dmarc.a.ferries.example': ['v=DMARC1; p=none'] } },
    'fail',
    'none',
  ],
  [
    'that record says nothing of whom it belongs to',
    { from: 'a.ferries.example', zone: { ...ORG, '_dmarc.a.ferries.example': ['v=DMARC1; p=none'] }, dkim: pass('ferries.example') },
    'pass',
    'none',
  ],
  [
    'unless it says that it is a domain of its own',
    { from: 'a.ferries.example', zone: { ...ORG, '_dmarc.a.ferries.example': ['v=DMARC1; p=none; psd=n'] }, dkim: pass('ferries.example') },
    'fail',
    'none',
  ],
  [
    'under a public suffix: neighbours are others',
    { from: 'one.city.example', zone: { '_dmarc.city.example': ['v=DMARC1; p=reject; psd=y'] }, dkim: pass('two.city.example') },
    'fail',
    'reject',
  ],
  [
    'under a public suffix: its own subdomain',
    { from: 'one.city.example', zone: { '_dmarc.city.example': ['v=DMARC1; p=reject; psd=y'] }, dkim: pass('mail.one.city.example') },
    'pass',
    'reject',
  ],
  [
    'the public suffix itself',
    { from: 'city.example', zone: { '_dmarc.city.example': ['v=DMARC1; p=reject; psd=y'] }, dkim: pass('city.example') },
    'pass',
    'reject',
  ],
  ['a name of many labels', { from: `${'a.'.repeat(20)}ferries.example`, dkim: pass('ferries.example') }, 'pass', 'reject'],
  ['a From that is no domain', { from: 'x..example' }, 'permerror', undefined],
  ['a From without a domain', { from: '' }, 'permerror', undefined],
  ['a From that is too long', { from: `${'l'.repeat(64)}.example` }, 'permerror', undefined],
];

test('there are cases enough', () => expect(CASES.length).toBeGreaterThanOrEqual(60));

test.each(CASES)(
  '%s',
  async (_name, { from = 'ferries.example', zone = ORG, hosts = [], dkim = [], spf: sent = none }, result, policy, reason = /\S\.$/) => {
    const verdict = await evaluateDmarc({ from, dkim, spf: sent, ask: asking(zone, hosts) });
    expect([verdict.result, verdict.policy]).toEqual([result, policy]);
    expect(verdict.reason).toMatch(reason);
  },
);

test('the way up asks eight times at most, and each name once', async () => {
  const from = `${'a.'.repeat(40)}ferries.example`;
  const ask = asking({});
  await evaluateDmarc({ from, dkim: pass(from), spf: spf(from), ask });
  expect(ask.asked.filter((name) => name.endsWith('TXT'))).toHaveLength(8);
  expect(new Set(ask.asked).size).toBe(ask.asked.length);
});

test.each<[domain: string, zone: Zone, organizational: string | undefined]>([
  ['a.b.ferries.example', ORG, 'ferries.example'],
  ['a.b.ferries.example', {}, 'a.b.ferries.example'],
  ['a.b.ferries.example', { ...ORG, '_dmarc.b.ferries.example': ['v=DMARC1; p=none; psd=n'] }, 'b.ferries.example'],
  ['a.b.city.example', { '_dmarc.city.example': ['v=DMARC1; p=none; psd=y'] }, 'b.city.example'],
  ['a.b.city.example', { '_dmarc.example': ['v=DMARC1; p=none; psd=y'], '_dmarc.a.b.city.example': ['v=DMARC1; p=none'] }, 'city.example'],
  ['a.b.city.example', { '_dmarc.city.example': '!' }, undefined],
])('the domain that answers for %s', async (domain, zone, organizational) => {
  expect(await organizationalDomain(domain, asking(zone))).toBe(organizational);
});
