import type { DmarcPolicy } from '../authentication/index.js';
import type { DnsRecord } from './record.js';

/** What a record is for. */
export type Purpose = 'dkim' | 'spf' | 'bounces' | 'dmarc' | 'links' | 'provider' | 'tls-reports';

/** A record that a domain needs. */
export interface WantedRecord {
  readonly purpose: Purpose;
  readonly record: DnsRecord;
  /** Whether email suffers without it. */
  readonly isRequired: boolean;
  /** Of a key. */
  readonly selector: string | undefined;
  /** The provider that wants it. */
  readonly provider: string | undefined;
  /** For SPF: what has to be allowed; a record that allows more is right, too. */
  readonly terms: readonly string[];
}

/** What email of a domain passes through, with what the DNS must say for it. */
export interface SendingProvider {
  readonly name: string;
  readonly signs: 'us' | 'provider';
  /** Whether our return path reaches the recipient's server. */
  readonly envelopeFrom: 'kept' | 'replaced';
  /** SPF mechanisms that allow its servers: "include:spf.provider.example", "ip4:192.0.2.0/24". */
  readonly spf: readonly string[];
  /** What it wants itself; names are within the domain, "@" is the domain. */
  readonly records: readonly { readonly type: 'TXT' | 'CNAME' | 'MX'; readonly name: string; readonly value: string }[];
}

/** What the records of a domain follow from. */
export interface DomainNeeds {
  readonly domain: string;
  /** The host of its return paths. */
  readonly returnHost: string;
  /** The host of links and pages in its emails, where it has one of its own, and the host that people reach the service at. */
  readonly links?: { readonly host: string; readonly service: string | undefined } | undefined;
  /** The name under which other mail servers reach our listener. */
  readonly mailServer: string;
  /** Keys that sign, or will. */
  readonly keys: readonly { readonly selector: string; readonly record: string }[];
  readonly providers: readonly SendingProvider[];
  /** What receivers are asked to do with email that is not authentic. */
  readonly policy: DmarcPolicy;
  /** The local part of the address at the return host that reads reports; undefined where nobody does. */
  readonly reports: { readonly dmarc: string; readonly tls: string } | undefined;
}

/** The records of a domain, and what its owner has to know beside them. */
export interface Wanted {
  readonly records: readonly WantedRecord[];
  /** Sentences. */
  readonly notes: readonly string[];
}

const PRIORITY = 10;

/** The records that a domain needs with the providers that its email passes through. */
export function wantedRecords(needs: DomainNeeds): Wanted {
  const { domain, returnHost, providers } = needs;
  const notes: string[] = [];
  const records: WantedRecord[] = [];
  const add = (purpose: Purpose, record: DnsRecord, more: Partial<WantedRecord> = {}): void => {
    records.push({ purpose, record, isRequired: true, selector: undefined, provider: undefined, terms: [], ...more });
  };

  const isSignedByUs = providers.length === 0 || providers.some(({ signs }) => signs === 'us');
  if (providers.length === 0) notes.push(`No space that delivers sends as ${domain}: what its providers need is not known yet.`);
  // Where providers sign, ours is one more: it holds wherever the domain sends through another.
  for (const { selector, record } of needs.keys)
    add('dkim', { type: 'TXT', name: `${selector}._domainkey.${domain}`, text: record }, { selector, isRequired: isSignedByUs });

  const keeping = providers.filter(({ envelopeFrom }) => envelopeFrom === 'kept');
  for (const { name, signs } of providers.filter(({ envelopeFrom }) => envelopeFrom === 'replaced'))
    notes.push(
      `${name} replaces the envelope sender with its own, so SPF cannot align with ${domain}; the DKIM signature ${signs === 'us' ? 'of this service' : `that ${name} makes`} must.`,
    );
  if (providers.length === 0 || keeping.length > 0) {
    add('bounces', { type: 'MX', name: returnHost, priority: PRIORITY, host: needs.mailServer });
    for (const { name } of keeping.filter(({ spf }) => spf.length === 0))
      notes.push(`From where ${name} sends is not known; put its SPF mechanism into providers.${name}.facts.spf.`);
    const terms = [...new Set(keeping.flatMap(({ spf }) => spf))];
    if (terms.length > 0) add('spf', { type: 'TXT', name: returnHost, text: `v=spf1 ${terms.join(' ')} ~all` }, { terms });
  }

  const { reports } = needs;
  const rua = reports === undefined ? '' : `; rua=mailto:${reports.dmarc}@${returnHost}`;
  add('dmarc', { type: 'TXT', name: `_dmarc.${domain}`, text: `v=DMARC1; p=${needs.policy}${rua}` });
  const { links } = needs;
  if (links !== undefined)
    if (links.service === undefined)
      notes.push(
        `Links of ${domain} are to lead to ${links.host}, but the service has no name that an alias could lead to: set publicUrl.`,
      );
    else add('links', { type: 'CNAME', name: links.host, host: links.service }, { isRequired: false });
  for (const provider of providers)
    for (const { type, name, value } of provider.records)
      add('provider', asRecord(type, name === '@' ? domain : `${name}.${domain}`, value), { provider: provider.name });
  if (reports !== undefined && records.some(({ purpose }) => purpose === 'bounces'))
    add(
      'tls-reports',
      { type: 'TXT', name: `_smtp._tls.${returnHost}`, text: `v=TLSRPTv1; rua=mailto:${reports.tls}@${returnHost}` },
      { isRequired: false },
    );
  return { records, notes };
}

/** What a provider wants, as it writes it: an MX value may begin with its priority. */
function asRecord(type: 'TXT' | 'CNAME' | 'MX', name: string, value: string): DnsRecord {
  if (type === 'TXT') return { type, name, text: value };
  const [, priority, host = value] = /^(\d+)\s+(\S.*)$/.exec(value) ?? [];
  const plain = (text: string): string => text.replace(/\.$/, '').toLowerCase();
  return type === 'MX' ? { type, name, priority: Number(priority ?? PRIORITY), host: plain(host) } : { type, name, host: plain(value) };
}
