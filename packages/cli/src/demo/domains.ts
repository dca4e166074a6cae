import type { Client, DomainView } from '@verbalis/client';
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
}

const entered = ({ records }: DomainView): SimulatedRecord[] =>
  records.map(({ name, type, value, priority }) => ({ name, type, value: type === 'MX' ? `${priority ?? 0} ${value}` : value }));

/** Three mistakes that people make: the zone twice in a name, a key that was cut off, an MX record that leads to an address. */
function mistaken(record: SimulatedRecord): SimulatedRecord {
  if (record.type === 'MX') return { ...record, value: '10 127.0.0.1' };
  if (record.value.startsWith('v=DKIM1; k=rsa')) return { ...record, value: record.value.slice(0, 255) };
  return record.name.startsWith('_dmarc.') ? { ...record, name: `${record.name}.${FAULTY}` } : record;
}

/** Starts the demo's name server. */
export function startNames({ host, port }: { readonly host: string; readonly port: number }): Promise<NameServerSimulator> {
  return startNameServer({ host, port });
}

/** Adds the domains of the demo and enters their records: one is right, the other has three mistakes. */
export async function addDomains(admin: Client, names: NameServerSimulator): Promise<void> {
  others(names);
  const right = await admin.domains.add({ name: OWN });
  const own: SimulatedRecord = { name: `mail.${OWN}`, type: 'A', value: '127.0.0.1' };
  // Nobody keeps here that a record is missing, so its keys sign at once.
  names.setZone(OWN, [own, ...entered(right)], 0);
  names.setZone(FAULTY, entered(await admin.domains.add({ name: FAULTY })).map(mistaken), 0);
  for (const name of [OWN, FAULTY]) await admin.domains.check(name);
}
