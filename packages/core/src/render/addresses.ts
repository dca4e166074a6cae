import type { Environment } from './environment.js';
import type { AddressValue } from './ops.js';
import { Fault } from '../problems/index.js';

const SCHEMES = new Set(['http:', 'https:', 'mailto:', 'tel:', 'sms:', 'cid:']);
// What a URL may not hold and the URL parser would quietly drop.
const IGNORED = /[\u0000-\u0020\u007F-\u009F\u202A-\u202E\u2066-\u2069]/g;

/**
 * Makes a link or picture address absolute against the mail folder's base URL.
 * @throws Fault for a scheme that an email may not link to, and for what is no address.
 */
export function absolute(address: string, base: string, at: string): string {
  const clean = address.toWellFormed().trim();
  const scheme = /^([a-z][a-z0-9+.-]*):/i.exec(clean.replace(IGNORED, ''))?.[1];
  if (scheme !== undefined && !SCHEMES.has(`${scheme.toLowerCase()}:`)) {
    throw new Fault('link-scheme', `An email cannot link to "${scheme}:" addresses.`, {
      at,
      hint: 'Allowed: https, http, mailto, tel, sms.',
    });
  }
  if (clean === '')
    throw new Fault('link-empty', 'This link has no address.', { at, hint: 'Give the field a value, or guard the link by "if".' });
  let url: URL;
  try {
    url = base === '' ? new URL(clean) : new URL(clean, base);
  } catch {
    const relative = scheme === undefined && base === '';
    throw new Fault(
      'link-malformed',
      relative ? `"${clean.slice(0, 80)}" leads nowhere without a base URL.` : `"${clean.slice(0, 80)}" is no address to link to.`,
      { at, hint: relative ? 'Set "baseUrl" in mail.yaml, or write the whole address.' : undefined },
    );
  }
  if (!SCHEMES.has(url.protocol)) throw new Fault('link-scheme', `An email cannot link to "${url.protocol}" addresses.`, { at });
  return url.href;
}

/** Percent-encodes all that has a meaning in an address (RFC 3986 2.2). */
function encoded(text: string): string {
  return encodeURIComponent(text.toWellFormed()).replace(/['()*!]/g, (char) => `%${char.charCodeAt(0).toString(16).toUpperCase()}`);
}

/** The same for a text that may be encoded already: what is left unencoded is encoded. */
function completed(text: string): string {
  return text.toWellFormed().replace(/%(?![0-9A-Fa-f]{2})|[^A-Za-z0-9\-._~%]+/g, (found) => encodeURIComponent(found));
}

/** A value within its component of an address, which it cannot leave. */
export function encode({ encode: how, encoded: isEncoded }: AddressValue, value: string): string {
  const text = isEncoded === true ? completed(value) : encoded(value);
  switch (how) {
    case 'segment':
      // A segment of dots alone would be taken as "here" or "one up", also when its dots are encoded once (URL Standard 4.1).
      return /^(?:\.|%2e)+$/i.test(text) ? text.replace(/\.|%2e/gi, '%252E') : text;
    case 'mailbox':
      return text.replace(/%40/g, '@');
    case 'number':
      return encoded(value.replace(/[\s().-]/g, '')).replace(/%2B/g, '+');
    case 'component':
    case 'whole':
    default:
      return text;
  }
}

/** Whether data may lead to a host. */
function isAllowed(host: string, hosts: readonly string[]): boolean {
  return hosts.some((text) => (text.startsWith('*.') ? host.endsWith(text.slice(1).toLowerCase()) : host === text.toLowerCase()));
}

/**
 * An address that comes from data, as far as it says where it leads.
 * @throws Fault where it leads nowhere that an email may lead to
 */
export function fromData(value: string, env: Environment, at: string): string {
  const url = absolute(value, env.baseUrl, at);
  if (env.linkHosts === undefined) return url;
  const { protocol, hostname } = new URL(url);
  if (!/^https?:$/.test(protocol)) return url;
  const own = env.baseUrl === '' ? undefined : new URL(env.baseUrl).hostname;
  if (hostname === own || isAllowed(hostname, env.linkHosts)) return url;
  throw new Fault('link-host', `Data cannot lead to the host "${hostname}".`, {
    at,
    hint: 'Allowed are the hosts of "linkHosts" in mail.yaml, and that of "baseUrl".',
  });
}
