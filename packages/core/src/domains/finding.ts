import { valueOf, type DnsRecord } from './record.js';
import type { WantedRecord } from './wanted.js';

/** What can be wrong with a record, in a word. */
export type FindingKind =
  | 'missing'
  | 'not-everywhere'
  | 'wrong-type'
  | 'doubled-name'
  | 'other-place'
  | 'stray-characters'
  | 'cut-off'
  | 'trailing-text'
  | 'several-records'
  | 'other-key'
  | 'revoked-key'
  | 'other-value'
  | 'invalid-value'
  | 'missing-terms'
  | 'too-many-lookups'
  | 'too-many-empty-lookups'
  | 'alias-beside-records'
  | 'alias-to-nothing'
  | 'mx-to-address'
  | 'mx-to-alias'
  | 'mx-to-nothing'
  | 'mx-elsewhere'
  | 'wildcard'
  | 'dnssec'
  | 'stale-cache'
  | 'unreachable'
  | 'resolver-silent'
  | 'server-silent'
  | 'testing'
  | 'other-policy'
  | 'no-reports'
  | 'old-selector';

/** Something that is not as it should be, with what to do. */
export interface Finding {
  readonly kind: FindingKind;
  /** `fix`: email suffers until a person acts; `wait`: it resolves without action; `advice`: email passes. */
  readonly severity: 'fix' | 'wait' | 'advice';
  /** Where the mistake is. */
  readonly at: 'zone' | 'name servers' | 'cache' | 'service';
  /** What should be there. */
  readonly wanted: string;
  /** What is published; empty for nothing. */
  readonly found: string;
  /** What is wrong and what to do, for the person who owns the DNS. */
  readonly sentence: string;
  /** What to enter, where that is another text than the wanted one. */
  readonly enter?: string;
}

/** What a receiver objects to, before it is known what to do about it. */
export interface Fault {
  readonly kind: FindingKind;
  /** What is published. */
  readonly found: string;
  /** Words for the sentence. */
  readonly detail?: string;
  readonly enter?: string;
}

/** The name of a record for panels that append the zone: "@" for the zone. */
export function hostWithin(name: string, zone: string): string {
  return name === zone ? '@' : name.endsWith(`.${zone}`) ? name.slice(0, -zone.length - 1) : name;
}

/** Where a fault was seen. */
export interface Place {
  readonly wanted: WantedRecord;
  readonly zone: string;
}

/** A fault as a finding: with its sentence. */
export function findingOf({ kind, found, detail = '', enter }: Fault, { wanted, zone }: Place): Finding {
  const { record } = wanted;
  return {
    kind,
    severity: ADVICE.has(kind) ? 'advice' : WAITING.has(kind) ? 'wait' : 'fix',
    at: AT[kind] ?? 'zone',
    wanted: valueOf(record),
    found,
    sentence: SENTENCES[kind]({ record, zone, detail, host: hostWithin(record.name, zone) }),
    ...(enter === undefined ? {} : { enter }),
  };
}

const ADVICE = new Set<FindingKind>(['server-silent', 'testing', 'other-policy', 'no-reports', 'old-selector']);
const WAITING = new Set<FindingKind>(['stale-cache', 'resolver-silent']);
const AT: Partial<Record<FindingKind, Finding['at']>> = {
  'not-everywhere': 'name servers',
  'server-silent': 'name servers',
  unreachable: 'name servers',
  dnssec: 'name servers',
  'stale-cache': 'cache',
  'resolver-silent': 'service',
  'mx-to-nothing': 'service',
};

interface Words {
  readonly record: DnsRecord;
  readonly zone: string;
  readonly host: string;
  readonly detail: string;
}

