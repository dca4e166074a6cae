import { spawn, spawnSync } from 'node:child_process';
import { gzipSync } from 'node:zlib';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, RefusedError, type Client, type DomainReports } from '@verbalis/client';
import { startNameServer, type NameServerSimulator } from '@verbalis/simulators';
import { SmtpConnection } from '@verbalis/service/smtp';
import { scaled } from './support/scale.js';
import { DEMO_FOLDER, OPERATOR, ROOT, startTestService, until, type TestService } from './support/service.js';

// Reports of receivers come in as any other email, from anybody: what they hold is read within bounds, or named as unreadable.
const NAME = 'saltmarsh-ferries.example';
let all: TestService;
let operator: Client;
let now: number;

beforeAll(async () => {
  all = await startTestService({
    change: {
      spaces: {
        harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'] },
        elsewhere: { mode: 'capture', senderDomains: [] },
      },
    },
  });
  operator = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
  await operator.domains.add({ name: NAME });
  now = Math.floor(Date.now() / 1000);
});
afterAll(() => all.stop());

interface Row {
  readonly ip: string;
  readonly count: number | string;
  readonly dkim?: 'pass' | 'fail';
  readonly spf?: 'pass' | 'fail';
  readonly disposition?: string;
}

let n = 0;
function dmarcXml(
  rows: readonly Row[],
  { domain = NAME, id = `r${(n += 1)}`, root = '<feedback>', org = 'mailhaus.example', begin = now - 86_400, end = now } = {},
): string {
  const records = rows.map(
    ({ ip, count, dkim = 'fail', spf = 'fail', disposition = 'none' }) =>
      `<record><row><source_ip>${ip}</source_ip><count>${count}</count><policy_evaluated><disposition>${disposition}</disposition><dkim>${dkim}</dkim><spf>${spf}</spf></policy_evaluated></row><identifiers><header_from>${domain}</header_from><envelope_from>returns.${domain}</envelope_from></identifiers><auth_results><dkim><domain>${domain}</domain><selector>s</selector><result>${dkim}</result></dkim><spf><domain>returns.${domain}</domain><result>${spf}</result></spf></auth_results></record>`,
  );
  return `<?xml version="1.0" encoding="UTF-8"?>\n${root}<version>1.0</version><report_metadata><org_name>${org}</org_name><email>dmarc@${org}</email><report_id>${id}</report_id><date_range><begin>${begin}</begin><end>${end}</end></date_range></report_metadata><policy_published><domain>${domain}</domain><adkim>r</adkim><aspf>r</aspf><p>none</p><sp>none</sp><pct>100</pct></policy_published>${records.join('')}</feedback>`;
}

/** An archive as other programs make it. */
function zip(files: Readonly<Record<string, string | Buffer>>): Buffer {
  const script = `
import sys, json, zipfile, io, base64
out = io.BytesIO()
with zipfile.ZipFile(out, 'w', zipfile.ZIP_DEFLATED) as z:
    for name, data in json.load(sys.stdin).items(): z.writestr(name, base64.b64decode(data))
sys.stdout.buffer.write(out.getvalue())`;
  const input = JSON.stringify(
    Object.fromEntries(Object.entries(files).map(([name, data]) => [name, Buffer.from(data).toString('base64')])),
  );
  return spawnSync('/usr/bin/python3', ['-c', script], { input, maxBuffer: 64 * 1024 * 1024 }).stdout;
}

interface Attached {
  readonly type: string;
  readonly bytes: Buffer | string;
  readonly name?: string;
}

function email(attached: readonly Attached[], head = ''): Buffer {
  const parts = attached.map(({ type, bytes, name }) => {
    const disposition = name === undefined ? '' : `Content-Disposition: attachment; filename="${name}"\r\n`;
    return `--b\r\nContent-Type: ${type}\r\n${disposition}Content-Transfer-Encoding: base64\r\n\r\n${Buffer.from(bytes)
      .toString('base64')
      .replace(/(.{76})/g, '$1\r\n')}\r\n`;
  });
  return Buffer.from(
    `From: dmarc@mailhaus.example\r\nSubject: Report ${(n += 1)}\r\n${head}MIME-Version: 1.0\r\nContent-Type: multipart/mixed; boundary=b\r\n\r\n${parts.join('')}--b--\r\n`,
  );
}

