import ipaddr from 'ipaddr.js';

/** An IP address: its bytes, 4 or 16 of them. */
export interface IpAddress {
  readonly version: 4 | 6;
  readonly bytes: readonly number[];
}

const QUAD = /^(?:(?:25[0-5]|2[0-4]\d|1\d\d|[1-9]?\d)(?:\.(?!$)|$)){4}$/;

/** Reads an address. An IPv4 address that is written as an IPv6 one is that IPv4 address (RFC 7208 5). @returns undefined for what is not one */
export function readAddress(text: string): IpAddress | undefined {
  if (QUAD.test(text)) return { version: 4, bytes: text.split('.').map(Number) };
  if (!text.includes(':') || text.includes('%') || !ipaddr.IPv6.isValid(text)) return undefined;
  const address = ipaddr.IPv6.parse(text);
  return address.isIPv4MappedAddress()
    ? { version: 4, bytes: address.toIPv4Address().toByteArray() }
    : { version: 6, bytes: address.toByteArray() };
}

/** Whether two addresses of one version have their first bits in common. */
export function isWithin(a: IpAddress, b: IpAddress, bits: number): boolean {
  if (a.version !== b.version) return false;
  for (let i = 0; i * 8 < bits; i += 1) {
    const mask = 256 - 2 ** Math.max(0, 8 - (bits - i * 8));
    if (((a.bytes[i] ?? 0) & mask) !== ((b.bytes[i] ?? 0) & mask)) return false;
  }
  return true;
}

/** The labels that the macro "i" stands for: numbers of an IPv4 address, nibbles of an IPv6 one (RFC 7208 7.3). */
export function dotted({ version, bytes }: IpAddress): string {
  if (version === 4) return bytes.join('.');
  return bytes.flatMap((byte) => [(byte >> 4).toString(16), (byte & 15).toString(16)]).join('.');
}

/** As people read it (RFC 5952). */
export function shownAddress({ bytes }: IpAddress): string {
  return ipaddr.fromByteArray([...bytes]).toString();
}

/** The name under which the name of an address is found (RFC 1035 3.5; RFC 3596 2.5). */
export function reverseName(address: IpAddress): string {
  return `${dotted(address).split('.').reverse().join('.')}.${address.version === 4 ? 'in-addr' : 'ip6'}.arpa`;
}
