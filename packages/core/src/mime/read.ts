import { isUtf8 } from 'node:buffer';
import { decodeTransfer } from './transfer.js';
import { decodeCharset, decodeWords } from './words.js';

/** Bounds of reading: past them the rest is left as it is, never refused. */
const MAX_DEPTH = 20;
const MAX_PARTS = 1000;
const MAX_FIELDS = 2000;
const MAX_FIELD = 64 * 1024;
const MAX_HEADER = 2 * 1024 * 1024;

export interface HeaderField {
  readonly name: string;
  /** Unfolded, not decoded; each character is one byte of the mail. */
  readonly raw: string;
}

/** One part of an email; the mail itself is the outermost. */
export interface Part {
  readonly fields: readonly HeaderField[];
  /** "text/plain", lower case. */
  readonly type: string;
  readonly parameters: Readonly<Record<string, string>>;
  /** As it is in the mail. */
  readonly body: Uint8Array;
  /** Of a multipart, or the one mail inside message/rfc822. */
  readonly parts: readonly Part[];
}

/** Where a header ends: `bodyFrom` is the offset of the first byte of the body. */
function readHeader(text: string): { fields: HeaderField[]; bodyFrom: number } {
  const fields: HeaderField[] = [];
  let at = 0;
  while (at < text.length) {
    const end = text.indexOf('\n', at);
    const stop = end === -1 ? text.length : end;
    const line = text.slice(at, stop).replace(/\r$/, '');
    if (line === '') return { fields, bodyFrom: stop + 1 };
    const last = fields[fields.length - 1];
    if (/^[ \t]/.test(line) && last !== undefined) {
      if (last.raw.length < MAX_FIELD) fields[fields.length - 1] = { name: last.name, raw: `${last.raw} ${line.trim()}` };
    } else {
      const colon = line.indexOf(':');
      const name = line.slice(0, colon).trimEnd();
      // A line that is not a field ends the header; the rest is the body.
      if (colon <= 0 || !/^[\x21-\x39\x3B-\x7E]+$/.test(name)) {
        if (!(at === 0 && line.startsWith('From ')) && !line.startsWith('>From ')) return { fields, bodyFrom: at };
      } else if (fields.length < MAX_FIELDS) {
        fields.push({ name: name.toLowerCase(), raw: line.slice(colon + 1, colon + 1 + MAX_FIELD).trim() });
      }
    }
    at = stop + 1;
  }
  return { fields, bodyFrom: text.length };
}

/** A field's value as text: bytes beyond ASCII read as UTF-8 (or windows-1252), encoded words as they are. What has a structure is read so. */
export function undecodedText(raw: string): string {
  if (!/[^\x00-\x7F]/.test(raw)) return raw;
  const bytes = Buffer.from(raw, 'latin1');
  return isUtf8(bytes) ? bytes.toString('utf8') : decodeCharset(bytes, 'windows-1252');
}

/** The same, with encoded words decoded. */
export function fieldText(raw: string): string {
  return decodeWords(undecodedText(raw));
}

/** The first field of this name as text. */
export function fieldOf(part: Pick<Part, 'fields'>, name: string): string | undefined {
  const found = part.fields.find((field) => field.name === name.toLowerCase());
  return found === undefined ? undefined : fieldText(found.raw);
}

