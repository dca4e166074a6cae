import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, expect } from '@jest/globals';
import { createClient, type Client, type DomainVerification } from '@verbalis/client';
import { startNameServer, type NameServerSimulator, type SimulatedRecord } from '@verbalis/simulators';
import { needs } from './support/browser.js';
import { freePort, POSTFIX, startPostfix, type Postfix } from './support/postfix.js';
import { makeCertificates } from './support/secure.js';
import { OPERATOR, ROOT, startTestService, temporaryFolder, until, type TestService } from './support/service.js';

// A test email goes through a real relay, comes back to the service's own listener, and is judged as a receiver would.
const NAME = 'saltmarsh-ferries.example';
const verifyTest = needs(POSTFIX);
let names: NameServerSimulator;
let certificates: { readonly certFile: string; readonly keyFile: string };
const folder = temporaryFolder();
let all: TestService;
let operator: Client;
let relay: Postfix;
let zone: SimulatedRecord[];

beforeAll(async () => {
  names = await startNameServer();
  certificates = makeCertificates(folder.path, 'mail.quayside.example');
});
afterAll(async () => {
  await names.close();
  folder.remove();
});
afterEach(async () => {
  relay.stop();
  await all.stop();
});

interface Setup {
  readonly tls?: boolean;
  readonly changesBodies?: boolean;
  /** Records as they are entered. */
  readonly change?: (record: SimulatedRecord) => SimulatedRecord[];
}

async function start({ tls = true, changesBodies = false, change = (record) => [record] }: Setup = {}): Promise<void> {
  const returnsPort = await freePort();
  const routes = { [`returns.${NAME}`]: returnsPort, 'returns.quayside.example': returnsPort };
  relay = await startPostfix({ mailboxes: [], routes, changesBodies });
  all = await startTestService({
    change: {
      dns: { servers: [`127.0.0.1:${names.port}`], port: names.port, waitSeconds: 2 },
      returns: {
        port: returnsPort,
        name: 'mail.quayside.example',
        domain: 'returns.quayside.example',
        ...(tls ? { tls: { certFile: certificates.certFile, keyFile: certificates.keyFile } } : {}),
      },
      providers: { relay: { kind: 'smtp', host: '127.0.0.1', port: relay.port, facts: { spf: ['ip4:127.0.0.1'] } } },
    },
  });
  operator = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
  const { records } = await operator.domains.add({ name: NAME });
  names.setZone('quayside.example', [
    { name: 'mail.quayside.example', type: 'A', value: '127.0.0.1' },
    { name: 'returns.quayside.example', type: 'TXT', value: 'v=spf1 ip4:127.0.0.1 -all' },
  ]);
  zone = records.map(({ name, type, value, priority }): SimulatedRecord => ({
    name,
    type,
    value: type === 'MX' ? `${priority ?? 0} ${value}` : value,
  }));
  names.setZone(NAME, zone.flatMap(change), 0);
  await operator.domains.check(NAME);
}

async function verified(): Promise<DomainVerification> {
  await operator.domains.verify(NAME);
  return until(async () => {
    const outcome = await operator.domains.verification(NAME);
    return outcome.state === 'under-way' ? undefined : outcome;
  });
}

const states = ({ results }: DomainVerification): Record<string, string> =>
  Object.fromEntries(results.map(({ check, state }) => [check, state]));
const words = ({ results }: DomainVerification, check: string): string =>
  results
    .filter((result) => result.check === check)
    .map(({ sentence, hint = '' }) => `${sentence} ${hint}`)
    .join('\n');
const RIGHT = { dkim: 'right', spf: 'right', dmarc: 'right', tls: 'right', unsubscribe: 'right', path: 'right' };

