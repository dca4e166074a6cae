import { ContentReader } from './content.js';
import type { Envelope } from './outcome.js';
import { readPath } from './path.js';

/** What a server answers: code, enhanced status code, text. */
export interface Answer {
  readonly code: number;
  readonly enhanced?: string;
  readonly text: string;
}

/** The envelope of an email; empty `from` is the null sender (RFC 5321 4.5.5). */
export interface ReceivedEnvelope {
  readonly from: string;
  readonly to: readonly string[];
  /** As the client called itself. */
  readonly hello: string;
  /** "ESMTP" with S when it was secure and A after a login (RFC 3848). */
  readonly protocol: string;
}

export type ServerStep =
  | { readonly kind: 'send'; readonly bytes: Uint8Array }
  /** Asks the owner; it must call `answer` before more is read. */
  | { readonly kind: 'ask-recipient'; readonly envelope: Envelope }
  /** A piece of the content of the email under way. */
  | { readonly kind: 'content'; readonly bytes: Buffer }
  /** The content that came until now is not wanted: it became too big, or was given up. */
  | { readonly kind: 'discard' }
  /** The content is whole. */
  | { readonly kind: 'ask-mail'; readonly envelope: ReceivedEnvelope }
  | { readonly kind: 'ask-login'; readonly user: string; readonly password: string }
  /** The connection is to be made secure (RFC 3207); `secured` says that it is. */
  | { readonly kind: 'secure' }
  | { readonly kind: 'close' };

export interface ServerOptions {
  readonly name: string;
  /** Largest mail in bytes; offered as SIZE (RFC 1870). */
  readonly maxBytes: number;
  readonly maxRecipients: number;
  /** Whether STARTTLS is offered (RFC 3207). */
  readonly secure?: boolean;
  /** Whether mail is taken only after a login (RFC 4954: PLAIN, LOGIN), or one is merely offered. */
  readonly login?: 'needed' | 'offered';
  /** Whether a login may be in the open; else it is offered once the connection is secure (RFC 4954 4). */
  readonly loginInTheOpen?: boolean;
  /** Whether the connection is secure from its first byte (RFC 8314 3.3). */
  readonly isSecure?: boolean;
  /** Whether CR and LF by themselves are made CRLF; an email with one is refused otherwise. */
  readonly repairsLineEnds?: boolean;
}

const CRLF = '\r\n';
/** Content of so many times the largest mail is not waited for any more. */
const TOO_MUCH = 4;
/** A bare CR or LF does not end a line (RFC 5321 2.3.8): other servers may see another end than we do. */
const BARE_END = /\r(?!\n|$)|(?<!\r)\n/;
const BARE_LINE_END: Answer = { code: 550, enhanced: '5.5.2', text: 'Lines must end with CRLF' };
const MAX_COMMAND = 2048;
/** Wrong commands after which the connection is closed, and commands without an email that was taken. */
const [MAX_FAULTS, MAX_COMMANDS] = [20, 2000];
/** Wrong logins after which the connection is closed. */
const MAX_LOGINS = 5;
/** Commands that change nothing. */
const SAYINGS: ReadonlyMap<string, Answer> = new Map([
  ['NOOP', { code: 250, enhanced: '2.0.0', text: 'OK' }],
  ['VRFY', { code: 252, enhanced: '2.5.1', text: 'Send and see' }],
  ['HELP', { code: 214, enhanced: '2.0.0', text: 'EHLO, MAIL, RCPT, DATA, RSET, NOOP, QUIT (RFC 5321)' }],
]);
/** A browser that a page makes write to this port speaks so. */
const HTTP = new Set(['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS', 'CONNECT', 'TRACE']);