/** One sentence each, for readers who know their DNS panel and nothing about this service. */
const SENTENCES: Readonly<Record<FindingKind, (words: Words) => string>> = {
  missing: ({ record, host, zone }) =>
    `There is no ${record.type} record at ${record.name}; add one with the name "${host}" in the zone ${zone} and the value shown here.`,
  'not-everywhere': ({ record, detail }) =>
    `${detail} not have the right ${record.type} record at ${record.name} yet, and the other servers of the zone do; wait until the zone is copied, or tell the operator of the servers.`,
  'wrong-type': ({ record, detail }) => `The value is at ${record.name} as a record of type ${detail}; enter it as type ${record.type}.`,
  'doubled-name': ({ host, detail }) =>
    `The record is at ${detail}: the panel appends the name of the zone, so enter "${host}" as the name.`,
  'other-place': ({ record, host, detail }) => `The record is at ${detail} and belongs at ${record.name}; enter "${host}" as the name.`,
  'stray-characters': ({ detail }) => `The value contains ${detail}, pasted along with it; enter the value without.`,
  'cut-off': ({ detail }) =>
    `The key ends after ${detail} of its characters; enter it whole, as several strings of at most 255 characters where the panel takes no longer ones.`,
  'trailing-text': ({ detail }) => `More text follows the value (${detail}); remove it.`,
  'several-records': ({ record, detail }) => `There are ${detail} at ${record.name}, so receivers use none of them; keep only one.`,
  'other-key': ({ record }) => `Another key is published at ${record.name}; replace it with the value shown here.`,
  'revoked-key': ({ record }) => `The key at ${record.name} was revoked (its p= is empty); replace it with the value shown here.`,
  'other-value': ({ record, detail }) =>
    `The ${record.type} record at ${record.name} has another value${detail === '' ? '' : ` (${detail})`}; replace it with the one shown here.`,
  'invalid-value': ({ record, detail }) =>
    `Receivers cannot use the record at ${record.name}: ${detail} Replace it with the value shown here.`,
  'missing-terms': ({ record, detail }) =>
    `The SPF record at ${record.name} does not allow ${detail}; replace it with the one shown here, which keeps what it has.`,
  'too-many-lookups': ({ detail }) =>
    `The SPF record leads to more than 10 lookups, and receivers stop there (${detail}); remove includes that are not used.`,
  'too-many-empty-lookups': ({ detail }) =>
    `More than 2 lookups of the SPF record find nothing, and receivers stop there (${detail}); remove names that do not exist.`,
  'alias-beside-records': ({ record, detail }) =>
    `There is a CNAME (to ${detail}) beside the other records at ${record.name}, which the DNS does not allow; remove the CNAME.`,
  'alias-to-nothing': ({ record, detail }) =>
    `${record.name} is a CNAME to ${detail}, where there is no ${record.type} record; replace it with the record shown here.`,
  'mx-to-address': ({ detail }) =>
    `The MX record leads to the address ${detail}, and must lead to the name of a host; enter the name shown here.`,
  'mx-to-alias': ({ record, detail }) =>
    `The MX record at ${record.name} leads to ${detail}, which is a CNAME, and not every server delivers there; it must be a name with an address.`,
  'mx-to-nothing': ({ detail }) =>
    `${detail} has no address, so nothing can be delivered there; give it an A or AAAA record, or correct returns.name in the configuration.`,
  'mx-elsewhere': ({ record, detail }) => `Mail to ${record.name} goes to ${detail} first; replace the MX record with the one shown here.`,
  wildcard: ({ record, detail }) =>
    `A wildcard record (${detail}) answers for ${record.name}, which has no record itself; add the one shown here.`,
  dnssec: ({ zone }) =>
    `The answers of the zone ${zone} do not pass DNSSEC, so many receivers see nothing of it; renew its signatures, or correct the DS record at the registrar.`,
  'stale-cache': ({ detail }) =>
    `The name servers have the right record; caches may keep the old answer for ${detail}. Nothing has to be done.`,
  unreachable: ({ zone, detail }) => `The name servers of ${zone} cannot be asked: ${detail}`,
  'resolver-silent': ({ record, detail }) =>
    `The resolver of this service does not answer for ${record.name} (${detail}); it is asked again.`,
  'server-silent': ({ zone, detail }) => `${detail} not answer; the zone ${zone} depends on its other servers.`,
  testing: ({ record }) => `The record at ${record.name} says that it is only a test (t=y); remove that once email passes.`,
  'other-policy': ({ detail }) => `The DMARC record says ${detail}.`,
  'no-reports': ({ detail }) =>
    `The DMARC record sends no reports to ${detail}; add the address to its rua to see who sends in the name of the domain.`,
  'old-selector': ({ record }) => `The old key at ${record.name} is still published, and no email needs it any more; it can be removed.`,
};
