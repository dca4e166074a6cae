const END = Buffer.from('\r\n.\r\n', 'latin1');
const DOT_LINE = Buffer.from('\r\n.', 'latin1');
const [CR, LF] = [13, 10];
const CRLF = Buffer.from('\r\n', 'latin1');

/** What was read of the content of one email. */
export interface ContentPiece {
  /** Without the dots that were doubled. */
  readonly pieces: readonly Buffer[];
  /** How many of the bytes belonged to the content, when it ended within these; undefined when it goes on. */
  readonly length: number | undefined;
}

/**
 * Reads the content that follows DATA, as it comes. Only CRLF, dot, CRLF ends it (RFC 5321 4.1.1.4): where other line ends ended it for one server
 * and not for the next, an email could carry a second one in itself. It keeps nothing but the last bytes.
 */
export class ContentReader {
  /** Read and not given out, since the end may begin there; a line end is thought before the first. */
  #held: Buffer = CRLF;
  /** So many of the bytes that are held were not received. */
  #thought = CRLF.length;
  #last = LF;
  #endedByCr = false;
  /** The end of what was given out: a dot is doubled only at the start of a line. */
  #before: Buffer = CRLF;
  /** Whether there was a bare CR or LF (RFC 5321 2.3.8). */
  hasBareLineEnd = false;

  constructor(
    /** Whether bare line ends are made CRLF. */
    private readonly repairs: boolean,
  ) {}

  read(bytes: Buffer): ContentPiece {
    const seen = Buffer.concat([this.#held, bytes]);
    const at = seen.indexOf(END);
    // The line end before the dot belongs to the content.
    const stop = at === -1 ? Math.max(0, seen.length - END.length + 1) : at + CRLF.length;
    const length = at === -1 ? undefined : at + END.length - this.#held.length;
    this.#held = seen.subarray(stop);
    const thought = Math.min(this.#thought, stop);
    this.#thought -= thought;
    return { pieces: this.#unstuffed(this.#checked(seen.subarray(thought, stop), length !== undefined)), length };
  }

  /** Looks for bare CR and LF, and repairs them where that is wanted. */
  #checked(bytes: Buffer, isEnd: boolean): Buffer {
    if (!this.hasBareLineEnd) this.hasBareLineEnd = this.#hasBare(bytes);
    if (bytes.length > 0) this.#last = bytes.at(-1) ?? 0;
    if (!this.repairs) return bytes;
    let text = (this.#endedByCr ? '\r' : '') + bytes.toString('latin1');
    this.#endedByCr = !isEnd && text.endsWith('\r');
    if (this.#endedByCr) text = text.slice(0, -1);
    return Buffer.from(text.replace(/\r\n|\r|\n/g, '\r\n'), 'latin1');
  }

  #hasBare(bytes: Buffer): boolean {
    if (bytes.length === 0) return false;
    // A CR at the end of the last piece waits for what follows it.
    if (this.#last === CR && bytes[0] !== LF) return true;
    for (let at = bytes.indexOf(LF); at !== -1; at = bytes.indexOf(LF, at + 1))
      if ((at === 0 ? this.#last : bytes[at - 1]) !== CR) return true;
    for (let at = bytes.indexOf(CR); at !== -1; at = bytes.indexOf(CR, at + 1))
      if (at + 1 < bytes.length && bytes[at + 1] !== LF) return true;
    return false;
  }

  /** Without the first dot of each line that begins with one (RFC 5321 4.5.2). */
  #unstuffed(bytes: Buffer): Buffer[] {
    if (bytes.length === 0) return [];
    const skipped = this.#before.length;
    const seen = Buffer.concat([this.#before, bytes]);
    this.#before = seen.subarray(Math.max(0, seen.length - CRLF.length));
    const pieces: Buffer[] = [];
    let from = skipped;
    for (let at = seen.indexOf(DOT_LINE); at !== -1; at = seen.indexOf(DOT_LINE, at + DOT_LINE.length)) {
      const dot = at + CRLF.length;
      if (dot < skipped) continue;
      if (dot > from) pieces.push(seen.subarray(from, dot));
      from = dot + 1;
    }
    if (from < seen.length) pieces.push(seen.subarray(from));
    return pieces;
  }
}
