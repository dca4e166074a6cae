import { gzipSync } from 'node:zlib';
import type { Client, DomainView } from '@verbalis/client';
import { writeMail } from '@verbalis/core/mime';
import { SmtpConnection } from '@verbalis/service/smtp';
import { startNameServer, type NameServerSimulator, type SimulatedRecord } from '@verbalis/simulators';

const OWN = 'saltmarsh-ferries.example';
/** The domain whose owner made three mistakes. */
const FAULTY = 'curlew-charters.example';

/** The hosts that the records of the demo lead to. */
function others(names: NameServerSimulator): void {
  const at = (name: string): SimulatedRecord => ({ name, type: 'A', value: '127.0.0.1' });
  const spf = (name: string): SimulatedRecord => ({ name, type: 'TXT', value: 'v=spf1 ip4:127.0.0.1 -all' });
  names.setZone('north-relay.example', [spf('spf.north-relay.example'), at('mx.north-relay.example')]);
  names.setZone('south-relay.example', [spf('spf.south-relay.example'), at('mx.south-relay.example')]);
  // Its reports come from the null path, so SPF is asked about the name of its server.
  names.setZone('fjordpost.example', [
    spf('mx.fjordpost.example'),
    { name: '_dmarc.fjordpost.example', type: 'TXT', value: 'v=DMARC1; p=reject' },
  ]);
}

const entered = ({ records }: DomainView): SimulatedRecord[] =>
  records.map(({ name, type, value, priority }) => ({ name, type, value: type === 'MX' ? `${priority ?? 0} ${value}` : value }));

/** Three mistakes that people make: the zone twice in a name, a key that was cut off, an MX record that leads to an address. */
function mistaken(record: SimulatedRecord): SimulatedRecord {
  if (record.type === 'MX') return { ...record, value: '10 127.0.0.1' };
  if (record.value.startsWith('v=DKIM1; k=rsa')) return { ...record, value: record.value.slice(0, 255) };
  return record.name.startsWith('_dmarc.') ? { ...record, name: `${record.name}.${FAULTY}` } : record;
}

const DAY_MS = 86_400_000;

/** A week of reports of a mailbox provider: what the relay sends is authentic; another source sends as well. */
async function bringReports(port: number): Promise<void> {
  for (let ago = 7; ago >= 1; ago -= 1) {
    const end = Math.floor((Date.now() - ago * DAY_MS) / DAY_MS) * (DAY_MS / 1000) + 86_399;
    const row = (source: string, count: number, result: 'pass' | 'fail'): string =>
      `<record><row><source_ip>${source}</source_ip><count>${count}</count><policy_evaluated><disposition>none</disposition><dkim>${result}</dkim><spf>${result}</spf></policy_evaluated></row><identifiers><header_from>${OWN}</header_from><envelope_from>${result === 'pass' ? `returns.${OWN}` : 'cheap-tickets.test'}</envelope_from></identifiers></record>`;
    const rows = [
      row('192.0.2.25', 180 + ago * 13, 'pass'),
      row('192.0.2.26', 40 + ago, 'pass'),
      ...(ago <= 3 ? [row('203.0.113.99', 6 * ago, 'fail')] : []),
    ];
    const report = `<?xml version="1.0"?><feedback><report_metadata><org_name>Fjordpost</org_name><email>dmarc@fjordpost.example</email><report_id>demo-${end}</report_id><date_range><begin>${end - 86_399}</begin><end>${end}</end></date_range></report_metadata><policy_published><domain>${OWN}</domain><p>none</p></policy_published>${rows.join('')}</feedback>`;
    const file = { name: `fjordpost.example!${OWN}!${end}.xml.gz`, type: 'application/gzip', bytes: gzipSync(report) };
    const mail = writeMail({
      from: { name: 'Fjordpost', local: 'dmarc', domain: 'fjordpost.example' },
      to: [{ name: '', local: 'dmarc-reports', domain: `returns.${OWN}` }],
      subject: `Report domain: ${OWN} Submitter: fjordpost.example Report-ID: demo-${end}`,
      messageId: `demo-${end}@fjordpost.example`,
      date: end * 1000,
      text: 'A DMARC report is attached.\n',
      boundary: `=_report-${end}`,
      attachments: [{ name: file.name, type: file.type, body: { size: file.bytes.length, chunks: () => [file.bytes] } }],
    });
    const connection = new SmtpConnection({ host: '127.0.0.1', port, helloName: 'mx.fjordpost.example' });
    if ((await connection.open()) === 'ready') await connection.deliver({ from: '', to: `dmarc-reports@returns.${OWN}` }, mail);
    connection.close();
  }
}

/** An address of one's own, and one whose owner has been asked. */
async function addSenders(admin: Client): Promise<void> {
  await admin.senders.add({ address: `tickets@${OWN}`, name: 'Ticket office' });
  await admin.senders.add({ address: 'agnes@tern-island.example', name: 'Agnes on Tern Island' });
}

/** Starts the demo's name server. */
export function startNames({ host, port }: { readonly host: string; readonly port: number }): Promise<NameServerSimulator> {
  return startNameServer({ host, port });
}

/** Enters the records of the demo's domains: one is right, the other has three mistakes. */
export async function enterRecords(admin: Client, names: NameServerSimulator): Promise<void> {
  others(names);
  const own: SimulatedRecord = { name: `mail.${OWN}`, type: 'A', value: '127.0.0.1' };
  // No resolver here caches that a record is missing, so its keys sign immediately.
  names.setZone(OWN, [own, ...entered(await admin.domains.get(OWN))], 0);
  names.setZone(FAULTY, entered(await admin.domains.get(FAULTY)).map(mistaken), 0);
}

/** Adds the domains of the demo with their records, their senders, and what is reported of them. */
export async function addDomains(admin: Client, names: NameServerSimulator, returnsPort: number): Promise<void> {
  for (const name of [OWN, FAULTY]) await admin.domains.add({ name });
  await enterRecords(admin, names);
  for (const name of [OWN, FAULTY]) await admin.domains.check(name);
  await addSenders(admin);
  await bringReports(returnsPort);
}
