import { domainToASCII } from 'node:url';
import { addressText, type Mailbox } from './addresses.js';
import { encodeWords } from './words.js';
import { Fault } from '../problems/index.js';

/** Longest line that a header should have, and must not pass (RFC 5322 2.1.1), without CRLF. */
const WANTED_LINE = 78;
const MAX_LINE = 998;

const FIELD_NAME = /^[\x21-\x39\x3B-\x7E]+$/;
const PLAIN = /^[\x20-\x7E]*$/;

/**
 * A header field, folded at spaces. The one place where a header line is made: nothing with a line break passes.
 * @throws Fault for an invalid name, a value with control characters, or a word that no line can hold.
 */
export function field(name: string, value: string): string {
  if (!FIELD_NAME.test(name)) throw new Fault('header', `"${name}" is no name for a header field.`);
  if (/[\u0000-\u0008\u000A-\u001F\u007F]/.test(value))
    throw new Fault('header', `The header field "${name}" holds a line break or control character.`);
  if (name.length + 2 + value.length <= WANTED_LINE) return `${name}: ${value}\r\n`;
  const words = value.split(' ');
  let line = `${name}:`;
  const lines: string[] = [];
  words.forEach((word, i) => {
    if (
      i > 0 &&
      line.length + 1 + word.length > WANTED_LINE &&
      word !== '' &&
      line.trim() !== '' &&
      !(lines.length === 0 && line === `${name}:`)
    ) {
      lines.push(line);
      line = '';
    }
    line += ` ${word}`;
  });
  lines.push(line);
  if (lines.some((text) => text.length > MAX_LINE))
    throw new Fault('header', `The header field "${name}" has a word of more than ${MAX_LINE} characters.`);
  return `${lines.join('\r\n')}\r\n`;
}

/** Unstructured text (a subject) as a field's value: as it is in ASCII, else as encoded words. */
export function unstructured(text: string, before = 0): string {
  const line = unstructuredPlain(text);
  const plain = PLAIN.test(line) && !line.includes('=?') && line.split(' ').every((word) => word.length < MAX_LINE - 80);
  return plain ? line : encodeWords(line, Math.max(30, WANTED_LINE - before - 2)).join(' ');
}

