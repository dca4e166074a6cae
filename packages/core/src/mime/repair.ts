import { isUtf8 } from 'node:buffer';
import { Fault } from '../problems/index.js';
import { addressField, field, parameter, unstructured } from './fields.js';
import { decodeTransfer, quotedBytes } from './transfer.js';
import { base64Of, bytesOf, wholeOf } from './body.js';
import { fieldText, parseParameters, undecodedText } from './read.js';

/** Longest line without CRLF (RFC 5321 4.5.3.1.6, RFC 5322 2.1.1). */
const MAX_LINE = 998;
const MAX_FIELD = 64 * 1024;
const MAX_DEPTH = 20;
const MAX_PARTS = 1000;
/** So many repairs are named. */
const MAX_NAMED = 20;

/**
 * An email that any server can pass on as it is: 7-bit lines of at most 998 octets, each ended by CRLF. Only an address that has no ASCII form stays
 * in UTF-8.
 */
export interface RepairedMail {
  readonly bytes: Buffer;
  /** What was changed, each in a sentence without a full stop. */
  readonly repairs: readonly string[];
  /** Why it cannot be made so, in a sentence that goes on after "It"; the bytes are as they were then. */
  readonly fault: string | undefined;
}

interface Work {
  readonly repairs: Set<string>;
  parts: number;
}

/** A field as it stands, folded, each character one byte. */
interface RawField {
  readonly name: string;
  readonly line: string;
}

/** What no repair can help. */
class Unrepairable extends Error {
  override name = 'Unrepairable';
}

const CRLF = Buffer.from('\r\n', 'latin1');
const [LF, CR] = [10, 13];

/** Whether bytes can travel as they are: no line too long, nothing beyond ASCII, no NUL. Lines end with CRLF. */
function travels(bytes: Buffer): boolean {
  let from = 0;
  for (let end = bytes.indexOf(LF); end !== -1; end = bytes.indexOf(LF, from)) {
    if (end - from > MAX_LINE + 1) return false;
    from = end + 1;
  }
  return bytes.length - from <= MAX_LINE && !/[^\x01-\x7F]/.test(bytes.toString('latin1'));
}

/** Each CR, LF or CRLF as CRLF; the same buffer where they are. */
function withCrlf(bytes: Buffer): Buffer {
  const isBare = (at: number): boolean => (bytes[at] === LF ? bytes[at - 1] !== CR : bytes[at] === CR && bytes[at + 1] !== LF);
  let bare = 0;
  // Most have none: looked for from line end to line end.
  for (const sign of [LF, CR]) for (let at = bytes.indexOf(sign); at !== -1; at = bytes.indexOf(sign, at + 1)) if (isBare(at)) bare += 1;
  if (bare === 0) return bytes;
  const out = Buffer.allocUnsafe(bytes.length + bare);
  let to = 0;
  for (let at = 0; at < bytes.length; at += 1) {
    if (isBare(at)) to = out.writeUInt16BE(0x0d0a, to);
    else {
      out[to] = bytes[at] as number;
      to += 1;
    }
  }
  return out;
}

/**
 * Makes an email of an app's own pass every server unchanged, before it is signed: what a relay has to re-encode breaks the signature (RFC 6376
 * 5.3). Text beyond ASCII in the header becomes encoded words (RFC 2047) or extended parameters (RFC 2231), content becomes quoted-printable or
 * base64; nobody who reads it sees a difference. Never throws.
 */
export function repairMail(given: Uint8Array): RepairedMail {
  const bytes = Buffer.from(given.buffer, given.byteOffset, given.byteLength);
  const work: Work = { repairs: new Set(), parts: MAX_PARTS };
  const clean = withCrlf(bytes);
  if (clean !== bytes) work.repairs.add('Line ends were made CRLF');
  try {
    const whole = entity(clean, { work, depth: 0, isMail: true });
    const repairs = [...work.repairs];
    const named = repairs.length > MAX_NAMED ? [...repairs.slice(0, MAX_NAMED), `${repairs.length - MAX_NAMED} more`] : repairs;
    return { bytes: whole, repairs: named, fault: undefined };
  } catch (error) {
    const fault =
      error instanceof Unrepairable
        ? error.message
        : error instanceof Fault
          ? `has a header that cannot be written: ${error.message}`
          : undefined;
    if (fault === undefined) throw error;
    return { bytes: clean, repairs: [], fault };
  }
}

interface Place {
  readonly work: Work;
  readonly depth: number;
  /** Whether it is an email, and not a part of one. */
  readonly isMail: boolean;
}

