import { BlockList, isIP } from 'node:net';
import ipaddr from 'ipaddr.js';

/** Whether an address is in one of some networks ("10.0.0.0/8") or is one of some addresses. @throws for an entry that is neither */
export function networks(entries: readonly string[]): (address: string) => boolean {
  const list = new BlockList();
  for (const entry of entries) {
    const [host = '', bits] = entry.split('/');
    const family = isIP(host);
    if (family === 0) throw new Error(`"${entry}" is neither an address nor a network.`);
    const type = family === 4 ? 'ipv4' : 'ipv6';
    if (bits === undefined) list.addAddress(host, type);
    else list.addSubnet(host, Number(bits), type);
  }
  return (address) => {
    const family = isIP(address);
    return family !== 0 && list.check(address, family === 4 ? 'ipv4' : 'ipv6');
  };
}

/** An IPv4 address that came in over IPv6 is that IPv4 address. */
export function plainAddress(address: string): string {
  return address.replace(/^::ffff:(?=\d+\.)/i, '');
}

/** Whether a host is this machine, or one that is known by its address: it needs no name. @param host in small letters */
export function isLocalName(host: string): boolean {
  return host === 'localhost' || isIP(host.replace(/^\[|\]$/g, '')) !== 0;
}

export const isLoopback = networks(['127.0.0.0/8', '::1']);

/** What counts as one source when limits apply to addresses: an IPv4 address, or the /64 of an IPv6 address, since a site gets at least that (RFC 6177 2). */
export function sourceOf(address: string): string {
  if (!ipaddr.isValid(address)) return address;
  const parsed = ipaddr.process(address);
  return parsed instanceof ipaddr.IPv6
    ? parsed.parts
        .slice(0, 4)
        .map((part) => part.toString(16))
        .join(':')
    : parsed.toString();
}