/** Brings an email to the listener, and waits until it was read. */
async function bring(
  mail: Buffer,
  to = `dmarc-reports@returns.${NAME}`,
  { service, admin }: { readonly service: TestService; readonly admin: Client } = { service: all, admin: operator },
): Promise<DomainReports['reports']> {
  const before = new Set((await admin.domainReports.get(NAME, { days: 400 })).reports.map(({ returnId }) => returnId));
  const connection = new SmtpConnection({ host: '127.0.0.1', port: service.service.returnsPort, helloName: 'mx.mailhaus.example' });
  expect(await connection.open()).toBe('ready');
  const written = { size: mail.length, utf8: false, chunks: () => [mail] };
  expect((await connection.deliver({ from: '', to }, written)).kind).toBe('accepted');
  connection.close();
  return until(async () => {
    const { reports } = await admin.domainReports.get(NAME, { days: 400 });
    const fresh = reports.filter(({ returnId }) => !before.has(returnId));
    return fresh.length > 0 ? fresh : undefined;
  });
}

const totals = async (): Promise<DomainReports['total']> => (await operator.domainReports.get(NAME, { days: 400 })).total;

describe('reports as receivers send them', () => {
  const forms: readonly (readonly [string, (xml: string) => Attached[]])[] = [
    ['gzip', (xml) => [{ type: 'application/gzip', bytes: gzipSync(xml), name: 'mailhaus!x!1!2.xml.gz' }]],
    ['gzip without a name, as octets', (xml) => [{ type: 'application/octet-stream', bytes: gzipSync(xml) }]],
    ['zip', (xml) => [{ type: 'application/zip', bytes: zip({ 'report.xml': xml }), name: 'report.zip' }]],
    [
      'zip with a folder, called gzip',
      (xml) => [{ type: 'application/gzip', bytes: zip({ 'a/': '', 'a/report.xml': xml }), name: 'report.gz' }],
    ],
    ['plain XML', (xml) => [{ type: 'text/xml', bytes: xml }]],
    [
      'XML beside a text',
      (xml) => [
        { type: 'text/plain; charset=utf-8', bytes: 'A report is attached.' },
        { type: 'application/xml', bytes: xml },
      ],
    ],
    [
      'XML beside HTML',
      (xml) => [
        { type: 'text/html', bytes: '<html><body>A report</body></html>' },
        { type: 'application/gzip', bytes: gzipSync(xml) },
      ],
    ],
    [
      'UTF-16 with a mark',
      (xml) => [
        { type: 'text/xml', bytes: Buffer.concat([Buffer.from([0xff, 0xfe]), Buffer.from(xml.replace('UTF-8', 'UTF-16'), 'utf16le')]) },
      ],
    ],
    ['UTF-8 with a mark', (xml) => [{ type: 'text/xml', bytes: `\ufeff${xml}` }]],
    [
      'the namespace of the successor',
      (xml) => [{ type: 'text/xml', bytes: xml.replace('<feedback>', '<feedback xmlns="urn:ietf:params:xml:ns:dmarc-2.0">') }],
    ],
    [
      'a prefix for every name',
      (xml) => [
        {
          type: 'text/xml',
          bytes: xml
            .replace(/<(\/?)([a-z_]+)/g, '<$1d:$2')
            .replace('<d:feedback', '<d:feedback xmlns:d="urn:ietf:params:xml:ns:dmarc-2.0"'),
        },
      ],
    ],
  ];
  test.each(forms)('%s', async (_name, form) => {
    const before = await totals();
    const [report, ...more] = await bring(
      email(
        form(
          dmarcXml([
            { ip: '192.0.2.1', count: 7, dkim: 'pass' },
            { ip: '2001:db8::1', count: 2 },
          ]),
        ),
      ),
    );
    expect([report, more]).toMatchObject([{ kind: 'dmarc', reporter: 'mailhaus.example' }, []]);
    expect(await totals()).toEqual({ count: before.count + 9, aligned: before.aligned + 7, unproven: 0 });
  });

  test('the same report twice counts once; two in one archive count both', async () => {
    const before = await totals();
    const xml = dmarcXml([{ ip: '192.0.2.1', count: 5, spf: 'pass' }]);
    await bring(email([{ type: 'text/xml', bytes: xml }]));
    const again = await bring(email([{ type: 'application/gzip', bytes: gzipSync(xml) }]));
    expect(again).toMatchObject([{ kind: 'unread', problem: 'It was counted before.' }]);
    expect((await totals()).count).toBe(before.count + 5);
    const two = { 'a.xml': dmarcXml([{ ip: '192.0.2.1', count: 1 }]), 'b.xml': dmarcXml([{ ip: '192.0.2.1', count: 1 }]) };
    expect(await bring(email([{ type: 'application/zip', bytes: zip(two) }]))).toHaveLength(2);
    expect((await totals()).count).toBe(before.count + 7);
  });

  test('a new address that is not authentic is an event; one that is known is none', async () => {
    const events = async (): Promise<Record<string, unknown>[]> =>
      (await operator.events.list({ filter: 'type = unaligned-source' })).events.map(({ data }) => data);
    const before = (await events()).length;
    await bring(email([{ type: 'text/xml', bytes: dmarcXml([{ ip: '203.0.113.77', count: 4, disposition: 'reject' }]) }]));
    await bring(email([{ type: 'text/xml', bytes: dmarcXml([{ ip: '203.0.113.77', count: 9 }]) }]));
    const found = await events();
    expect(found).toHaveLength(before + 1);
    expect(found[0]).toMatchObject({
      domain: NAME,
      sources: [{ source: '203.0.113.77', count: 4 }],
      text: expect.stringContaining('1 new address sends email as'),
    });
    const { sources } = await operator.domainReports.get(NAME);
    expect(sources.find(({ source }) => source === '203.0.113.77')).toMatchObject({ count: 13, aligned: 0, refused: 4, reporters: 1 });
  });

  test('TLS reports', async () => {
    const report = {
      'organization-name': 'Mailhaus',
      'date-range': { 'start-datetime': '2026-11-27T00:00:00Z', 'end-datetime': '2026-11-27T23:59:59Z' },
      'report-id': 'tls-1',
      policies: [
        {
          policy: { 'policy-type': 'no-policy-found', 'policy-domain': `returns.${NAME}` },
          summary: { 'total-successful-session-count': 40, 'total-failure-session-count': 2 },
          'failure-details': [
            { 'result-type': 'certificate-expired', 'failed-session-count': 2, 'receiving-mx-hostname': 'mail.quayside.example' },
          ],
        },
      ],
    };
    const to = `tls-reports@returns.${NAME}`;
    expect(await bring(email([{ type: 'application/tlsrpt+gzip', bytes: gzipSync(JSON.stringify(report)) }]), to)).toMatchObject([
      { kind: 'tls', reporter: 'Mailhaus' },
    ]);
    const { tls } = await operator.domainReports.get(NAME);
    expect(tls).toEqual({
      successful: 40,
      failed: 2,
      failures: [{ result: 'certificate-expired', count: 2, host: 'mail.quayside.example', reporter: 'Mailhaus' }],
    });
  });
});