/** The server's side of SMTP (RFC 5321) without sockets. Pipelined commands wait while the owner decides. It keeps no more than a line. */
export class ServerDialogue {
  #input: Buffer = Buffer.alloc(0);
  #state: 'start' | 'idle' | 'mail' | 'content' | 'asked' | 'securing' | 'closed' = 'start';
  #after: 'recipient' | 'mail' | 'login' = 'recipient';
  /** A login under way: what has been said so far. */
  #login: { readonly mechanism: 'PLAIN' | 'LOGIN'; readonly user?: string } | undefined;
  #known = false;
  #secured: boolean;
  #hello = '';
  #isExtended = false;
  #from: string | undefined;
  #to: string[] = [];
  #pending = '';
  #content: ContentReader | undefined;
  /** Bytes of the content so far. */
  #size = 0;
  #faults = 0;
  #wrongLogins = 0;
  #commands = 0;

  constructor(private readonly options: ServerOptions) {
    this.#secured = options.isSecure === true;
  }

  greet(): ServerStep[] {
    return [say({ code: 220, text: `${this.options.name} ESMTP` })];
  }

  receive(bytes: Uint8Array): ServerStep[] {
    // What comes after the end is not kept.
    if (this.#state === 'closed') return [];
    const given = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    this.#input = this.#input.length === 0 ? given : Buffer.concat([this.#input, given]);
    return this.#read();
  }

  /** The connection is secure now: all that was said before is forgotten (RFC 3207 4.2). */
  secured(): void {
    this.#secured = true;
    this.#input = Buffer.alloc(0);
    this.#known = false;
    this.#clear();
    this.#state = 'start';
  }

  /** Whether the owner is asked for something: nothing more is to be read until it answers. */
  get isAsking(): boolean {
    return this.#state === 'asked';
  }

  get #isInContent(): boolean {
    return this.#content !== undefined;
  }

  /** Whether what comes now is not for this dialogue: it is closed, or the connection becomes another. */
  get isOver(): boolean {
    return this.#state === 'closed' || this.#state === 'securing';
  }

