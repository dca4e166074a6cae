import { expect, test } from '@jest/globals';
import { diagnose } from './diagnose.js';
import type { DoctorFacts } from './facts.js';

const DAY = 86_400_000;
const NOW = Date.parse('2026-11-30T08:00:00Z');
const GIB = 1024 ** 3;

/** A service with nothing left to do. */
const HEALTHY: DoctorFacts = {
  now: NOW,
  node: '22.11.0',
  files: [{ name: 'the secrets file', path: '/srv/verbalis.secrets.json', mode: 0o100600, hasSecrets: true }],
  chosenSecret: undefined,
  publicUrl: 'https://mail.saltmarsh-ferries.example',
  hasProxies: true,
  listening: [{ name: 'The console and the API', host: '127.0.0.1', port: 8620, takesSecrets: true, hasTls: true }],
  spaces: [
    { name: 'harbour', delivers: true, providers: ['relay'], unsignedDomains: [], optionalTopics: ['pier-news'], isPublished: true },
  ],
  providers: [{ name: 'relay', isOutside: true, isUsed: true, hasAccepted: true, trouble: undefined, isInTheOpen: false }],
  records: { activeKeys: 1, people: 2, quarantined: 0, newestAt: NOW - 1000 },
  backups: { folder: '/backups', lastAt: NOW - DAY, isCopying: false },
  cluster: undefined,
  disk: { path: '/srv', freeBytes: 40 * GIB, totalBytes: 100 * GIB },
  linkSpace: undefined,
  canSendLinks: true,
};

test('a service with nothing left to do has only good findings, each with a title', () => {
  const findings = diagnose(HEALTHY);
  expect(findings.map(({ level }) => level)).toEqual(findings.map(() => 'good'));
  expect(findings.length).toBeGreaterThanOrEqual(7);
});

const space = { ...HEALTHY.spaces[0]! };
const relay = { ...HEALTHY.providers[0]! };
test.each<[string, 'must' | 'should', Partial<DoctorFacts>]>([
  ['runtime', 'should', { node: '20.20.2' }],
  ['runtime', 'should', { node: '23.1.0' }],
  ['operator-secret', 'must', { chosenSecret: 'aaaaaaaaaaaaaaaaaaaaaaaaaaaa' }],
  ['operator-secret', 'must', { chosenSecret: 'the-secret-of-this-service-1' }],
  ['file-modes', 'must', { files: [{ ...HEALTHY.files[0]!, mode: 0o100644 }] }],
  ['file-modes', 'should', { files: [{ ...HEALTHY.files[0]!, mode: 0o100640, hasSecrets: false }] }],
  ['open-listener', 'must', { listening: [{ ...HEALTHY.listening[0]!, host: '0.0.0.0', hasTls: false }] }],
  ['proxies', 'should', { listening: [{ ...HEALTHY.listening[0]!, host: '0.0.0.0' }], hasProxies: false }],
  ['link-address', 'should', { publicUrl: undefined, spaces: [{ ...space, optionalTopics: [] }] }],
  ['link-space', 'must', { linkSpace: 'drydock', canSendLinks: false }],
  ['unsigned-domain', 'must', { spaces: [{ ...space, unsignedDomains: ['saltmarsh-ferries.example'] }] }],
  ['no-edition', 'should', { spaces: [{ ...space, isPublished: false }] }],
  ['no-route', 'must', { spaces: [{ ...space, providers: [] }] }],
  ['provider-trouble', 'must', { providers: [{ ...relay, trouble: 'It refuses the password.' }] }],
  ['provider-untested', 'should', { providers: [{ ...relay, hasAccepted: false }] }],
  ['provider-in-the-open', 'should', { providers: [{ ...relay, isInTheOpen: true }] }],
  ['clock', 'must', { records: { ...HEALTHY.records!, newestAt: NOW + DAY } }],
  ['disk', 'must', { disk: { path: '/srv', freeBytes: GIB / 10, totalBytes: 100 * GIB } }],
  ['disk', 'should', { disk: { path: '/srv', freeBytes: 4 * GIB, totalBytes: 100 * GIB } }],
  ['cluster-standby', 'must', { cluster: { servers: 3, trouble: 'No standby could take over.', isKnown: true, isSafe: true } }],
  ['cluster-brokers', 'should', { cluster: { servers: 1, trouble: undefined, isKnown: true, isSafe: true } }],
  ['cluster-open', 'must', { cluster: { servers: 3, trouble: undefined, isKnown: true, isSafe: false } }],
  ['backup', 'must', { backups: { folder: undefined, lastAt: undefined, isCopying: false } }],
  ['backup', 'must', { backups: { folder: '/backups', lastAt: NOW - 8 * DAY, isCopying: false } }],
  ['backup', 'should', { backups: { folder: undefined, lastAt: undefined, isCopying: false }, spaces: [{ ...space, delivers: false }] }],
  ['no-key', 'should', { records: { ...HEALTHY.records!, activeKeys: 0 } }],
  ['no-people', 'should', { records: { ...HEALTHY.records!, people: 0 } }],
  ['quarantine', 'should', { records: { ...HEALTHY.records!, quarantined: 3 } }],
])('%s (%s) is found, with what to do', (code, level, change) => {
  const open = diagnose({ ...HEALTHY, ...change }).filter((finding) => finding.level !== 'good');
  expect(open.map((finding) => [finding.code, finding.level])).toEqual([[code, level]]);
  expect(open[0]?.hint).toBeDefined();
});

test('without publicUrl, optional email cannot be sent', () => {
  const [first] = diagnose({ ...HEALTHY, publicUrl: undefined });
  expect(first).toMatchObject({ code: 'public-url', level: 'must', detail: expect.stringContaining('pier-news') });
});

test('what must be done stands first; no secret is shown', () => {
  const secret = 'password-password-password';
  const findings = diagnose({ ...HEALTHY, node: '20.20.2', chosenSecret: secret, records: undefined });
  expect(findings[0]?.code).toBe('operator-secret');
  expect(JSON.stringify(findings)).not.toContain(secret);
});

test('what is not known is not called good', () => {
  const findings = diagnose({ ...HEALTHY, spaces: [{ ...space, unsignedDomains: undefined }] });
  expect(findings.map(({ code }) => code)).not.toContain('unsigned-domain');
});