/** The header of an entity, and where its body begins. A line that is no field ends the header. */
function headerOf(bytes: Buffer, work: Work): { readonly fields: RawField[]; readonly body: Buffer } {
  const fields: RawField[] = [];
  let at = 0;
  while (at < bytes.length) {
    const end = bytes.indexOf(CRLF, at);
    const stop = end === -1 ? bytes.length : end;
    const next = Math.min(bytes.length, stop + CRLF.length);
    if (stop === at) return { fields, body: bytes.subarray(next) };
    const line = bytes.toString('latin1', at, stop);
    const last = fields.at(-1);
    const name = /^([\x21-\x39\x3B-\x7E]+)[ \t]*:/.exec(line)?.[1];
    if (/^[ \t]/.test(line) && last !== undefined) fields[fields.length - 1] = { ...last, line: `${last.line}\r\n${line}` };
    else if (name !== undefined) fields.push({ name: name.toLowerCase(), line });
    else if (at === 0 && line.startsWith('From ')) work.repairs.add('The line of a mailbox file before the header was removed');
    else {
      work.repairs.add('The header is separated from the content by an empty line');
      return { fields, body: bytes.subarray(at) };
    }
    at = next;
  }
  return { fields, body: bytes.subarray(at) };
}

const valueOf = (line: string): string =>
  line
    .slice(line.indexOf(':') + 1)
    .replace(/\r\n(?=[ \t])/g, '')
    .trim();

function entity(bytes: Buffer, { work, depth, isMail }: Place): Buffer {
  const { fields, body } = headerOf(bytes, work);
  const header = fields.map((raw) => ({ ...raw, line: repairedField(raw, work) }));
  const contentType = header.find(({ name }) => name === 'content-type');
  const { value: type, parameters } = parseParameters(contentType === undefined ? '' : valueOf(contentType.line));
  const encoding = valueOf(header.find(({ name }) => name === 'content-transfer-encoding')?.line ?? ':').toLowerCase();
  const made = content(body, { type: type === '' ? 'text/plain' : type, parameters, encoding, work, depth });
  const isMime = header.some(({ name }) => name === 'mime-version');
  const replaced = header.filter(
    ({ name }) =>
      !(made.encoding !== undefined && name === 'content-transfer-encoding') && !(made.type !== undefined && name === 'content-type'),
  );
  const lines = replaced.map(({ line }) => `${line}\r\n`);
  const describes = header.some(({ name }) => name.startsWith('content-')) || made.encoding !== undefined;
  if (isMail && describes && !isMime) {
    lines.push('MIME-Version: 1.0\r\n');
    work.repairs.add('MIME-Version was added');
  }
  if (made.type !== undefined) lines.push(field('Content-Type', made.type));
  if (made.encoding !== undefined && made.encoding !== '7bit') lines.push(field('Content-Transfer-Encoding', made.encoding));
  return Buffer.concat([Buffer.from(lines.join(''), 'latin1'), CRLF, made.body]);
}

interface Content {
  readonly type: string;
  readonly parameters: Readonly<Record<string, string>>;
  readonly encoding: string;
  readonly work: Work;
  readonly depth: number;
}

interface MadeContent {
  readonly body: Buffer;
  /** What replaces the field of before; undefined where that stays. */
  readonly encoding?: string;
  readonly type?: string;
}

function content(body: Buffer, given: Content): MadeContent {
  const { type, parameters, encoding, work, depth } = given;
  const isWide = encoding === '8bit' || encoding === 'binary';
  if (travels(body)) return isWide ? { body, encoding: '7bit' } : { body };
  if (depth >= MAX_DEPTH) throw new Unrepairable(`has parts within parts more than ${MAX_DEPTH} deep`);
  const boundary = parameters['boundary'];
  if (type === 'multipart/signed' || type === 'multipart/encrypted')
    throw new Unrepairable(
      `has a part of ${type} with lines that cannot travel, and changing them would break its signature (RFC 1847 2.1)`,
    );
  if (type.startsWith('multipart/') && boundary !== undefined && boundary !== '')
    return { body: multipart(body, boundary, given), ...(encoding === '' || encoding === '7bit' ? {} : { encoding: '7bit' }) };
  if ((type === 'message/rfc822' || type === 'message/global') && encoding !== 'base64' && encoding !== 'quoted-printable') {
    const inner = entity(body, { work, depth: depth + 1, isMail: true });
    return { body: inner, encoding: '7bit' };
  }
  return leaf(body, given);
}

function leaf(body: Buffer, { type, parameters, encoding, work }: Content): MadeContent {
  const decoded = Buffer.from(decodeTransfer(body, encoding));
  const isText = type.startsWith('text/') || type.startsWith('multipart/') || type.startsWith('message/');
  const made = isText ? 'quoted-printable' : 'base64';
  work.repairs.add(
    `${type}: ${/[^\x00-\x7F]/.test(body.toString('latin1')) ? '8-bit content' : `lines of more than ${MAX_LINE} octets`} became ${made}`,
  );
  const out = isText ? quotedBytes(decoded) : wholeOf(base64Of(bytesOf(decoded)));
  const isBroken = type.startsWith('multipart/');
  if (isBroken) work.repairs.add(`A ${type} without a boundary became text/plain`);
  const needsCharset = isText && parameters['charset'] === undefined && /[^\x00-\x7F]/.test(decoded.toString('latin1'));
  if (!isBroken && !(needsCharset && type.startsWith('text/'))) return { body: out, encoding: made };
  const charset = isUtf8(decoded) ? 'utf-8' : 'windows-1252';
  work.repairs.add(`A text without a charset is named ${charset}`);
  const more = Object.entries(parameters).flatMap(([name, value]) => (name === 'boundary' ? [] : [parameter(name, value)]));
  return { body: out, encoding: made, type: `${isBroken ? 'text/plain' : type}; charset=${charset}${more.join('')}` };
}

