import { hostWithin } from './finding.js';
import { valueOf, type DnsRecord } from './record.js';
import type { Purpose, WantedRecord } from './wanted.js';

/** How to enter a record in a DNS panel. */
export interface Guide {
  /** What it is, in a word or two. */
  readonly title: string;
  /** What it is for. */
  readonly purpose: string;
  /** What happens without it. */
  readonly without: string;
  /** Its type in words: "text (TXT)". */
  readonly type: string;
  /** The name as panels want it that add the zone by themselves, and as the others do. */
  readonly host: string;
  readonly name: string;
  /** One sentence each. */
  readonly entering: readonly string[];
  readonly mistakes: readonly string[];
}

const TITLES: Readonly<Record<Purpose, string>> = {
  dkim: 'DKIM key',
  spf: 'SPF',
  bounces: 'Bounces',
  dmarc: 'DMARC',
  links: 'Links',
  provider: 'For the provider',
  'tls-reports': 'TLS reports',
};
const PURPOSES: Readonly<Record<Purpose, string>> = {
  dkim: 'Receivers check the signature of each email with this key.',
  spf: 'It names the servers that may send with this return path.',
  bounces: 'Email that cannot be delivered comes back to the host that this record names.',
  dmarc: 'It tells receivers what to do with email that only claims to be from the domain, and where to report it.',
  links: 'Links to follow, to unsubscribe and to choose topics lead to this host, which must point to the service.',
  provider: 'The provider checks it before it accepts email of the domain.',
  'tls-reports': 'Receivers report there when they cannot deliver bounces over TLS.',
};
const WITHOUT: Readonly<Record<Purpose, string>> = {
  dkim: 'Without it the service does not sign, and large mailbox providers reject the email or file it as spam.',
  spf: 'Without it SPF fails, and many receivers trust the email less.',
  bounces:
    'Without it, bounces are lost: it stays unknown which addresses no longer exist, and the return path of the service is used, which does not align with the domain.',
  dmarc: 'Without it anybody can send in the name of the domain, and large mailbox providers reject bulk email.',
  links: 'Email passes without it; its links lead to the host of the service.',
  provider: 'Without it the provider refuses email of the domain, or signs it as its own.',
  'tls-reports': 'Email passes without it.',
};
const TYPES = { TXT: 'text (TXT)', MX: 'mail exchanger (MX)', CNAME: 'alias (CNAME)' } as const;

function titleOf(purpose: Purpose, record: DnsRecord, provider: string | undefined): string {
  if (purpose === 'dkim') return `DKIM key (${valueOf(record).includes('k=ed25519') ? 'Ed25519' : 'RSA'})`;
  return provider === undefined ? TITLES[purpose] : `${TITLES[purpose]} ${provider}`;
}

/** What to say beside a record. @param zone the zone that it is entered in */
export function guideOf({ purpose, record, provider }: WantedRecord, zone: string): Guide {
  const host = hostWithin(record.name, zone);
  const entering = [
    `Name: "${host}" where the panel adds ${zone} automatically, else "${record.name}" (with a dot at its end where the panel asks for one).`,
  ];
  const mistakes = [`Entering "${record.name}" where the panel adds the zone: the record is then at ${record.name}.${zone}.`];
  if (record.type === 'TXT') {
    entering.push('Value: without quotes around it, on one line; the panel adds quotes where they are needed.');
    mistakes.push('Pasting quotes, backslashes or line breaks along with the value.');
    if (record.text.length > 255)
      entering.push('The value is longer than 255 characters: a panel that takes no longer strings wants it as two or more, in order.');
    if (purpose === 'dkim') mistakes.push('A key that the panel cuts off after 255 characters.');
    if (purpose === 'spf') mistakes.push('A second SPF record beside an existing one: receivers then use none.');
    if (purpose === 'dmarc') mistakes.push('A second DMARC record beside an existing one: receivers then use none.');
  } else {
    entering.push(
      `Value: "${record.host}"${record.type === 'MX' ? `, with the priority ${record.priority}` : ''}; with a dot at its end where the panel does not take it as a full name.`,
    );
    mistakes.push(
      record.type === 'MX'
        ? 'An IP address as the value: an MX record leads to a name.'
        : 'Other records with the same name as the alias: the DNS does not allow that.',
    );
  }
  return {
    title: titleOf(purpose, record, provider),
    purpose: PURPOSES[purpose],
    without: WITHOUT[purpose],
    type: TYPES[record.type],
    host,
    name: record.name,
    entering,
    mistakes,
  };
}
