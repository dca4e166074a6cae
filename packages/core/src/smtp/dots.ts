import type { Bytes } from '../mime/index.js';

const DOT_LINE = Buffer.from('\r\n.', 'latin1');

/** Positions of dots at the start of a line within a piece; `before` are the last bytes of what went before. */
function dotsOf(piece: Buffer, { atLineStart }: { readonly atLineStart: boolean }): number[] {
  const out: number[] = atLineStart && piece[0] === 46 ? [0] : [];
  for (let at = piece.indexOf(DOT_LINE); at !== -1; at = piece.indexOf(DOT_LINE, at + 2)) out.push(at + 2);
  return out;
}

/**
 * A mail as DATA sends it: a dot doubled at the start of a line, and the final dot (RFC 5321 4.5.2).
 * @param mail with CRLF at the end of each line
 */
export function stuffed(mail: Bytes): Bytes {
  return {
    size: mail.size,
    *chunks() {
      // The last two bytes that went out, since a line end may fall between two pieces.
      let last = '\r\n';
      for (const chunk of mail.chunks()) {
        const piece = Buffer.from(chunk.buffer, chunk.byteOffset, chunk.byteLength);
        if (piece.length === 0) continue;
        const dots = dotsOf(piece, { atLineStart: last === '\r\n' });
        // "\r" | "\n." is a line start that the search above does not see.
        if (last.endsWith('\r') && piece[0] === 10 && piece[1] === 46) dots.unshift(1);
        let from = 0;
        for (const at of dots) {
          yield piece.subarray(from, at + 1);
          from = at;
        }
        yield from === 0 ? piece : piece.subarray(from);
        last = (last + piece.toString('latin1', Math.max(0, piece.length - 2))).slice(-2);
      }
      yield Buffer.from(last === '\r\n' ? '.\r\n' : '\r\n.\r\n', 'latin1');
    },
  };
}