describe('hostile and odd ones', () => {
  const xml = (rows: readonly Row[] = [{ ip: '192.0.2.9', count: 1 }], options = {}): string => dmarcXml(rows, options);
  const as = (bytes: Buffer | string, type = 'application/gzip'): Attached[] => [{ type, bytes }];
  const billion = `<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "ha">${Array.from({ length: 9 }, (_, i) => `<!ENTITY ${String.fromCharCode(98 + i)} "${`&${String.fromCharCode(97 + i)};`.repeat(10)}">`).join('')}]><feedback>&j;</feedback>`;
  const cases: readonly (readonly [string, () => Attached[], RegExp])[] = [
    ['a gzip bomb', () => as(gzipSync(Buffer.alloc(200_000_000, 32))), /larger than 20 MB/],
    ['a zip bomb', () => as(zip({ 'a.xml': Buffer.alloc(60_000_000, 32) })), /larger than 20 MB/],
    [
      'a bomb of many files',
      () => as(zip(Object.fromEntries(Array.from({ length: 15 }, (_, i) => [`${i}.xml`, Buffer.alloc(2_000_000, 32)])))),
      /larger than 20 MB/,
    ],
    ['gzip in gzip', () => as(gzipSync(gzipSync(xml()))), /neither XML nor JSON/],
    ['gzip cut off', () => as(gzipSync(xml()).subarray(0, 60)), /not valid gzip/],
    ['zip cut off', () => as(zip({ 'a.xml': xml() }).subarray(0, 200)), /not a valid zip/],
    [
      'a zip that lies about its sizes',
      () => {
        const bytes = zip({ 'a.xml': xml() });
        bytes.writeUInt32LE(10, bytes.lastIndexOf('PK\u0001\u0002') + 24);
        return as(bytes);
      },
      /not a valid zip/,
    ],
    [
      'a zip with a hundred files',
      () => as(zip(Object.fromEntries(Array.from({ length: 100 }, (_, i) => [`${i}.txt`, 'x'])))),
      /more than 20 files/,
    ],
    ['an empty zip', () => as(zip({})), /neither XML nor JSON|not a valid zip/],
    ['entities that grow', () => as(billion, 'text/xml'), /document type/],
    [
      'an entity of a file',
      () => as('<?xml version="1.0"?><!DOCTYPE x [<!ENTITY f SYSTEM "file:///etc/passwd">]><feedback>&f;</feedback>', 'text/xml'),
      /document type/,
    ],
    [
      'a document type in capitals and lines',
      () => as('<?xml version="1.0"?>\n<!doctype\nx SYSTEM "http://192.0.2.1/x.dtd"><feedback/>', 'text/xml'),
      /document type/,
    ],
    [
      'elements a hundred thousand deep',
      () => as(gzipSync(`${'<a>'.repeat(100_000)}${'</a>'.repeat(100_000)}`)),
      /nests deeper|could not be read|not XML|longer than|ended|memory|stack/i,
    ],
    ['XML that is not well-formed', () => as('<feedback><a></feedback>', 'text/xml'), /not XML that is well-formed/],
    ['another XML', () => as('<html/>', 'text/xml'), /not a DMARC report/],
    ['nothing in it', () => as('<feedback/>', 'text/xml'), /names no domain/],
    ['no time', () => as(xml().replace(/<date_range>.*<\/date_range>/, ''), 'text/xml'), /names no time/],
    [
      'a time that ends before it begins',
      () => as(xml(undefined, { begin: 1_700_000_000, end: 1_600_000_000 }), 'text/xml'),
      /names no time/,
    ],
    ['a time of the year 9999', () => as(xml(undefined, { begin: 253_402_000_000, end: 253_402_000_001 }), 'text/xml'), /names no time/],
    ['no report id', () => as(xml().replace(/<report_id>.*<\/report_id>/, ''), 'text/xml'), /no report_id/],
    ['rows without addresses', () => as(xml([{ ip: 'everywhere', count: 1 }]), 'text/xml'), /None of its rows/],
    ['counts below zero', () => as(xml([{ ip: '192.0.2.1', count: -5 }]), 'text/xml'), /None of its rows/],
    ['counts beyond all', () => as(xml([{ ip: '192.0.2.1', count: '1e300' }]), 'text/xml'), /None of its rows/],
    [
      'the domain of someone else',
      () => as(xml(undefined, { domain: 'someone-else.example' }), 'text/xml'),
      /someone-else\.example, which is not a domain of this service/,
    ],
    ['the domain above ours', () => as(xml(undefined, { domain: 'example' }), 'text/xml'), /not a domain of this service/],
    ['JSON that is not a TLS report', () => as('{"a": 1}', 'application/tlsrpt+json'), /not a TLS report/],
    ['JSON that is cut off', () => as('{"a": ', 'application/tlsrpt+json'), /not JSON/],
    [
      'JSON of 100,000 levels',
      () => as(`{"a":${'['.repeat(100_000)}${']'.repeat(100_000)}}`, 'application/json'),
      /nests deeper|could not be read|not JSON/,
    ],
    ['a picture', () => as(Buffer.from('89504e470d0a1a0a0000', 'hex'), 'image/png'), /neither XML nor JSON/],
    ['no attachment', () => [{ type: 'text/plain', bytes: 'hello' }], /holds no report/],
    [
      'binary noise called XML',
      () => as(Buffer.from(Array.from({ length: 5000 }, (_, i) => (i * 7919) % 251)), 'application/xml'),
      /neither XML nor JSON|not XML/,
    ],
  ];
  test.each(cases)('%s', async (_name, form, problem) => {
    const before = await totals();
    const found = await bring(email(form()));
    expect(found.map(({ kind }) => kind)).toEqual(found.map(() => 'unread'));
    expect(found[0]?.problem).toMatch(problem);
    expect(await totals()).toEqual(before);
    // What came is kept as it came.
    expect((await operator.returns.source(found[0]?.returnId ?? '')).length).toBeGreaterThan(100);
  });

  test('letters that are no text in names, and words as long as a book', async () => {
    const org = `<![CDATA[${'x'.repeat(5000)}<script>]]>`;
    const [report] = await bring(email(as(xml(undefined, { org }), 'text/xml')));
    expect(report?.kind).toBe('dmarc');
    expect(report?.reporter.length).toBe(255);
  });
});

