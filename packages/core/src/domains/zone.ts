import type { DnsRecord } from './record.js';

/** Octets of one character string (RFC 1035 3.3). */
const MOST_OCTETS = 255;
/** Seconds for which others may keep it: an hour, so that a mistake is over soon. */
const TTL = 3600;

/** A text as the character strings of a TXT record, which readers join without a space (RFC 7208 3.3, RFC 6376 3.6.2.2). */
export function characterStrings(text: string): string[] {
  const out: string[] = [];
  for (let from = 0; from < text.length; from += MOST_OCTETS) out.push(text.slice(from, from + MOST_OCTETS));
  return out.length === 0 ? [''] : out;
}

/** A record as a line of a zone file (RFC 1035 5.1). */
export function zoneLine(record: DnsRecord): string {
  return `${record.name}. ${TTL} IN ${record.type} ${rdata(record)}`;
}

function rdata(record: DnsRecord): string {
  if (record.type === 'CNAME') return `${record.host}.`;
  if (record.type === 'MX') return `${record.priority} ${record.host}.`;
  return characterStrings(record.text)
    .map((string) => `"${string.replace(/["\\]/g, '\\$&')}"`)
    .join(' ');
}
