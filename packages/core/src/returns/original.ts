import { fieldOf, partBytes, readMail, type HeaderField, type Part } from '../mime/index.js';

/** The mail that came back, as far as it did: its header. */
export interface Original {
  readonly fields: readonly HeaderField[];
}

const HEADER_BYTES = 256 * 1024;
const NAMES = ['message-id', 'from', 'to', 'subject', 'date', 'received', 'return-path', 'mime-version', 'content-type'];

/** Whether these are fields of an email's header, and not a text that happens to have colons. */
function isHeader(fields: readonly HeaderField[]): boolean {
  return new Set(fields.map((field) => field.name).filter((name) => NAMES.includes(name))).size >= 2;
}

/** A header that is in bytes of any type. */
function headerIn(bytes: Uint8Array): Original | undefined {
  // Empty lines before it, and a line of an mbox file, belong to nobody.
  const text = Buffer.from(bytes.buffer, bytes.byteOffset, Math.min(bytes.byteLength, HEADER_BYTES)).toString('latin1');
  const start = /^(?:\s*\n)?(?:>?From [^\n]*\n)?/.exec(text)?.[0].length ?? 0;
  const { fields } = readMail(Buffer.from(`${text.slice(start)}\r\n\r\n`, 'latin1'));
  return isHeader(fields) ? { fields } : undefined;
}

/**
 * The mail that a report returns: a part of its own, whole or its header only, by whatever type it goes. What is inside of it is not
 * looked at: a report that was itself returned is not about this one.
 */
export function originalIn(parts: readonly Part[], except: readonly Part[]): Original | undefined {
  for (const part of parts) {
    const [inner] = part.parts;
    if ((part.type === 'message/rfc822' || part.type === 'message/global') && inner !== undefined && inner.fields.length > 0)
      return { fields: inner.fields };
    if (/^(?:text\/rfc822-headers|message\/(?:global-headers|rfc822-headers|rfc822|global|partial|news))$/.test(part.type)) {
      const found = headerIn(partBytes(part));
      if (found !== undefined) return found;
    }
  }
  for (const part of parts) {
    if (except.includes(part) || part.type.startsWith('multipart/') || part.type === 'text/html') continue;
    const found = headerIn(partBytes(part));
    if (found !== undefined) return found;
  }
  return undefined;
}

/** A header that is in a text, as it is, quoted with ">" or moved in. */
export function originalInText(text: string): Original | undefined {
  const lines = text.slice(0, HEADER_BYTES).split(/\r\n|\r|\n/);
  let best: Original | undefined;
  for (let i = 0; i < lines.length; i += 1) {
    const found = /^((?:[>|]\s?|[ \t]){0,12})(?:Received|Return-Path|Message-ID|From|Date|Subject|To|DKIM-Signature|MIME-Version):/i.exec(
      lines[i] ?? '',
    );
    if (found === null) continue;
    const margin = found[1] ?? '';
    const block: string[] = [];
    for (; i < lines.length && block.length < 500; i += 1) {
      const line = lines[i] ?? '';
      const bare = line.startsWith(margin) ? line.slice(margin.length) : line.trimStart();
      if (bare.trim() === '' || bare === margin.trimEnd()) break;
      block.push(bare);
    }
    const header = headerIn(Buffer.from(block.join('\r\n'), 'utf8'));
    if (header === undefined) continue;
    if (messageIdOf(header) !== undefined) return header;
    best ??= header;
  }
  return best;
}

/** An id as it is in brackets, without them. */
export function bareId(value: string | undefined): string | undefined {
  if (value === undefined) return undefined;
  const inner = /<\s*([^<>\s]{1,900})\s*>/.exec(value)?.[1];
  if (inner !== undefined) return inner;
  const bare = value.trim();
  return /^[^\s<>"]{3,900}$/.test(bare) && bare.includes('@') ? bare : undefined;
}

export function messageIdOf(original: Original | undefined): string | undefined {
  return original === undefined ? undefined : bareId(fieldOf(original, 'message-id'));
}

/** The addresses of a field, without names. */
export function addressesIn(value: string | undefined): string[] {
  if (value === undefined) return [];
  const plain = value.slice(0, 16_384).replace(/"[^"]{0,400}"(?=\s*<)/g, ' ');
  return [...plain.matchAll(/[^\s<>,;:"'()[\]]{1,320}@[^\s<>,;:"'()[\]]{1,320}/g)].map((match) => match[0]);
}
