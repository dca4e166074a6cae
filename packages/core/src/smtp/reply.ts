/** A whole reply of an SMTP server (RFC 5321 4.2). */
export interface Reply {
  readonly code: number;
  /** Enhanced status code (RFC 3463) at the start of its text, like "5.1.1". */
  readonly enhanced: string | undefined;
  /** The text of each line, without code and enhanced status code. */
  readonly lines: readonly string[];
}

const MAX_REPLY_LINE = 4096;
const MAX_REPLY_LINES = 200;

const LINE = /^([2-5]\d\d)([ -]?)(.*)$/;
const ENHANCED = /^([245]\.\d{1,3}\.\d{1,3})(?:\s+|$)/;

export function replyText(reply: Reply): string {
  return [reply.code, reply.enhanced, reply.lines.join(' ')].filter((value) => value !== undefined && value !== '').join(' ');
}

/** Puts replies together from bytes that arrive in any pieces. */
export class ReplyReader {
  #rest = '';
  #lines: string[] = [];
  #enhanced: string | undefined;

  /** Whether something of a reply has arrived that is not complete. */
  get unfinished(): boolean {
    return this.#rest !== '' || this.#lines.length > 0;
  }

  /** The replies that these bytes complete; 'malformed' when the server does not speak SMTP. */
  read(bytes: Uint8Array): (Reply | 'malformed')[] {
    const out: (Reply | 'malformed')[] = [];
    this.#rest += Buffer.from(bytes).toString('latin1');
    for (let end = this.#rest.indexOf('\n'); end !== -1; end = this.#rest.indexOf('\n')) {
      const line = Buffer.from(this.#rest.slice(0, end).replace(/\r$/, ''), 'latin1').toString('utf8');
      this.#rest = this.#rest.slice(end + 1);
      const reply = this.#line(line);
      if (reply !== undefined) out.push(reply);
    }
    if (this.#rest.length > MAX_REPLY_LINE) out.push('malformed');
    return out;
  }

  #line(line: string): Reply | 'malformed' | undefined {
    const found = LINE.exec(line);
    if (found === null || this.#lines.length >= MAX_REPLY_LINES) return 'malformed';
    const [, code = '', mark, text = ''] = found;
    const enhanced = ENHANCED.exec(text);
    this.#enhanced ??= enhanced?.[1];
    this.#lines.push(enhanced === null ? text : text.slice(enhanced[0].length));
    if (mark === '-') return undefined;
    const reply: Reply = { code: Number(code), enhanced: this.#enhanced, lines: this.#lines };
    this.#lines = [];
    this.#enhanced = undefined;
    return reply;
  }
}
