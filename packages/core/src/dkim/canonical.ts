import { createHash } from 'node:crypto';

/** A header field in relaxed form (RFC 6376 3.4.2), without the CRLF at its end. */
export function canonicalField(name: string, value: string): string {
  return `${name.toLowerCase().trim()}:${value
    .replace(/\r\n(?=[ \t])/g, '')
    .replace(/[ \t]+/g, ' ')
    .trim()}`;
}

/**
 * The hash of a body in relaxed form (RFC 6376 3.4.4): white space runs are one space, none at the end of a line, no empty lines at the end.
 * @returns base64 of the SHA-256
 */
export function canonicalBodyHash(chunks: Iterable<Uint8Array>): string {
  const hash = createHash('sha256');
  let rest: Buffer = Buffer.alloc(0);
  // Line ends are held back until something follows them.
  const held = { ends: 0, begun: false };
  const take = (lines: Buffer): void => {
    const clean = relaxed(lines);
    let stop = clean.length;
    while (stop >= 2 && clean[stop - 1] === LF && clean[stop - 2] === CR) stop -= 2;
    if (stop > 0) {
      if (held.ends > 0) hash.update('\r\n'.repeat(held.ends), 'latin1');
      hash.update(stop === clean.length ? clean : clean.subarray(0, stop));
      held.ends = 0;
      held.begun = true;
    }
    held.ends += (clean.length - stop) / 2;
  };
  for (const chunk of chunks) {
    const own = Buffer.from(chunk.buffer, chunk.byteOffset, chunk.byteLength);
    const bytes = rest.length === 0 ? own : Buffer.concat([rest, own]);
    const end = bytes.lastIndexOf('\r\n') + 2;
    if (end > 1) take(bytes.subarray(0, end));
    rest = end > 1 ? bytes.subarray(end) : bytes;
  }
  if (rest.length > 0) take(Buffer.concat([rest, Buffer.from('\r\n')]));
  if (held.begun) hash.update('\r\n', 'latin1');
  return hash.digest('base64');
}

const [LF, CR] = [10, 13];

/** White space that is not as it should be: more than one, a tab, one before a line end. */
const LOOSE = /[ \t]{2,}|\t| (?=\r\n)/g;

/** Whole lines in relaxed form. Most have nothing to change, and then nothing is copied. */
function relaxed(lines: Buffer): Buffer {
  const text = lines.toString('latin1');
  let out = '';
  let from = 0;
  LOOSE.lastIndex = 0;
  for (let found = LOOSE.exec(text); found !== null; found = LOOSE.exec(text)) {
    const end = found.index + found[0].length;
    out += text.slice(from, found.index) + (text.charCodeAt(end) === CR && text.charCodeAt(end + 1) === LF ? '' : ' ');
    from = end;
  }
  return from === 0 ? lines : Buffer.from(out + text.slice(from), 'latin1');
}