  /** The owner's decision on what was asked last. */
  answer(answer: Answer): ServerStep[] {
    if (this.#state !== 'asked') return [];
    if (this.#after === 'login') {
      this.#known = answer.code === 235;
      this.#state = 'idle';
      if (!this.#known && (this.#wrongLogins += 1) >= MAX_LOGINS)
        return this.#close({ code: 421, enhanced: '4.7.0', text: 'Too many wrong logins' });
    } else if (this.#after === 'recipient') {
      if (answer.code < 300) this.#to.push(this.#pending);
      this.#state = 'mail';
    } else {
      if (answer.code < 300) this.#commands = 0;
      this.#clear();
    }
    if (answer.code === 421) return this.#close(answer);
    return [say(answer), ...this.#read()];
  }

  #clear(): void {
    this.#state = 'idle';
    this.#from = undefined;
    this.#to = [];
    this.#content = undefined;
  }

  #read(): ServerStep[] {
    const out: ServerStep[] = [];
    while (this.#state !== 'asked' && this.#state !== 'securing' && this.#state !== 'closed') {
      if (this.#content !== undefined) {
        out.push(...this.#readContent(this.#content));
        if (this.#isInContent) return out;
        continue;
      }
      const end = this.#input.indexOf(CRLF);
      if (end === -1 || end > MAX_COMMAND) {
        if (this.#input.length > MAX_COMMAND) return [...out, ...this.#close({ code: 500, enhanced: '5.5.2', text: 'Line too long' })];
        // A line that never ends as it must is not waited for.
        if (BARE_END.test(this.#input.toString('latin1'))) return [...out, ...this.#close(BARE_LINE_END)];
        // A copy: what is left of a large piece would keep all of it.
        this.#input = Buffer.from(this.#input);
        return out;
      }
      const line = this.#input.toString('utf8', 0, end);
      this.#input = this.#input.subarray(end + CRLF.length);
      if (BARE_END.test(line)) out.push(...this.#close(BARE_LINE_END));
      else if ((this.#commands += 1) > MAX_COMMANDS)
        out.push(...this.#close({ code: 421, enhanced: '4.7.0', text: 'Too many commands without an email' }));
      else out.push(...this.#command(line.trimEnd()));
    }
    return out;
  }

  #close(answer: Answer): ServerStep[] {
    const discard: ServerStep[] = this.#content === undefined ? [] : [{ kind: 'discard' }];
    this.#state = 'closed';
    this.#content = undefined;
    this.#input = Buffer.alloc(0);
    return [...discard, say(answer), { kind: 'close' }];
  }

  #readContent(content: ContentReader): ServerStep[] {
    const { pieces, length } = content.read(this.#input);
    this.#input = length === undefined ? Buffer.alloc(0) : this.#input.subarray(length);
    if (content.hasBareLineEnd && this.options.repairsLineEnds !== true) return this.#close(BARE_LINE_END);
    const { maxBytes } = this.options;
    const steps: ServerStep[] = [];
    for (const bytes of pieces) {
      const before = this.#size;
      this.#size += bytes.length;
      if (this.#size <= maxBytes) steps.push({ kind: 'content', bytes });
      else if (before <= maxBytes) steps.push({ kind: 'discard' });
    }
    const tooBig: Answer = { code: 552, enhanced: '5.3.4', text: `Message bigger than ${maxBytes} bytes` };
    if (length === undefined) {
      // A client that never stops sending does not wait for an answer.
      return this.#size > TOO_MUCH * maxBytes ? [...steps, ...this.#close(tooBig)] : steps;
    }
    this.#content = undefined;
    if (this.#size > maxBytes) {
      this.#clear();
      return [...steps, say(tooBig)];
    }
    this.#state = 'asked';
    this.#after = 'mail';
    const protocol = this.#isExtended ? `ESMTP${this.#secured ? 'S' : ''}${this.#known ? 'A' : ''}` : 'SMTP';
    return [...steps, { kind: 'ask-mail', envelope: { from: this.#from ?? '', to: this.#to, hello: this.#hello, protocol } }];
  }

  #wrong(answer: Answer): ServerStep[] {
    this.#faults += 1;
    return this.#faults > MAX_FAULTS ? this.#close({ code: 421, enhanced: '4.7.0', text: 'Too many errors' }) : [say(answer)];
  }

  #command(line: string): ServerStep[] {
    if (this.#login !== undefined) return this.#goOnLogin(line, this.#login);
    const verb = (/^[A-Za-z]+/.exec(line)?.[0] ?? '').toUpperCase();
    const rest = line.slice(verb.length).trim();
    switch (verb) {
      case 'EHLO':
      case 'HELO':
        return this.#greeted(verb, rest);
      case 'STARTTLS':
        if (this.options.secure !== true || this.#secured) return this.#wrong({ code: 503, enhanced: '5.5.1', text: 'Not offered' });
        if (rest !== '') return this.#wrong({ code: 501, enhanced: '5.5.4', text: 'STARTTLS takes nothing' });
        // What was sent ahead in the open must not count as said in secret (RFC 3207 6).
        this.#input = Buffer.alloc(0);
        this.#state = 'securing';
        return [say({ code: 220, enhanced: '2.0.0', text: 'Go ahead' }), { kind: 'secure' }];
      case 'AUTH':
        return this.#beginLogin(rest);
      case 'MAIL':
        if (this.options.login === 'needed' && !this.#known) return this.#wrong(this.#notKnown());
        return this.#mail(rest);
      case 'RCPT':
        return this.#recipient(rest);
      case 'DATA':
        if (this.#state !== 'mail' || this.#to.length === 0)
          return this.#wrong({ code: 503, enhanced: '5.5.1', text: 'Need a recipient first' });
        if (rest !== '') return this.#wrong({ code: 501, enhanced: '5.5.4', text: 'DATA takes nothing' });
        this.#state = 'content';
        this.#size = 0;
        this.#content = new ContentReader(this.options.repairsLineEnds === true);
        return [say({ code: 354, text: 'End with a dot on a line by itself' })];
      case 'RSET':
        if (this.#state !== 'start') this.#clear();
        return [say({ code: 250, enhanced: '2.0.0', text: 'OK' })];
      case 'QUIT':
        return this.#close({ code: 221, enhanced: '2.0.0', text: 'Bye' });
      case 'EXPN':
        return this.#wrong({ code: 502, enhanced: '5.5.1', text: 'There are no lists here' });
      default:
        if (SAYINGS.has(verb)) return [say(SAYINGS.get(verb) as Answer)];
        if (HTTP.has(verb)) return this.#close({ code: 421, enhanced: '4.7.0', text: 'This is SMTP' });
        return this.#wrong({ code: 500, enhanced: '5.5.2', text: 'Command not known' });
    }
  }

  #greeted(verb: 'EHLO' | 'HELO', rest: string): ServerStep[] {
    if (!/^[\x21-\x7E]{1,255}$/.test(rest)) return this.#wrong({ code: 501, enhanced: '5.5.4', text: `${verb} and a name` });
    this.#clear();
    this.#hello = rest;
    this.#isExtended = verb === 'EHLO';
    const { name, maxBytes } = this.options;
    if (!this.#isExtended) return [say({ code: 250, text: name })];
    const lines = [
      name,
      `SIZE ${maxBytes}`,
      '8BITMIME',
      'SMTPUTF8',
      'PIPELINING',
      'ENHANCEDSTATUSCODES',
      ...(this.options.secure === true && !this.#secured ? ['STARTTLS'] : []),
      ...(this.#offersLogin ? ['AUTH PLAIN LOGIN'] : []),
    ];
    return [{ kind: 'send', bytes: Buffer.from(lines.map((text, i) => `250${i === lines.length - 1 ? ' ' : '-'}${text}\r\n`).join('')) }];
  }

  get #offersLogin(): boolean {
    const { login, loginInTheOpen } = this.options;
    return login !== undefined && (this.#secured || loginInTheOpen === true);
  }

  #notKnown(): Answer {
    if (this.#offersLogin) return { code: 530, enhanced: '5.7.0', text: 'Log in first' };
    return { code: 530, enhanced: '5.7.0', text: this.options.secure === true ? 'STARTTLS first, then log in' : 'Log in over TLS first' };
  }

  #beginLogin(rest: string): ServerStep[] {
    if (this.options.login === undefined) return this.#wrong({ code: 502, enhanced: '5.5.1', text: 'Not offered' });
    // RFC 4954 6: a password must not be said in the open.
    if (!this.#offersLogin) return this.#wrong({ code: 538, enhanced: '5.7.11', text: 'Only over TLS' });
    if (this.#state !== 'idle' || this.#known) return this.#wrong({ code: 503, enhanced: '5.5.1', text: 'Not now' });
    const [name = '', initial] = rest.split(/\s+/);
    const mechanism = name.toUpperCase();
    if (mechanism !== 'PLAIN' && mechanism !== 'LOGIN') return this.#wrong({ code: 504, enhanced: '5.5.4', text: 'PLAIN or LOGIN' });
    this.#login = { mechanism };
    if (initial !== undefined) return this.#goOnLogin(initial === '=' ? '' : initial, this.#login);
    return [say({ code: 334, text: mechanism === 'LOGIN' ? 'VXNlcm5hbWU6' : '' })];
  }

  #goOnLogin(line: string, login: { readonly mechanism: 'PLAIN' | 'LOGIN'; readonly user?: string }): ServerStep[] {
    this.#login = undefined;
    if (line === '*') return this.#wrong({ code: 501, enhanced: '5.7.0', text: 'Called off' });
    if (!/^[A-Za-z0-9+/]*={0,2}$/.test(line)) return this.#wrong({ code: 501, enhanced: '5.5.2', text: 'Not base64' });
    const text = Buffer.from(line, 'base64').toString('utf8');
    if (login.mechanism === 'LOGIN' && login.user === undefined) {
      this.#login = { mechanism: 'LOGIN', user: text };
      return [say({ code: 334, text: 'UGFzc3dvcmQ6' })];
    }
    const [, user = '', password = ''] = login.mechanism === 'PLAIN' ? text.split('\0') : ['', login.user ?? '', text];
    this.#state = 'asked';
    this.#after = 'login';
    return [{ kind: 'ask-login', user, password }];
  }

  #mail(rest: string): ServerStep[] {
    if (this.#state !== 'idle')
      return this.#wrong({ code: 503, enhanced: '5.5.1', text: this.#state === 'start' ? 'EHLO first' : 'An email is under way' });
    const path = /^FROM:/i.test(rest) ? readPath(rest.slice('FROM:'.length)) : undefined;
    if (path === undefined) return this.#wrong({ code: 501, enhanced: '5.5.4', text: 'MAIL FROM:<address>' });
    const fault = this.#parameterFault(path.rest);
    if (fault !== undefined) return this.#wrong(fault);
    const size = Number(/(?:^|\s)SIZE=(\d+)/i.exec(path.rest)?.[1] ?? 0);
    if (size > this.options.maxBytes)
      return [say({ code: 552, enhanced: '5.3.4', text: `Message bigger than ${this.options.maxBytes} bytes` })];
    this.#from = path.mailbox;
    this.#state = 'mail';
    return [say({ code: 250, enhanced: '2.1.0', text: 'OK' })];
  }

  /** Parameters of MAIL that were not offered (RFC 5321 4.1.1.11); AUTH comes with a login (RFC 4954 5). */
  #parameterFault(rest: string): Answer | undefined {
    for (const word of rest.split(/\s+/).filter(Boolean)) {
      const [, name = '', value] = /^([A-Za-z0-9-]+)(?:=(.*))?$/.exec(word) ?? [];
      const isKnown =
        (/^SIZE$/i.test(name) && /^\d{1,20}$/.test(value ?? '')) ||
        (/^BODY$/i.test(name) && /^(?:7BIT|8BITMIME)$/i.test(value ?? '')) ||
        (/^SMTPUTF8$/i.test(name) && value === undefined) ||
        (/^AUTH$/i.test(name) && value !== undefined && this.options.login !== undefined);
      if (!isKnown) return { code: 555, enhanced: '5.5.4', text: `${shownWord(word)} is not offered` };
    }
    return undefined;
  }

  #recipient(rest: string): ServerStep[] {
    if (this.#state !== 'mail') return this.#wrong({ code: 503, enhanced: '5.5.1', text: 'MAIL first' });
    const path = /^TO:/i.test(rest) ? readPath(rest.slice('TO:'.length)) : undefined;
    if (path === undefined || path.mailbox === '') return this.#wrong({ code: 501, enhanced: '5.1.3', text: 'RCPT TO:<address>' });
    if (path.rest !== '') return this.#wrong({ code: 555, enhanced: '5.5.4', text: `${shownWord(path.rest)} is not offered` });
    if (this.#to.length >= this.options.maxRecipients) return [say({ code: 452, enhanced: '4.5.3', text: 'Too many recipients' })];
    this.#pending = path.mailbox;
    this.#state = 'asked';
    this.#after = 'recipient';
    return [{ kind: 'ask-recipient', envelope: { from: this.#from ?? '', to: this.#pending } }];
  }
}

/** A word of the other side, made safe for an answer. */
function shownWord(text: string): string {
  return text.replace(/[^\x21-\x7E].*/s, '').slice(0, 40);
}

function say(answer: Answer): ServerStep {
  const text = [answer.enhanced, answer.text]
    .filter((value) => value !== undefined)
    .join(' ')
    .replace(/[\r\n]+/g, ' ');
  return { kind: 'send', bytes: Buffer.from(`${answer.code} ${text}\r\n`, 'utf8') };
}