/** A display name as a phrase (RFC 5322 3.2.5): atoms as they are, else quoted, else encoded words. */
export function phrase(name: string): string {
  const line = unstructuredPlain(name);
  if (/^[A-Za-z0-9!#$%&'*+/=?^_`{|}~ -]*$/.test(line) && !line.includes('=?')) return line;
  if (PLAIN.test(line) && line.length < 200) return `"${line.replace(/["\\]/g, '\\$&')}"`;
  return encodeWords(line).join(' ');
}

function unstructuredPlain(text: string): string {
  return text
    .replace(/[\s\u0085\u2028\u2029]/g, ' ')
    .replace(/[\u0000-\u001F\u007F-\u009F]/g, '')
    .replace(/ +/g, ' ')
    .trim();
}

export function mailboxField(mailboxes: readonly Mailbox[]): string {
  return mailboxes
    .map((mailbox) => (mailbox.name === '' ? addressText(mailbox) : `${phrase(mailbox.name)} <${addressText(mailbox)}>`))
    .join(', ');
}

/** What turns the direction of text, and so hides how a file's name ends. */
const BIDI = /[\u061C\u200E\u200F\u202A-\u202E\u2066-\u2069]/g;

// A quote that is not closed goes to the end: looked for again at every sign, it would take the square of the time.
const ADDRESS_TOKEN = /"(?:[^"\\]|\\.)*(?:"|\\?$)|\((?:[^()\\]|\\.)*\)|<[^<>]*>|[,:;]|[^"(<,:;]+|./gsu;
const BEYOND = /[^\x20-\x7E\t]/;

/**
 * A field of addresses that another program wrote, with its words beyond ASCII as encoded words (RFC 2047 5 (3)). Domains take their ASCII
 * form; a local part has none.
 */
export function addressField(value: string): string {
  let wasEncoded = false;
  // Between two encoded words white space is no part of the text (RFC 2047 6.2), so it goes into the second.
  const encoded = (text: string): string => encodeWords(`${wasEncoded ? ' ' : ''}${text.trim()}`).join(' ');
  const unquoted = (token: string): string => token.slice(1).replace(/[")]$/, '').replace(/\\(.)/g, '$1');
  const address = (text: string): string => {
    const at = text.lastIndexOf('@');
    const domain = domainToASCII(text.slice(at + 1).trim());
    return at === -1 || domain === '' ? text : `${text.slice(0, at + 1)}${domain}`;
  };
  const token = (text: string): string => {
    if (text.startsWith('"')) return encoded(unquoted(text));
    if (text.startsWith('(')) return `(${encoded(unquoted(text))})`;
    if (text.startsWith('<')) return `<${address(text.slice(1, -1))}>`;
    const before = wasEncoded ? ' ' : (/^\s*/.exec(text)?.[0] ?? '');
    return before + (text.includes('@') ? address(text.trim()) : encoded(text)) + text.slice(text.trimEnd().length);
  };
  return [...value.matchAll(ADDRESS_TOKEN)]
    .map(([text]) => {
      const made = BEYOND.test(text) ? token(text) : text;
      wasEncoded = made !== text && !/[<@(]/.test(text) ? true : wasEncoded && /^\s*$/.test(text);
      return made;
    })
    .join('')
    .replace(/[^\S ]+/g, ' ');
}

/** `; name="value"` (RFC 2045 5.1); beyond ASCII or long: extended and continued (RFC 2231 3 and 4). */
export function parameter(name: string, value: string): string {
  const clean = unstructuredPlain(value.toWellFormed()).replace(BIDI, '');
  if (PLAIN.test(clean) && clean.length <= 60) return `; ${name}="${clean.replace(/["\\]/g, '\\$&')}"`;
  // A character is never split: readers decode each word separately.
  const coded = [...clean].map((sign) =>
    /[A-Za-z0-9._-]/.test(sign) ? sign : Buffer.from(sign, 'utf8').toString('hex').toUpperCase().replace(/../g, '%$&'),
  );
  const pieces: string[] = [''];
  for (const sign of coded) {
    const last = pieces.at(-1) ?? '';
    if (last.length + sign.length > 50) pieces.push(sign);
    else pieces[pieces.length - 1] = last + sign;
  }
  if (pieces.length === 1) return `; ${name}*=UTF-8''${pieces[0] ?? ''}`;
  return pieces.map((piece, i) => `; ${name}*${i}*=${i === 0 ? "UTF-8''" : ''}${piece}`).join('');
}

const STRUCTURE = new Set(
  (
    'date from sender to cc bcc reply-to subject message-id in-reply-to references return-path received delivered-to mime-version dkim-signature ' +
    'auto-submitted list-unsubscribe list-unsubscribe-post authentication-results arc-encrypt arc-message-signature arc-authentication-results'
  ).split(' '),
);

/** Why an app may not set this header field itself; undefined where it may. */
export function headerFault(name: string, value: string): string | undefined {
  if (!FIELD_NAME.test(name) || name.length > 60) return 'is no name for a header field';
  if (STRUCTURE.has(name.toLowerCase()) || /^(?:content|resent)-/i.test(name)) return 'is written by the service';
  if (/[\u0000-\u001F\u007F\u2028\u2029]/.test(value)) return 'has a value with a line break or control character';
  return value.length > 2000 ? 'has a value of more than 2000 characters' : undefined;
}

const DAYS = ['Sun', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat'];
const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];

/** RFC 5322 3.3, in UTC. `at` in milliseconds since the epoch. */
export function dateField(at: number): string {
  const date = new Date(at);
  const two = (n: number): string => String(n).padStart(2, '0');
  return `${DAYS[date.getUTCDay()] ?? ''}, ${date.getUTCDate()} ${MONTHS[date.getUTCMonth()] ?? ''} ${date.getUTCFullYear()} ${two(date.getUTCHours())}:${two(date.getUTCMinutes())}:${two(date.getUTCSeconds())} +0000`;
}
