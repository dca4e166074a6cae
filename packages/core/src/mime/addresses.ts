import { domainToASCII } from 'node:url';
import { decodeWords } from './words.js';

/** An address as its two halves. `domain` is in its ASCII form (IDNA), lower case. */
export interface Address {
  readonly local: string;
  readonly domain: string;
}

/** An address with the name that a reader sees. */
export interface Mailbox extends Address {
  readonly name: string;
}

export type AddressFault = { readonly fault: string; readonly hint?: string };

// RFC 5322 3.2.3, with RFC 6532's letters beyond ASCII.
const ATOM = String.raw`[A-Za-z0-9!#$%&'*+/=?^_\x60{|}~\u0080-\u{10FFFF}-]+`;
const DOT_ATOM = new RegExp(`^${ATOM}(?:\\.${ATOM})*$`, 'u');
const QUOTED_LOCAL = /^"(?:[^"\\\u0000-\u001F\u007F]|\\[^\u0000-\u001F\u007F])*"$/u;
const LABEL = /^[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?$/;
const CONTROL = /[\u0000-\u001F\u007F-\u009F\u2028\u2029]/;

/** "local@domain" of an address. */
export function addressText(address: Address): string {
  return `${address.local}@${address.domain}`;
}

/** Whether the local part needs SMTPUTF8 (RFC 6531). */
export function needsUtf8(address: Address): boolean {
  return /[^\u0000-\u007F]/.test(address.local);
}

/** Reads an addr-spec: a dot-atom or quoted local part, and a domain of names (no literals, no groups, no comments). */
export function parseAddress(text: string): Address | AddressFault {
  if (CONTROL.test(text))
    return { fault: 'holds a line break or control character', hint: 'Give the bare address, like "name@host.example".' };
  const given = text.trim();
  const at = given.lastIndexOf('@');
  if (at <= 0 || at === given.length - 1) return { fault: 'is not a valid address', hint: 'An address looks like "name@host.example".' };
  const local = given.slice(0, at);
  if (!DOT_ATOM.test(local) && !QUOTED_LOCAL.test(local)) {
    return {
      fault: `has a part before the "@" that no address can have`,
      hint: /[\s,;<>]/.test(local) ? 'One address each: no names, commas or brackets.' : 'Put quotes around a part with special signs.',
    };
  }
  if (new TextEncoder().encode(local).length > 64) return { fault: 'has more than 64 octets before the "@" (RFC 5321 4.5.3.1.1)' };
  const domain = domainToASCII(given.slice(at + 1)).toLowerCase();
  const labels = domain.split('.');
  if (domain === '' || domain.length > 253 || !labels.every((label) => LABEL.test(label)) || /^\d+$/.test(labels.at(-1) ?? '')) {
    return { fault: `has no domain after the "@"`, hint: 'A domain looks like "host.example".' };
  }
  return { local, domain };
}

export function isFault<T extends object>(value: T | AddressFault): value is AddressFault {
  return 'fault' in value;
}

/** Reads `Name <local@domain>`, `"Quoted, name" <…>` or a bare address. */
export function parseMailbox(text: string): Mailbox | AddressFault {
  if (CONTROL.test(text)) return { fault: 'holds a line break or control character', hint: 'A name and address stand on one line.' };
  const angled = /^(.*)<([^<>]*)>\s*$/.exec(text.trim());
  if (angled === null) {
    const address = parseAddress(text);
    return isFault(address) ? address : { ...address, name: '' };
  }
  const address = parseAddress(angled[2] ?? '');
  if (isFault(address)) return address;
  const shown = (angled[1] ?? '').trim();
  const quoted = /^"((?:[^"\\]|\\.)*)"$/.exec(shown);
  const name = quoted === null ? shown : (quoted[1] ?? '').replace(/\\(.)/g, '$1');
  return { ...address, name: decodeWords(name) };
}
