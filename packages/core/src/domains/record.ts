/** A record as the owner of a DNS zone enters it. Names are without a dot at their end. */
export type DnsRecord =
  | { readonly type: 'TXT'; readonly name: string; readonly text: string }
  | { readonly type: 'CNAME'; readonly name: string; readonly host: string }
  | { readonly type: 'MX'; readonly name: string; readonly priority: number; readonly host: string };

/** What a record says, as one text: that of a TXT record, the host that another leads to. */
export function valueOf(record: DnsRecord): string {
  return record.type === 'TXT' ? record.text : record.type === 'MX' ? `${record.priority} ${record.host}` : record.host;
}
