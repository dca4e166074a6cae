import { readAddress, type IpAddress } from './addresses.js';
import { readDomainSpec, type MacroString } from './spf-macros.js';

/** What a mechanism says of an address that matches. */
export type Qualifier = 'pass' | 'fail' | 'softfail' | 'neutral';

/** A mechanism with all that it needs (RFC 7208 5). `domain`: the current one where it is undefined. */
export type Mechanism = { readonly qualifier: Qualifier; readonly text: string } & (
  | { readonly kind: 'all' }
  | { readonly kind: 'include' | 'exists'; readonly domain: MacroString }
  | { readonly kind: 'a' | 'mx'; readonly domain: MacroString | undefined; readonly bits4: number; readonly bits6: number }
  | { readonly kind: 'ptr'; readonly domain: MacroString | undefined }
  | { readonly kind: 'ip'; readonly address: IpAddress; readonly bits: number }
);

export interface SpfRecord {
  readonly mechanisms: readonly Mechanism[];
  readonly redirect: MacroString | undefined;
  readonly explanation: MacroString | undefined;
}

/** What is wrong with a record, in a sentence. */
export interface SpfFault {
  readonly fault: string;
}

const QUALIFIERS: Readonly<Record<string, Qualifier>> = { '+': 'pass', '-': 'fail', '~': 'softfail', '?': 'neutral' };

/** Foreign words in our sentences, shortened to what people can read. */
export function shortened(text: string): string {
  return text.length > 80 ? `${text.slice(0, 79)}…` : text;
}

/** Whether a TXT record is one of SPF: its version ends the text or a space follows (RFC 7208 4.5). */
export function isSpfRecord(text: string): boolean {
  return /^v=spf1(?: |$)/i.test(text);
}

/** Reads a record. One mistake anywhere makes all of it invalid (RFC 7208 4.6). */
export function readSpf(text: string): SpfRecord | SpfFault {
  const mechanisms: Mechanism[] = [];
  const modifiers = new Map<string, MacroString>();
  for (const term of text.slice('v=spf1'.length).split(' ')) {
    if (term === '') continue;
    const modifier = /^([A-Za-z][A-Za-z0-9_.-]*)=(.*)$/.exec(term);
    if (modifier !== null) {
      const fault = addModifier(modifiers, modifier[1]?.toLowerCase() ?? '', modifier[2] ?? '');
      if (fault !== undefined) return { fault: `"${shortened(term)}" ${fault}` };
      continue;
    }
    const mechanism = mechanismOf(term);
    if (mechanism === undefined) return { fault: `"${shortened(term)}" is not a valid mechanism` };
    mechanisms.push(mechanism);
  }
  return { mechanisms, redirect: modifiers.get('redirect'), explanation: modifiers.get('exp') };
}

function addModifier(modifiers: Map<string, MacroString>, name: string, value: string): string | undefined {
  const isKnown = name === 'redirect' || name === 'exp';
  if (isKnown && modifiers.has(name)) return 'comes twice';
  // An unknown one is passed over, but has to be well formed.
  const read = isKnown ? readDomainSpec(value) : (readMacroText(value) ?? undefined);
  if (read === undefined) return isKnown ? 'has no valid domain' : 'is not well formed';
  if (isKnown) modifiers.set(name, read);
  return undefined;
}

/** Anything that a macro string may hold; empty too. */
function readMacroText(text: string): MacroString | undefined {
  return /^(?:[\x21-\x24\x26-\x7E]|%[%_-]|%\{[slodiphcrtv]\d*r?[-.+,/_=]*\})*$/i.test(text) ? [] : undefined;
}

function mechanismOf(term: string): Mechanism | undefined {
  const found = /^([-+~?]?)([A-Za-z][A-Za-z0-9_.-]*)(?:([:/])(.*))?$/.exec(term);
  if (found === null) return undefined;
  const [, sign = '', name = '', separator, rest = ''] = found;
  const shared = { qualifier: QUALIFIERS[sign] ?? 'pass', text: shortened(term) };
  const value = separator === ':' ? rest : undefined;
  switch (name.toLowerCase()) {
    case 'all':
      return separator === undefined ? { ...shared, kind: 'all' } : undefined;
    case 'include':
    case 'exists': {
      const domain = value === undefined ? undefined : readDomainSpec(value);
      return domain === undefined ? undefined : { ...shared, kind: name.toLowerCase() as 'include' | 'exists', domain };
    }
    case 'ptr': {
      if (separator === undefined) return { ...shared, kind: 'ptr', domain: undefined };
      const domain = value === undefined ? undefined : readDomainSpec(value);
      return domain === undefined ? undefined : { ...shared, kind: 'ptr', domain };
    }
    case 'a':
    case 'mx':
      return hostMechanism(shared, name.toLowerCase() as 'a' | 'mx', { value, prefix: separator === '/' ? `/${rest}` : '' });
    case 'ip4':
    case 'ip6':
      return value === undefined ? undefined : addressMechanism(shared, name.toLowerCase() === 'ip4' ? 4 : 6, value);
    default:
      return undefined;
  }
}

/** The length of a prefix: no zeros before it. */
const LENGTHS = /^(.*?)(?:\/(0|[1-9]\d?))?(?:\/\/(0|[1-9]\d{0,2}))?$/;

function hostMechanism(
  shared: { readonly qualifier: Qualifier; readonly text: string },
  kind: 'a' | 'mx',
  { value, prefix }: { readonly value: string | undefined; readonly prefix: string },
): Mechanism | undefined {
  const found = LENGTHS.exec(value ?? prefix);
  const [, name = '', four = '32', six = '128'] = found ?? [];
  if (found === null || Number(four) > 32 || Number(six) > 128 || (value === undefined && name !== '')) return undefined;
  const domain = value === undefined ? undefined : readDomainSpec(name);
  if (value !== undefined && domain === undefined) return undefined;
  return { ...shared, kind, domain, bits4: Number(four), bits6: Number(six) };
}

function addressMechanism(
  shared: { readonly qualifier: Qualifier; readonly text: string },
  version: 4 | 6,
  value: string,
): Mechanism | undefined {
  const [, text = '', length] = /^([^/]*)(?:\/(0|[1-9]\d{0,2}))?$/.exec(value) ?? [];
  const most = version === 4 ? 32 : 128;
  const bits = length === undefined ? most : Number(length);
  if ((version === 4) === text.includes(':') || bits > most) return undefined;
  const address = readAddress(text);
  if (address === undefined) return undefined;
  // "ip6:::ffff:192.0.2.1" is about an address that no client has: it is seen as the IPv4 address, with a prefix of its own.
  if (version === 6 && address.version === 4) return { ...shared, kind: 'ip', address, bits: Math.max(0, bits - 96) };
  return { ...shared, kind: 'ip', address, bits };
}
