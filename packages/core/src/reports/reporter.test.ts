import { generateKeyPairSync } from 'node:crypto';
import { expect, test } from '@jest/globals';
import type { DnsAsk } from '../authentication/index.js';
import { importKey, recordOf, signMail } from '../dkim/index.js';
import { bytesOf } from '../mime/index.js';
import { proveReporter, type ReporterProof } from './index.js';

const NOW = 1_764_374_400;
const key = importKey('ed25519-sha256', generateKeyPairSync('ed25519').privateKey.export({ type: 'pkcs8', format: 'pem' }) as string);
const ZONE: Readonly<Record<string, string>> = {
  '_dmarc.mailhaus.example': 'v=DMARC1; p=reject',
  'mx.mailhaus.example': 'v=spf1 ip4:192.0.2.1 -all',
  'k._domainkey.mailhaus.example': recordOf('ed25519-sha256', key),
  'mx.fjordpost.example': 'v=spf1 ip4:192.0.2.1 -all',
  '_dmarc.silent.example': '!',
};
const asking =
  (zone: Readonly<Record<string, string>>): DnsAsk =>
  (name, type) => {
    const text = type === 'TXT' ? zone[name] : undefined;
    if (text === '!') return Promise.resolve({ status: 'failed' });
    return Promise.resolve(text === undefined ? { status: 'none' } : { status: 'found', records: [text] });
  };
const mailFrom = (...from: readonly string[]): Buffer =>
  Buffer.from(`${from.map((author) => `From: ${author}\r\n`).join('')}Subject: A report\r\n\r\nIt is attached.\r\n`);
const signed = async (mail: Buffer, domain = 'mailhaus.example'): Promise<Buffer> =>
  Buffer.concat([
    Buffer.from(await signMail(bytesOf(mail), [{ domain, selector: 'k', algorithm: 'ed25519-sha256', key }], NOW * 1000)),
    mail,
  ]);
/** From a server that no SPF record allows, unless another address is given. */
const prove = (bytes: Buffer, { address = '198.51.100.9', hello = 'mx.mailhaus.example', zone = ZONE } = {}): Promise<ReporterProof> =>
  proveReporter({ bytes, envelopeFrom: '', hello, address }, { ask: asking(zone), seconds: NOW });

const OWN = mailFrom('Mailhaus <dmarc@mailhaus.example>');

test('SPF of the server proves a report that comes from the null path; its signature does, whichever server brought it', async () => {
  expect(await prove(OWN, { address: '192.0.2.1' })).toMatchObject({ state: 'proven', domain: 'mailhaus.example' });
  expect(await prove(await signed(OWN))).toMatchObject({ state: 'proven', domain: 'mailhaus.example' });
});

test('a report in the name of someone else is not proven, and why is said', async () => {
  expect(await prove(OWN)).toEqual({ state: 'unproven', domain: 'mailhaus.example', reason: expect.stringMatching(/No signature/) });
  expect(await prove(await signed(OWN, 'fjordpost.example'))).toMatchObject({ state: 'unproven' });
  // Signed, then changed.
  const altered = Buffer.from((await signed(OWN)).toString('latin1').replace('attached', 'altered!'), 'latin1');
  expect(await prove(altered)).toMatchObject({ state: 'unproven' });
});

test.each([
  ['no author', mailFrom()],
  ['two From fields', mailFrom('dmarc@mailhaus.example', 'dmarc@curlew-charters.example')],
  ['two authors in one field', mailFrom('dmarc@mailhaus.example, dmarc@curlew-charters.example')],
  ['no mail at all', Buffer.from('<feedback/>')],
])('%s proves nothing', async (_name, bytes) => {
  expect(await prove(bytes, { address: '192.0.2.1' })).toEqual({ state: 'unproven', reason: 'The email names no single author.' });
});

test('a receiver without a DMARC record cannot prove its reports', async () => {
  const bytes = mailFrom('dmarc@fjordpost.example');
  expect(await prove(bytes, { address: '192.0.2.1', hello: 'mx.fjordpost.example' })).toEqual({
    state: 'unproven',
    domain: 'fjordpost.example',
    reason: expect.stringMatching(/DMARC record/),
  });
});

test('where name servers do not answer nothing is known', async () => {
  expect(await prove(mailFrom('dmarc@silent.example'))).toMatchObject({ state: 'unknown', domain: 'silent.example' });
  // The signature may be right: its key could not be read.
  expect(await prove(await signed(OWN), { zone: { ...ZONE, 'k._domainkey.mailhaus.example': '!' } })).toMatchObject({ state: 'unknown' });
});
