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
  let rest = '';
  // Line ends are held back until something follows them.
  const held = { ends: 0, begun: false };
  const take = (text: string): void => {
    // A single space stays as it is, so only what changes is looked for.
    const single = text.includes('  ') || text.includes('\t') ? text.replace(/[ \t]+/g, ' ') : text;
    const clean = single.includes(' \r\n') ? single.replaceAll(' \r\n', '\r\n') : single;
    let stop = clean.length;
    while (clean.endsWith('\r\n', stop)) stop -= 2;
    if (stop > 0) {
      if (held.ends > 0) hash.update('\r\n'.repeat(held.ends), 'latin1');
      hash.update(stop === clean.length ? clean : clean.slice(0, stop), 'latin1');
      held.ends = 0;
      held.begun = true;
    }
    held.ends += (clean.length - stop) / 2;
  };
  for (const chunk of chunks) {
    const text = rest + Buffer.from(chunk.buffer, chunk.byteOffset, chunk.byteLength).toString('latin1');
    const end = text.lastIndexOf('\r\n') + 2;
    if (end > 1) take(text.slice(0, end));
    rest = end > 1 ? text.slice(end) : text;
  }
  if (rest !== '') take(`${rest}\r\n`);
  if (held.begun) hash.update('\r\n', 'latin1');
  return hash.digest('base64');
}
