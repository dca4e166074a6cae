import { fieldOf, fieldText, parseParameters, partBytes, partsOf, readMail, shownText, type Part } from '../mime/index.js';
import { codesOf } from './codes.js';
import { linksOf, linksOfText, wordsOfHtml, type ShownLink } from './html.js';

export interface ShownAttachment {
  /** Its number among the parts of the mail: stable for the same bytes. */
  readonly part: number;
  readonly name: string;
  readonly type: string;
  /** Bytes, decoded. */
  readonly size: number;
  /** Whether the HTML shows it. */
  readonly inline: boolean;
}

/** Everything a reader may want of an email. */
export interface ShownMail {
  readonly subject: string;
  readonly from: string;
  readonly to: string;
  readonly date: string | undefined;
  readonly headers: readonly { readonly name: string; readonly value: string }[];
  readonly text: string;
  readonly html: string;
  readonly links: readonly ShownLink[];
  readonly codes: readonly string[];
  readonly attachments: readonly ShownAttachment[];
}

/** Characters of a part that are looked through for links and codes: what a person would ever scroll through. */
const LOOKED_THROUGH = 512 * 1024;

function nameOf(part: Part, n: number): string {
  const disposition = part.fields.find((field) => field.name === 'content-disposition')?.raw ?? '';
  const given = /filename\*?=/i.test(disposition) ? parameterOf(disposition, 'filename') : undefined;
  const name = given ?? part.parameters['name'];
  // A name must not lead anywhere when it is saved.
  const safe = (name ?? '')
    .replace(/^.*[/\\]/s, '')
    .replace(/[\u0000-\u001F\u007F]/g, '')
    .trim()
    .slice(0, 200);
  if (safe !== '' && safe !== '.' && safe !== '..') return safe;
  return part.type === 'message/rfc822' ? `mail-${n}.eml` : `part-${n}`;
}

function parameterOf(disposition: string, name: string): string | undefined {
  const { parameters } = parseParameters(disposition);
  return parameters[name];
}

/** The text part as it is meant to be read: format=flowed is put together again (RFC 3676 4.2 to 4.5). */
function plainText(mail: Part): string {
  const text = shownText(mail, 'plain') ?? '';
  const part = [...partsOf(mail)].find(({ type }) => type === 'text/plain');
  if (part?.parameters['format']?.toLowerCase() !== 'flowed') return text;
  const joins = part.parameters['delsp']?.toLowerCase() === 'yes' ? '' : ' ';
  const out: string[] = [];
  let open = false;
  let depth = 0;
  for (const line of text.replaceAll('\r\n', '\n').split('\n')) {
    const quotes = /^>*/.exec(line)?.[0] ?? '';
    const bare = line.slice(quotes.length).replace(/^ /, '');
    const soft = bare.endsWith(' ') && bare !== '-- ';
    const words = soft ? bare.slice(0, -1) : bare;
    if (open && quotes.length === depth && bare !== '-- ') out[out.length - 1] = `${out.at(-1) ?? ''}${joins}${words}`;
    else out.push(quotes === '' ? words : `${quotes} ${words}`);
    open = soft;
    depth = quotes.length;
  }
  return out.join('\n');
}

/** Reads a mail as a person would. Never throws, whatever the bytes are. */
export function inspectMail(bytes: Uint8Array): ShownMail {
  const mail = readMail(bytes);
  const text = plainText(mail);
  const html = shownText(mail, 'html') ?? '';
  const attachments: ShownAttachment[] = [];
  let n = -1;
  let shownPlain = false;
  let shownHtml = false;
  for (const part of partsOf(mail)) {
    n += 1;
    if (part.type.startsWith('multipart/') && part.parts.length > 0) continue;
    const disposition = (part.fields.find((field) => field.name === 'content-disposition')?.raw ?? '').trim().toLowerCase();
    const attached = disposition.startsWith('attachment');
    if (!attached && part.type === 'text/plain' && !shownPlain) {
      shownPlain = true;
      continue;
    }
    if (!attached && part.type === 'text/html' && !shownHtml) {
      shownHtml = true;
      continue;
    }
    const id = /^<(.+)>$/.exec(fieldOf(part, 'content-id')?.trim() ?? '')?.[1];
    attachments.push({
      part: n,
      name: nameOf(part, n),
      type: part.type,
      size: partBytes(part).length,
      inline: id !== undefined && html.includes(`cid:${id}`),
    });
  }
  const start = { text: text.slice(0, LOOKED_THROUGH), html: html.slice(0, LOOKED_THROUGH) };
  const links = html === '' ? linksOfText(start.text) : linksOf(start.html);
  return {
    subject: fieldOf(mail, 'subject') ?? '',
    from: fieldOf(mail, 'from') ?? '',
    to: fieldOf(mail, 'to') ?? '',
    date: fieldOf(mail, 'date'),
    headers: mail.fields.map((field) => ({ name: field.name, value: fieldText(field.raw) })),
    text,
    html,
    links,
    codes: codesOf(text === '' ? wordsOfHtml(start.html) : start.text),
    attachments,
  };
}
