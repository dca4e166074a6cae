/** Bytes that can be gone through any number of times without all being in memory. */
export interface Bytes {
  /** In bytes. */
  readonly size: number;
  readonly chunks: () => Iterable<Uint8Array>;
}

export function bytesOf(data: Uint8Array): Bytes {
  return { size: data.length, chunks: () => [data] };
}

/** All in one piece. */
export function wholeOf(bytes: Bytes): Buffer {
  const all = [...bytes.chunks()];
  const [only] = all;
  if (all.length === 1 && only !== undefined) return Buffer.from(only.buffer, only.byteOffset, only.byteLength);
  return Buffer.concat(all);
}

/** Bytes of a base64 line of 76 characters; blocks are encoded so many lines at a time. */
const LINE_BYTES = 57;
const BLOCK = LINE_BYTES * 512;

function lines(block: Buffer): Buffer {
  return Buffer.from(block.toString('base64').replace(/.{1,76}/g, '$&\r\n'), 'latin1');
}

/** As base64 in lines of 76 characters, each ended by CRLF (RFC 2045 6.8). */
export function base64Of(bytes: Bytes): Bytes {
  const coded = Math.ceil(bytes.size / 3) * 4;
  return {
    size: coded + Math.ceil(coded / 76) * 2,
    *chunks() {
      let rest: Buffer = Buffer.alloc(0);
      for (const chunk of bytes.chunks()) {
        let block: Buffer =
          rest.length === 0 ? Buffer.from(chunk.buffer, chunk.byteOffset, chunk.byteLength) : Buffer.concat([rest, chunk]);
        while (block.length >= BLOCK) {
          yield lines(block.subarray(0, BLOCK));
          block = block.subarray(BLOCK);
        }
        rest = block;
      }
      if (rest.length > 0) yield lines(rest);
    },
  };
}

/** Texts and bytes one after the other. */
export function joinedBytes(pieces: readonly (string | Bytes)[]): Bytes {
  const out: Bytes[] = [];
  let text = '';
  const flush = (): void => {
    if (text !== '') out.push(bytesOf(Buffer.from(text, 'utf8')));
    text = '';
  };
  for (const piece of pieces) {
    if (typeof piece === 'string') text += piece;
    else {
      flush();
      out.push(piece);
    }
  }
  flush();
  return {
    size: out.reduce((sum, bytes) => sum + bytes.size, 0),
    *chunks() {
      for (const bytes of out) yield* bytes.chunks();
    },
  };
}