test('many rows: the figures are those that a count of our own has; on the command line as CSV', async () => {
  const rows = Array.from({ length: scaled(1000, 10_000) }, (_, i): Row => ({
    ip: `198.51.${100 + (i % 3)}.${i % 250}`,
    count: (i % 7) + 1,
    dkim: i % 3 === 0 ? 'pass' : 'fail',
    spf: i % 5 === 0 ? 'pass' : 'fail',
    disposition: i % 11 === 0 ? 'quarantine' : 'none',
  }));
  const before = await totals();
  await bring(email([{ type: 'application/gzip', bytes: gzipSync(dmarcXml(rows)) }]));
  const own = { count: 0, aligned: 0 };
  const bySource = new Map<string, number>();
  for (const { ip, count, dkim, spf } of rows) {
    own.count += Number(count);
    if (dkim === 'pass' || spf === 'pass') own.aligned += Number(count);
    bySource.set(ip, (bySource.get(ip) ?? 0) + Number(count));
  }
  expect(await totals()).toEqual({ count: before.count + own.count, aligned: before.aligned + own.aligned, unproven: 0 });
  // What a key sees: of the domains that its space sends as, and of no others.
  const figures = await all.client.domainReports.alignment({ days: 400 });
  expect(figures.domains).toEqual([{ domain: NAME, ...(await totals()), sources: expect.any(Number) as unknown }]);
  expect((await all.client.domainReports.get(NAME, { days: 400 })).total).toEqual(await totals());
  const other = createClient({ url: all.service.url, key: OPERATOR, space: 'elsewhere' });
  const { key } = await other.keys.add({ name: 'reads', scopes: ['read'] });
  const refused = createClient({ url: all.service.url, key }).domainReports.get(NAME);
  expect(await refused.catch((error: unknown) => error instanceof RefusedError && error.problem.status)).toBe(404);
  const { sources } = await operator.domainReports.get(NAME);
  expect(new Map(sources.filter(({ source }) => source.startsWith('198.51.')).map(({ source, count }) => [source, count]))).toEqual(
    bySource,
  );
  const run = async (...args: string[]): Promise<string> => {
    const child = spawn(process.execPath, [join(ROOT, 'packages/cli/bin/verbalis.js'), 'domains', 'reports', NAME, ...args], {
      env: { PATH: process.env['PATH'], VERBALIS_URL: all.service.url, VERBALIS_KEY: OPERATOR },
    });
    let out = '';
    child.stdout.on('data', (bytes: Buffer) => (out += bytes.toString()));
    await new Promise((done) => child.on('close', done));
    return out;
  };
  expect((await run('--format', 'csv')).split('\r\n')[0]).toBe(
    'source,count,aligned,dkim,spf,refused,unproven,reporters,envelopeFrom,last',
  );
  expect(await run()).toMatch(/emails reported, [\d.]+% authentic\.\nsent from/);
});

