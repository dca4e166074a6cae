import { RenderFault } from './environment.js';

const SCHEMES = new Set(['http:', 'https:', 'mailto:', 'tel:', 'sms:', 'cid:']);
// What a URL may not hold and the URL parser would quietly drop.
const IGNORED = /[\u0000-\u0020\u007F-\u009F\u202A-\u202E\u2066-\u2069]/g;

/**
 * Makes a link or picture address absolute against the mail folder's base URL.
 * @throws RenderFault for a scheme that a mail may not link to, and for what is no address.
 */
export function absolute(address: string, base: string, at: string): string {
  const clean = address.toWellFormed().trim();
  const scheme = /^([a-z][a-z0-9+.-]*):/i.exec(clean.replace(IGNORED, ''))?.[1];
  if (scheme !== undefined && !SCHEMES.has(`${scheme.toLowerCase()}:`)) {
    throw new RenderFault('link-scheme', `A mail cannot link to "${scheme}:" addresses.`, at, 'Allowed: https, http, mailto, tel, sms.');
  }
  if (clean === '')
    throw new RenderFault('link-empty', 'This link has no address.', at, 'Give the field a value, or guard the link by "if".');
  let url: URL;
  try {
    url = base === '' ? new URL(clean) : new URL(clean, base);
  } catch {
    throw new RenderFault(
      'link-malformed',
      `"${clean.slice(0, 80)}" is no address to link to.`,
      at,
      base === '' ? 'Set "baseUrl" in mail.yaml for links that are relative.' : undefined,
    );
  }
  if (!SCHEMES.has(url.protocol)) throw new RenderFault('link-scheme', `A mail cannot link to "${url.protocol}" addresses.`, at);
  return url.href;
}
