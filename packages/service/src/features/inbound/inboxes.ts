import type { InboundSettings } from './settings.js';

/** Where an email to one of our addresses belongs. */
export interface Inbox {
  /** Null for what only operators see. */
  readonly space: string | null;
  readonly name: string;
}

/** Who must be reached at every host of ours (RFC 5321 4.5.1, RFC 2142). */
const ROLES: ReadonlySet<string> = new Set(['postmaster', 'abuse']);

interface Pattern extends Inbox {
  readonly domain: string;
  /** The pieces of the local part between its stars. */
  readonly pieces: readonly string[];
}

/** Whether a text has these pieces in this order, the first at its start and the last at its end. */
function fits(local: string, pieces: readonly string[]): boolean {
  const [first = '', ...rest] = pieces;
  const last = rest.pop();
  if (last === undefined) return local === first;
  if (!local.startsWith(first) || local.length < first.length + last.length || !local.endsWith(last)) return false;
  let at = first.length;
  for (const piece of rest) {
    const found = local.indexOf(piece, at);
    if (found === -1) return false;
    at = found + piece.length;
  }
  return at <= local.length - last.length;
}

/** Finds the inbox of an address. An address without a star goes before a pattern, and an earlier pattern before a later one. */
export function inboxesOf(
  { addresses }: Pick<InboundSettings, 'addresses'>,
  isReturnHost: (host: string) => boolean,
): (address: string) => Inbox | undefined {
  const exact = new Map<string, Inbox>();
  const patterns: Pattern[] = [];
  for (const { address, space, name } of addresses) {
    const small = address.toLowerCase();
    if (!small.includes('*')) {
      if (!exact.has(small)) exact.set(small, { space, name });
      continue;
    }
    const at = small.lastIndexOf('@');
    patterns.push({ space, name, domain: small.slice(at + 1), pieces: small.slice(0, at).split('*') });
  }
  return (address) => {
    const small = address.toLowerCase();
    const at = small.lastIndexOf('@');
    const [local, domain] = [small.slice(0, at), small.slice(at + 1)];
    const found = exact.get(small) ?? patterns.find((pattern) => pattern.domain === domain && fits(local, pattern.pieces));
    if (found !== undefined) return { space: found.space, name: found.name };
    return ROLES.has(local) && isReturnHost(domain) ? { space: null, name: local } : undefined;
  };
}