verifyTest('where all is right, all is right; on the command line, too', async () => {
  await start();
  const outcome = await verified();
  expect(outcome.results.filter(({ state }) => state !== 'right')).toEqual([]);
  expect(states(outcome)).toEqual(RIGHT);
  expect(outcome.results.filter(({ check }) => check === 'dkim')).toHaveLength(2);
  expect(words(outcome, 'spf')).toContain(`SPF of returns.${NAME} says pass for 127.0.0.1`);
  expect(words(outcome, 'path')).toContain('mx.postfix.example');
  const child = spawn(process.execPath, [join(ROOT, 'packages/cli/bin/verbalis.js'), 'domains', 'verify', NAME], {
    env: { PATH: process.env['PATH'], VERBALIS_URL: all.service.url, VERBALIS_KEY: OPERATOR },
  });
  let out = '';
  child.stdout.on('data', (bytes: Buffer) => (out += bytes.toString()));
  expect(await new Promise((done) => child.on('close', done))).toBe(0);
  expect(out).toMatch(/The test email arrived after [\d.]+ s\.[^]*✓ dmarc[^]*Email of saltmarsh-ferries\.example is authentic\./);
});

verifyTest('a relay that changes the body: the signatures do not hold, SPF still carries DMARC', async () => {
  await start({ changesBodies: true });
  const outcome = await verified();
  expect(states(outcome)).toEqual({ ...RIGHT, dkim: 'wrong', dmarc: 'advice', unsubscribe: 'advice' });
  expect(words(outcome, 'dkim')).toMatch(
    /The body was changed after it was signed\. Something on the way changes the content, such as a footer/,
  );
  expect(words(outcome, 'dmarc')).toContain('Only SPF carries DMARC');
});

verifyTest('another key under the selectors', async () => {
  await start();
  // It was right when signing began.
  const other = 'v=DKIM1; k=ed25519; p=11qYAYKxCrfVS/7TyWQHOg7hcvPapiMlrwIaaPcHURo=';
  names.setZone(
    NAME,
    zone.map((record) => (record.name.includes('_domainkey') ? { ...record, value: other } : record)),
    0,
  );
  const outcome = await verified();
  expect(states(outcome)).toEqual({ ...RIGHT, dkim: 'wrong', dmarc: 'advice', unsubscribe: 'advice' });
  expect(words(outcome, 'dkim')).toMatch(/does not hold/);
});

verifyTest('a return path at another domain: SPF passes and is not aligned', async () => {
  await start({ change: (record) => (record.type === 'MX' ? [] : [record]) });
  const outcome = await verified();
  expect(states(outcome)).toEqual({ ...RIGHT, dmarc: 'advice' });
  expect(words(outcome, 'dmarc')).toContain('SPF is not aligned: the return path is at returns.quayside.example');
});

verifyTest('no TLS on the way to us', async () => {
  await start({ tls: false });
  const outcome = await verified();
  expect(states(outcome)).toEqual({ ...RIGHT, tls: 'advice' });
  expect(words(outcome, 'tls')).toContain('This listener offers no TLS: set returns.tls');
});

verifyTest('nothing is published but the MX record: nothing is authentic', async () => {
  await start({ change: (record) => (record.type === 'MX' || record.name.startsWith('_dmarc.') ? [record] : []) });
  const outcome = await verified();
  expect(states(outcome)).toMatchObject({ dkim: 'wrong', dmarc: 'wrong' });
  expect(words(outcome, 'dkim')).toContain(`There is no signature of ${NAME}.`);
});

verifyTest('an email that does not come back', async () => {
  await start();
  relay.stop();
  await operator.domains.verify(NAME);
  const outcome = await until(async () => {
    const now = await operator.domains.verification(NAME);
    return now.delivery?.diagnostic === undefined ? undefined : now;
  });
  expect(outcome).toMatchObject({
    state: 'under-way',
    delivery: { state: expect.stringMatching(/queued|delayed/), diagnostic: expect.stringContaining('Connection refused') },
  });
  expect(outcome.results).toEqual([]);
  await expect(operator.domains.verify(NAME, { space: 'drydock' })).rejects.toMatchObject({
    problem: { type: expect.stringContaining('no-space') },
  });
});
