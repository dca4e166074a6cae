import type { Element } from 'domhandler';
import { EMPTY_LINK_WORDS, SHORTENERS } from './words.js';
import { textOf, type Finding } from './look.js';

const HOST = /^(?:https?:\/\/)?((?:[a-z0-9-]+\.)+[a-z]{2,})(?:[/:?#]|$)/i;
const hostOf = (address: string): string => {
  try {
    return new URL(address).hostname.toLowerCase();
  } catch {
    return '';
  }
};
/** The last two labels: enough to see whether two hosts are of one house. */
const houseOf = (host: string): string => host.split('.').slice(-2).join('.');

/** The findings about a link. */
export function linkFindings(link: Element): Finding[] {
  const out: Finding[] = [];
  const label = textOf(link).trim();
  const href = link.attribs['href'] ?? '';
  const host = hostOf(href);
  const add = (code: string, message: string, hint: string): void => {
    out.push({ code, message, hint, near: label });
  };
  if (label === '' && href !== '')
    add('link-silent', `The link to ${href.slice(0, 60)} has no words.`, 'Give it a text, or its picture an alt text.');
  else if (EMPTY_LINK_WORDS.has(label.toLowerCase()))
    add('link-words', `The link "${label}" does not say where it leads.`, 'Name the page: "your booking", not "here".');
  if (/^(?:localhost|127\.|\[::1\]|10\.|192\.168\.)/i.test(host))
    add(
      'link-local',
      `The link "${label}" leads to this machine: ${href.slice(0, 60)}.`,
      'Set "baseUrl" in mail.yaml to the public address.',
    );
  else if (/^(?:\d{1,3}\.){3}\d{1,3}$|^\[/.test(host))
    add('link-ip', `The link "${label}" leads to an IP address: ${host}.`, 'Filters take that for fraud. Use a name.');
  else if (/^http:/i.test(href)) add('link-plain', `The link "${label}" is not encrypted: ${href.slice(0, 60)}.`, 'Use https.');
  if (SHORTENERS.has(host))
    add(
      'link-short',
      `The link "${label}" goes by ${host}, which hides where it leads.`,
      'Filters distrust that. Link to the page itself.',
    );
  const named = HOST.exec(label)?.[1]?.toLowerCase();
  if (named !== undefined && host !== '' && houseOf(named) !== houseOf(host))
    add('link-text', `The words of this link name ${named}, and it leads to ${host}.`, 'Filters take that for fraud. Say where it leads.');
  return out;
}