describe('who sent a report', () => {
  let names: NameServerSimulator;
  let service: TestService;
  let admin: Client;
  beforeAll(async () => {
    names = await startNameServer();
    service = await startTestService({
      change: {
        dns: { servers: [`127.0.0.1:${names.port}`], port: names.port, waitSeconds: 2 },
        spaces: { harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'], unsigned: true } },
      },
    });
    admin = createClient({ url: service.service.url, key: OPERATOR, space: 'harbour' });
    await admin.domains.add({ name: NAME });
  });
  afterAll(async () => {
    await service.stop();
    await names.close();
  });
  const zone = (spf: string): void => {
    names.setZone('mailhaus.example', [
      { name: '_dmarc.mailhaus.example', type: 'TXT', value: 'v=DMARC1; p=reject' },
      { name: 'mx.mailhaus.example', type: 'TXT', value: spf },
    ]);
  };
  const brought = (ip: string, count: number) =>
    bring(email([{ type: 'text/xml', bytes: dmarcXml([{ ip, count }]) }]), undefined, { service, admin });

  test('one that passes DMARC is proven; one in the name of another is counted, and named', async () => {
    zone('v=spf1 ip4:127.0.0.1 -all');
    expect((await brought('203.0.113.1', 4))[0]?.proof).toMatchObject({ state: 'proven', domain: 'mailhaus.example' });
    zone('v=spf1 ip4:192.0.2.1 -all');
    expect((await brought('203.0.113.2', 3))[0]?.proof).toMatchObject({ state: 'unproven', domain: 'mailhaus.example' });
    const { total, sources } = await admin.domainReports.get(NAME);
    expect(total).toEqual({ count: 7, aligned: 0, unproven: 3 });
    expect(sources.map(({ source, unproven }) => [source, unproven])).toEqual([
      ['203.0.113.1', 0],
      ['203.0.113.2', 3],
    ]);
    const { events } = await admin.events.list({ filter: 'type = unaligned-source' });
    expect(events.map(({ data }) => [data['proven'], data['text']])).toEqual([
      [false, expect.stringContaining('by a report that calls itself mailhaus.example without proof: 203.0.113.2')],
      [true, expect.stringContaining('by a report of mailhaus.example: 203.0.113.1')],
    ]);
  });
});
