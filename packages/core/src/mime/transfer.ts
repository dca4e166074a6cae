import { LRUCache } from 'lru-cache';
/** Longest encoded line (RFC 2045 6.7 and 6.8). */
const LINE = 76;

/** Line ends as CRLF, whatever they were. */
export function crlf(text: string): string {
  return text.replace(/\r\n|\r|\n/g, '\r\n');
}

const HEX = Array.from({ length: 256 }, (_, byte) => `=${byte.toString(16).toUpperCase().padStart(2, '0')}`);

// What a line may not hold as it is.
const UNSAFE = /[^\t\x20-\x3C\x3E-\x7E]+/g;

const codes = new Map<string, string>();

/** A run of characters as "=XX" for each byte of its UTF-8. The same few come again and again: an equals sign, a dash, a letter of the language. */
function codeOf(run: string): string {
  let code = codes.get(run);
  if (code === undefined) {
    code = '';
    for (const byte of Buffer.from(run, 'utf8')) code += HEX[byte] ?? '';
    if (run.length <= 4 && codes.size < 4096) codes.set(run, code);
  }
  return code;
}

/** Where a line may be cut before `end`: not within "=XX". */
function cutBefore(text: string, end: number): number {
  if (text[end - 1] === '=') return end - 1;
  return text[end - 2] === '=' ? end - 2 : end;
}

/** "From " and a lone dot at the start of a line are changed by some relays on the way. */
function guarded(line: string): string {
  const first = line.charCodeAt(0);
  if (first !== 46 && first !== 70) return line;
  if (line.startsWith('.')) return `=2E${line.slice(1)}`;
  return line.startsWith('From ') ? `=46${line.slice(1)}` : line;
}

/** A line without its end, and what an encoding needs to know of it. */
interface CodedLine {
  /** In quoted-printable, broken where it is too long. */
  readonly quoted: string;
  /** Its length so, without the breaks. */
  readonly length: number;
  /** In bytes. */
  readonly size: number;
  /** Whether it may stand as it is (7bit): ASCII, not too long, and nothing that some relays change on the way. */
  readonly plain: boolean;
}

/** Longest line of 7bit text, without CRLF (RFC 5322 2.1.1). */
const MAX_LINE = 998;

function codeLine(source: string): CodedLine {
  const plain = source.length <= MAX_LINE && source !== '.' && !source.startsWith('From ') && !/[^\t\x20-\x7E]/.test(source);
  const line = source.replace(UNSAFE, codeOf);
  return { quoted: quotedLine(line), length: line.length, size: plain ? source.length : Buffer.byteLength(source), plain };
}

/** A line whose characters are all coded, broken where it is too long. */
function quotedLine(coded: string): string {
  let line = coded;
  const { length } = line;
  // White space at the end of a line gets lost on the way.
  const last = line.charCodeAt(length - 1);
  if (last === 32 || last === 9) line = line.slice(0, -1) + (HEX[last] ?? '');
  line = guarded(line);
  let quoted = '';
  while (line.length >= LINE) {
    const end = cutBefore(line, LINE - 1);
    quoted += `${line.slice(0, end)}=\r\n`;
    line = guarded(line.slice(end));
  }
  return quoted + line;
}

/** Lines of layouts and templates come again in every mail: they are coded once. */
const kept = new LRUCache<string, CodedLine>({ max: 4000 });
const KEPT_LENGTH = 2000;

function coded(line: string): CodedLine {
  const found = kept.get(line);
  if (found !== undefined) return found;
  if (line.length > KEPT_LENGTH) return codeLine(line);
  // A copy, since a piece of an email would keep the whole mail in memory.
  const own = Buffer.from(line, 'utf16le').toString('utf16le');
  const made = codeLine(own);
  kept.set(own, made);
  return made;
}

function base64Lines(bytes: Buffer): string {
  return bytes.toString('base64').replace(/.{1,76}/g, '$&\r\n');
}

const [TAB, LF, CR, SPACE, DOT, EQUALS, F] = [9, 10, 13, 32, 46, 61, 70];
const HEX_SIGNS = Buffer.from('0123456789ABCDEF', 'latin1');

/**
 * Bytes of a text, whatever their charset, as quoted-printable (RFC 2045 6.7). Lines end with CRLF. Byte by byte: it is for emails of others, which
 * may be large and of one line.
 */
export function quotedBytes(bytes: Buffer): Buffer {
  const out = Buffer.allocUnsafe(bytes.length * 3 + Math.ceil((bytes.length * 3) / (LINE - 3)) * 3 + 3);
  let [to, column] = [0, 0];
  for (let at = 0; at < bytes.length; at += 1) {
    const byte = bytes[at] as number;
    if (byte === CR && bytes[at + 1] === LF) {
      to = out.writeUInt16BE(0x0d0a, to);
      column = 0;
      at += 1;
      continue;
    }
    const isEnd = at + 1 === bytes.length || (bytes[at + 1] === CR && bytes[at + 2] === LF);
    // White space at the end of a line gets lost on the way.
    const isPlain = byte === SPACE || byte === TAB ? !isEnd : byte > SPACE && byte < 127 && byte !== EQUALS;
    if (column + (isPlain ? 1 : 3) > LINE - 1) {
      out[to] = EQUALS;
      to = out.writeUInt16BE(0x0d0a, to + 1);
      column = 0;
    }
    const isChanged = column === 0 && (byte === DOT || (byte === F && bytes.toString('latin1', at, at + 5) === 'From '));
    if (isPlain && !isChanged) {
      out[to] = byte;
      to += 1;
      column += 1;
    } else {
      out[to] = EQUALS;
      out[to + 1] = HEX_SIGNS[byte >> 4] as number;
      out[to + 2] = HEX_SIGNS[byte & 15] as number;
      to += 3;
      column += 3;
    }
  }
  return out.subarray(0, to);
}

export type TransferEncoding = '7bit' | 'quoted-printable' | 'base64';

/** A text in the smallest encoding that is right for it. Line ends become CRLF. */
export function encodeText(text: string): { readonly encoding: TransferEncoding; readonly body: string } {
  const lines = text.includes('\r') ? text.split(/\r\n|\r|\n/) : text.split('\n');
  const made = lines.map(coded);
  if (made.every((line) => line.plain)) return { encoding: '7bit', body: lines.join('\r\n') };
  let [length, size] = [lines.length, lines.length];
  for (const line of made) {
    length += line.length;
    size += line.size;
  }
  if (length <= (size * 4) / 3) return { encoding: 'quoted-printable', body: made.map((line) => line.quoted).join('\r\n') };
  return { encoding: 'base64', body: base64Lines(Buffer.from(lines.join('\r\n'), 'utf8')) };
}

/** Reads a body by its Content-Transfer-Encoding; broken ones as far as they make sense. */
export function decodeTransfer(body: Uint8Array, encoding: string): Uint8Array {
  const name = encoding.trim().toLowerCase();
  if (name === 'base64')
    return Buffer.from(
      Buffer.from(body)
        .toString('latin1')
        .replace(/[^A-Za-z0-9+/=]/g, ''),
      'base64',
    );
  if (name !== 'quoted-printable') return body;
  const text = Buffer.from(body)
    .toString('latin1')
    .replace(/(?<![ \t])[ \t]+(?=\r?\n|$)/g, '')
    .replace(/=\r?\n/g, '');
  return Buffer.from(
    text.replace(/=([0-9A-Fa-f]{2})/g, (_all, hex: string) => String.fromCharCode(Number.parseInt(hex, 16))),
    'latin1',
  );
}