const PARAMETER = /;\s*([^\s=;]+)\s*=\s*(?:"((?:[^"\\]|\\.)*)(?:"|\\?$)|([^;]*))/gs;

/** "type/subtype; name=value …" (RFC 2045 5.1), with RFC 2231 continuations and charsets. */
export function parseParameters(value: string): { value: string; parameters: Record<string, string> } {
  const semicolon = value.indexOf(';');
  const parameters: Record<string, string> = Object.create(null) as Record<string, string>;
  const pieces = new Map<string, { index: number; text: string; encoded: boolean }[]>();
  for (const [, key = '', quoted, bare] of value.matchAll(PARAMETER)) {
    const text = quoted === undefined ? (bare ?? '').trim() : quoted.replace(/\\(.)/g, '$1');
    const extended = /^([^*]+)(?:\*(\d{1,3}))?(\*)?$/.exec(key.toLowerCase());
    if (extended === null) continue;
    const [, name = '', index, star] = extended;
    if (index === undefined && star === undefined) parameters[name] ??= fieldText(text);
    else {
      const list = pieces.get(name) ?? [];
      list.push({ index: Number(index ?? 0), text, encoded: star !== undefined });
      pieces.set(name, list);
    }
  }
  for (const [name, list] of pieces) {
    list.sort((a, b) => a.index - b.index);
    let charset = 'utf-8';
    const bytes = list.map((piece, i) => {
      if (!piece.encoded) return Buffer.from(piece.text, 'latin1');
      const head = i === 0 ? /^([^']*)'[^']*'(.*)$/s.exec(piece.text) : null;
      if (head !== null) charset = head[1] ?? charset;
      return Buffer.from(
        (head?.[2] ?? piece.text).replace(/%([0-9A-Fa-f]{2})/g, (_all, hex: string) => String.fromCharCode(Number.parseInt(hex, 16))),
        'latin1',
      );
    });
    parameters[name] = decodeCharset(Buffer.concat(bytes), charset);
  }
  return { value: (semicolon === -1 ? value : value.slice(0, semicolon)).trim().toLowerCase(), parameters };
}

/** Reads an email, tolerant of what real mail does wrong. Never throws. */
export function readMail(bytes: Uint8Array): Part {
  return readPart(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength), 'text/plain', 0, { left: MAX_PARTS });
}

function readPart(bytes: Buffer, usual: string, depth: number, count: { left: number }): Part {
  // Only the header is turned into text: an email may be large, and its parts are read again and again.
  const { fields, bodyFrom } = readHeader(bytes.toString('latin1', 0, headerEnd(bytes)));
  const body = bytes.subarray(bodyFrom);
  const contentType = fields.find((field) => field.name === 'content-type')?.raw ?? '';
  const { value, parameters } = parseParameters(contentType);
  // Where ";" is missing before a parameter, the type is still what stands first.
  const type = /^([^\s/;]+\/[^\s/;]+)(?:\s+[\w-]+=.*)?$/.exec(value)?.[1] ?? usual;
  let parts: Part[] = [];
  if (depth < MAX_DEPTH) {
    if (type.startsWith('multipart/')) {
      const inner = type === 'multipart/digest' ? 'message/rfc822' : 'text/plain';
      parts = piecesOf(body, parameters['boundary'], count).map((part) => readPart(part, inner, depth + 1, count));
    } else if (type === 'message/rfc822' || type === 'message/global') {
      const encoding = fields.find((field) => field.name === 'content-transfer-encoding')?.raw ?? '';
      const inner = decodeTransfer(body, encoding);
      parts = [readPart(Buffer.from(inner.buffer, inner.byteOffset, inner.byteLength), 'text/plain', depth + 1, count)];
    }
  }
  return { fields, type, parameters, body, parts };
}

/** Where the empty line after the header is past, at most. */
function headerEnd(bytes: Buffer): number {
  const ends = [bytes.indexOf('\n\n'), bytes.indexOf('\n\r\n')].filter((number) => number !== -1);
  const first = bytes[0] === 10 || (bytes[0] === 13 && bytes[1] === 10) ? 0 : Math.min(...ends, bytes.length);
  return Math.min(first + 3, bytes.length, MAX_HEADER);
}

/** The parts of a multipart; by the line that it begins with, where its header names no boundary, or one that is not there. */
function piecesOf(body: Buffer, named: string | undefined, count: { left: number }): Buffer[] {
  const pieces = named === undefined ? [] : split(body, named, count);
  const guess = pieces.length > 0 ? undefined : guessBoundary(body);
  return guess === undefined || guess === named ? pieces : split(body, guess, count);
}

/** The first line of a multipart is likely a boundary. */
function guessBoundary(body: Buffer): string | undefined {
  return /^\s*--([^\r\n]{1,200}?)[ \t]*\r?\n/.exec(body.toString('latin1', 0, 4096))?.[1];
}

function split(body: Buffer, boundary: string, count: { left: number }): Buffer[] {
  const edge = Buffer.from(`--${boundary}`, 'latin1');
  const out: Buffer[] = [];
  let start = -1;
  let at = body.indexOf(edge);
  while (at !== -1) {
    const lineStart = at === 0 || body[at - 1] === 10;
    const after = body.toString('latin1', at + edge.length, at + edge.length + 2);
    const next = body.indexOf(10, at);
    if (lineStart && /^(?:--|[ \t\r\n]|$)/.test(after)) {
      if (start !== -1 && count.left > 0) {
        count.left -= 1;
        out.push(body.subarray(start, Math.max(start, trimEnd(body, at))));
      }
      start = next === -1 ? body.length : next + 1;
      if (after === '--') return out;
    }
    at = next === -1 ? -1 : body.indexOf(edge, lineStart ? next : at + 1);
  }
  if (start !== -1 && start < body.length && count.left > 0) {
    count.left -= 1;
    out.push(body.subarray(start));
  }
  return out;
}

/** The line break before a boundary belongs to the boundary (RFC 2046 5.1.1). */
function trimEnd(body: Buffer, at: number): number {
  if (body[at - 1] !== 10) return at;
  return body[at - 2] === 13 ? at - 2 : at - 1;
}

/** A part's body, decoded. */
export function partBytes(part: Part): Uint8Array {
  return decodeTransfer(part.body, part.fields.find((field) => field.name === 'content-transfer-encoding')?.raw ?? '');
}

/** A text part's text. */
export function partText(part: Part): string {
  const bytes = partBytes(part);
  const charset = part.parameters['charset'];
  if (charset !== undefined) return decodeCharset(bytes, charset);
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return decodeCharset(bytes, 'windows-1252');
  }
}

/** Every part, outermost first. Emails inside an email are not entered. */
export function* partsOf(part: Part): Generator<Part> {
  yield part;
  if (part.type.startsWith('message/')) return;
  for (const inner of part.parts) yield* partsOf(inner);
}

/** The first text of a subtype that is shown, not attached. */
export function shownText(mail: Part, subtype: 'plain' | 'html'): string | undefined {
  for (const part of partsOf(mail)) {
    const attached = /^\s*attachment/i.test(part.fields.find((field) => field.name === 'content-disposition')?.raw ?? '');
    if (part.type === `text/${subtype}` && !attached) return partText(part);
  }
  return undefined;
}