/** Each part alone; what comes before the first and after the last is no content (RFC 2046 5.1.1), and is left out where it cannot travel. */
function multipart(body: Buffer, boundary: string, { work, depth }: Content): Buffer {
  const out: Buffer[] = [];
  const edge = Buffer.from(`--${boundary}`, 'latin1');
  const emit = (piece: Buffer, { isPart, isClosed }: { readonly isPart: boolean; readonly isClosed: boolean }): void => {
    if (!isPart) {
      if (travels(piece)) out.push(piece);
      else work.repairs.add('Text outside of the parts, which is not displayed, was removed');
      return;
    }
    work.parts -= 1;
    if (work.parts < 0) throw new Unrepairable(`has more than ${MAX_PARTS} parts`);
    // The line end before the boundary belongs to the boundary.
    const own = isClosed && piece.length >= 2 && piece.at(-1) === LF && piece.at(-2) === CR ? piece.subarray(0, -2) : piece;
    out.push(travels(own) ? own : entity(own, { work, depth: depth + 1, isMail: false }), piece.subarray(own.length));
  };
  let from = 0;
  let isPart = false;
  for (let at = body.indexOf(edge); at !== -1; at = body.indexOf(edge, at + edge.length)) {
    const isAtStart = at === 0 || body[at - 1] === LF;
    const end = body.indexOf(CRLF, at);
    const stop = end === -1 ? body.length : end;
    const after = body.toString('latin1', at + edge.length, Math.min(stop, at + edge.length + MAX_LINE));
    const isLast = /^--[ \t]*$/.test(after);
    if (!isAtStart || !(isLast || /^[ \t]*$/.test(after))) continue;
    emit(body.subarray(from, at), { isPart, isClosed: true });
    const next = Math.min(body.length, stop + CRLF.length);
    out.push(Buffer.from(`--${boundary}${isLast ? '--' : ''}\r\n`, 'latin1'));
    from = next;
    isPart = !isLast;
    if (isLast) break;
  }
  emit(body.subarray(from), { isPart, isClosed: false });
  return Buffer.concat(out);
}

const ADDRESSES = new Set('from sender reply-to to cc bcc errors-to disposition-notification-to return-receipt-to'.split(' '));
const PARAMETERS = new Set(['content-type', 'content-disposition']);
/** Ids and words of protocols: nothing in them can be encoded. */
const WORDS = new Set(
  'message-id in-reply-to references date mime-version content-transfer-encoding content-id dkim-signature received return-path'.split(' '),
);

/** A field that can travel: folded where a line is too long, encoded where it is beyond ASCII. */
function repairedField({ name, line }: RawField, work: Work): string {
  const isLong = line.split('\r\n').some((text) => text.length > MAX_LINE);
  const isBeyond = /[^\t\r\n\x20-\x7E]/.test(line);
  if (!isLong && !isBeyond) return line;
  const shown = line.slice(0, line.indexOf(':')).trim();
  const value = valueOf(line);
  if (value.length > MAX_FIELD) throw new Unrepairable(`has a field ${shown} of more than ${MAX_FIELD} octets`);
  const made = field(shown, repairedValue(name, value)).slice(0, -CRLF.length);
  if (made !== line) work.repairs.add(`${shown}: ${isBeyond ? 'text beyond ASCII was encoded' : 'a line was folded'}`);
  return made;
}

/** Text as bytes of its UTF-8, each a character: an address beyond ASCII stays, and needs SMTPUTF8 (RFC 6532 3.2). */
function bytewise(text: string): string {
  return Buffer.from(text, 'utf8').toString('latin1');
}

function repairedValue(name: string, raw: string): string {
  if (name.startsWith('resent-') || ADDRESSES.has(name)) return bytewise(addressField(undecodedText(raw)));
  if (PARAMETERS.has(name)) {
    const { value, parameters } = parseParameters(raw);
    // What is not a valid type means this (RFC 2045 5.2, RFC 2183 2.8): cleaned it could become another one.
    const usual = name === 'content-type' ? 'text/plain' : 'attachment';
    return (
      (/^[\x21-\x7E]*$/.test(value) ? value : usual) +
      Object.entries(parameters)
        // What has no name means nothing to anybody.
        .filter(([key]) => /^[\w!#$&+.^`{|}~-]{1,60}$/.test(key))
        .map(([key, text]) => parameter(key, text))
        .join('')
    );
  }
  if (WORDS.has(name)) return raw.replace(/[^\x20-\x7E]+/g, ' ').trim();
  return unstructured(fieldText(raw), name.length);
}
