import { dotted, shownAddress, type IpAddress } from './addresses.js';

/** A text in which values are put, read once (RFC 7208 7.1). */
export type MacroString = readonly (string | Macro)[];

interface Macro {
  /** A small letter; what it stands for is in {@link MacroValues}. */
  readonly letter: string;
  /** The letter is upper case: the result is escaped for a URL. */
  readonly isEscaped: boolean;
  /** So many parts from the right; all where it is undefined. */
  readonly most: number | undefined;
  readonly isReversed: boolean;
  readonly delimiters: string;
}

/** What macros stand for. */
export interface MacroValues {
  /** The address in MAIL FROM, "postmaster@" and the HELO name where there is none. */
  readonly sender: string;
  /** The domain that is looked at. */
  readonly domain: string;
  readonly helo: string;
  readonly ip: IpAddress;
  /** A name of the address that leads back to it; "unknown" where none is known. */
  readonly validated: () => Promise<string>;
  /** Of the host that checks. */
  readonly receiver: string;
  /** Seconds since the epoch. */
  readonly seconds: number;
}

const LITERAL = /^[\x21-\x24\x26-\x7E]+/;
const EXPLANATION_LITERAL = /^[\x20-\x24\x26-\x7E]+/;
const EXPAND = /^%\{([slodiphcrtv])(\d*)(r?)([-.+,/_=]*)\}/i;
const SIGNS: Readonly<Record<string, string>> = { '%%': '%', '%_': ' ', '%-': '%20' };

/**
 * Reads a macro string. @param isExplanation the letters c, r and t and spaces are allowed
 * @returns undefined where it is not valid
 */
export function readMacros(text: string, isExplanation = false): MacroString | undefined {
  const out: (string | Macro)[] = [];
  for (let left = text; left !== '';) {
    const literal = (isExplanation ? EXPLANATION_LITERAL : LITERAL).exec(left)?.[0];
    const sign = SIGNS[left.slice(0, 2)];
    if (literal !== undefined) out.push(literal);
    else if (sign !== undefined) out.push(sign);
    else {
      const found = EXPAND.exec(left);
      if (found === null) return undefined;
      const [, letter = '', digits = '', reversed = '', delimiters = ''] = found;
      const small = letter.toLowerCase();
      if (!isExplanation && 'crt'.includes(small)) return undefined;
      // Zero parts is not a valid number (RFC 7208 7.1).
      if (/^0+$/.test(digits)) return undefined;
      out.push({
        letter: small,
        isEscaped: letter !== small,
        most: digits === '' ? undefined : Number(digits),
        isReversed: reversed !== '',
        delimiters: delimiters === '' ? '.' : delimiters,
      });
    }
    left = left.slice(literal?.length ?? (sign === undefined ? (EXPAND.exec(left)?.[0].length ?? 1) : 2));
  }
  return out;
}

/**
 * Reads the domain of a mechanism or modifier: macros that end with a macro, or with a label that is not a number (RFC 7208 7.1, "domain-spec").
 * @returns undefined where it is not valid
 */
export function readDomainSpec(text: string): MacroString | undefined {
  const macros = readMacros(text);
  const last = macros?.at(-1);
  if (macros === undefined || last === undefined) return undefined;
  if (typeof last !== 'string') return macros;
  if (/%[%_-]$/.test(text)) return undefined;
  const label = /\.([A-Za-z0-9]+(?:-+[A-Za-z0-9]+)*)\.?$/.exec(last)?.[1] ?? (macros.length > 1 ? undefined : '');
  return label === undefined || label === '' || /^\d+$/.test(label) ? undefined : macros;
}

/** Puts the values in. */
export async function expand(macros: MacroString, values: MacroValues): Promise<string> {
  let out = '';
  for (const part of macros) {
    if (typeof part === 'string') {
      out += part;
      continue;
    }
    const cut = new RegExp(`[${part.delimiters.replace(/[-\\\]]/g, '\\$&')}]`);
    let pieces = (await valueOf(part.letter, values)).split(cut);
    if (part.isReversed) pieces = pieces.reverse();
    if (part.most !== undefined) pieces = pieces.slice(-part.most);
    const text = pieces.join('.');
    out += part.isEscaped
      ? encodeURIComponent(text.toWellFormed()).replace(/[!'()*]/g, (sign) => `%${sign.charCodeAt(0).toString(16).toUpperCase()}`)
      : text;
  }
  return out;
}

async function valueOf(letter: string, values: MacroValues): Promise<string> {
  const at = values.sender.lastIndexOf('@');
  switch (letter) {
    case 's':
      return values.sender;
    case 'l':
      return values.sender.slice(0, at);
    case 'o':
      return values.sender.slice(at + 1);
    case 'd':
      return values.domain;
    case 'i':
      return dotted(values.ip);
    case 'p':
      return values.validated();
    case 'h':
      return values.helo;
    case 'c':
      return shownAddress(values.ip);
    case 'r':
      return values.receiver;
    case 't':
      return String(values.seconds);
    default:
      return values.ip.version === 4 ? 'in-addr' : 'ip6';
  }
}

/** A name that is too long loses labels at its left (RFC 7208 7.3). */
export function fitted(name: string): string {
  let out = name.replace(/\.$/, '');
  while (out.length > 253 && out.includes('.')) out = out.slice(out.indexOf('.') + 1);
  return out;
}
