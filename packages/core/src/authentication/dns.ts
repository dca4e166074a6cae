/** Types of records that are asked for here (RFC 1035 3.2.2; RFC 3596 2.1). */
export type DnsType = 'A' | 'AAAA' | 'MX' | 'PTR' | 'TXT';

/**
 * What name servers say. `none`: the name does not exist, or has no record of this type; `failed`: nobody could tell (SERVFAIL, no answer in time).
 * Records are texts: addresses, names without a dot at their end, for MX the names alone in the order of their preference, for TXT the strings of
 * a record joined.
 */
export type DnsAnswer =
  | { readonly status: 'found'; readonly records: readonly string[] }
  | { readonly status: 'none'; readonly isNameMissing?: boolean }
  | { readonly status: 'failed' };

/** Asks name servers. It never throws: what goes wrong is `failed`. @param name without a dot at its end */
export type DnsAsk = (name: string, type: DnsType) => Promise<DnsAnswer>;

/** Whether a name can be asked for: labels of 1 to 63 octets, 253 in all (RFC 1035 2.3.4). */
export function isDomainName(name: string): boolean {
  return name.length > 0 && name.length <= 253 && name.split('.').every((label) => label.length > 0 && label.length <= 63);
}
