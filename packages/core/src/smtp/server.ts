import { unstuffed } from './dots.js';
import type { Envelope } from './outcome.js';

/** What a server answers: code, enhanced status code, text. */
export interface Answer {
  readonly code: number;
  readonly enhanced?: string;
  readonly text: string;
}

export interface ReceivedMail {
  readonly from: string;
  readonly to: readonly string[];
  readonly bytes: Uint8Array;
}

export type ServerStep =
  | { readonly kind: 'send'; readonly bytes: Uint8Array }
  /** Asks the owner; it must call `answer` before more is read. */
  | { readonly kind: 'ask-recipient'; readonly envelope: Envelope }
  | { readonly kind: 'ask-mail'; readonly mail: ReceivedMail }
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
}

const MAX_COMMAND = 2048;
/** Wrong commands after which the connection is closed. */
const MAX_FAULTS = 20;

/** The server's side of SMTP (RFC 5321) without sockets. Pipelined commands wait while the owner decides. */
export class ServerDialogue {
  #input: Buffer = Buffer.alloc(0);
  #state: 'start' | 'idle' | 'mail' | 'content' | 'asked' | 'closed' = 'start';
  #after: 'recipient' | 'mail' | 'login' = 'recipient';
  /** A login under way: what has been said so far. */
  #login: { readonly mechanism: 'PLAIN' | 'LOGIN'; readonly user?: string } | undefined;
  #known = false;
  #secured = false;
  #from: string | undefined;
  #to: string[] = [];
  #pending = '';
  #lines: Buffer[] = [];
  #size = 0;
  #tooBig = false;
  #faults = 0;

  constructor(private readonly options: ServerOptions) {}

  greet(): ServerStep[] {
    return [say({ code: 220, text: `${this.options.name} ESMTP` })];
  }

  receive(bytes: Uint8Array): ServerStep[] {
    this.#input = this.#input.length === 0 ? Buffer.from(bytes) : Buffer.concat([this.#input, bytes]);
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

  /** The owner's decision on what was asked last. */
  answer(answer: Answer): ServerStep[] {
    if (this.#state !== 'asked') return [];
    if (this.#after === 'login') {
      this.#known = answer.code === 235;
      this.#state = 'idle';
      if (!this.#known) this.#faults += 5;
    } else if (this.#after === 'recipient') {
      if (answer.code < 300) this.#to.push(this.#pending);
      this.#state = 'mail';
    } else {
      this.#clear();
    }
    const closing: ServerStep[] = answer.code === 421 ? [{ kind: 'close' }] : [];
    if (closing.length > 0) this.#state = 'closed';
    return [say(answer), ...closing, ...this.#read()];
  }

  #clear(): void {
    this.#state = 'idle';
    this.#from = undefined;
    this.#to = [];
    this.#lines = [];
    this.#size = 0;
    this.#tooBig = false;
  }

  #read(): ServerStep[] {
    const out: ServerStep[] = [];
    while (this.#state !== 'asked' && this.#state !== 'closed') {
      const end = this.#input.indexOf(10);
      if (end === -1) {
        if (this.#state !== 'content' && this.#input.length > MAX_COMMAND)
          return [...out, ...this.#close({ code: 500, enhanced: '5.5.2', text: 'Line too long' })];
        // A line of content may be long; what is already too big is not kept.
        if (this.#state === 'content' && this.#input.length > this.options.maxBytes)
          return [...out, ...this.#close({ code: 552, enhanced: '5.3.4', text: 'Message too big' })];
        return out;
      }
      const line = this.#input.subarray(0, end + 1);
      this.#input = this.#input.subarray(end + 1);
      out.push(...(this.#state === 'content' ? this.#content(line) : this.#command(line.toString('utf8').trimEnd())));
    }
    return out;
  }

  #close(answer: Answer): ServerStep[] {
    this.#state = 'closed';
    return [say(answer), { kind: 'close' }];
  }

  #content(line: Buffer): ServerStep[] {
    if (line[0] === 46 && (line.length === 2 || (line.length === 3 && line[1] === 13))) {
      if (this.#tooBig) {
        this.#clear();
        return [say({ code: 552, enhanced: '5.3.4', text: `Message bigger than ${this.options.maxBytes} bytes` })];
      }
      this.#state = 'asked';
      this.#after = 'mail';
      const mail: ReceivedMail = { from: this.#from ?? '', to: this.#to, bytes: Buffer.concat(this.#lines) };
      this.#lines = [];
      return [{ kind: 'ask-mail', mail }];
    }
    this.#size += line.length;
    if (this.#size > this.options.maxBytes) {
      this.#tooBig = true;
      this.#lines = [];
    } else {
      this.#lines.push(unstuffed(line));
    }
    return [];
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
      case 'EHLO': {
        this.#clear();
        const { name, maxBytes } = this.options;
        const lines = [
          name,
          `SIZE ${maxBytes}`,
          '8BITMIME',
          'SMTPUTF8',
          'PIPELINING',
          'ENHANCEDSTATUSCODES',
          ...(this.options.secure === true && !this.#secured ? ['STARTTLS'] : []),
          ...(this.options.login === undefined ? [] : ['AUTH PLAIN LOGIN']),
        ];
        return [
          { kind: 'send', bytes: Buffer.from(lines.map((text, i) => `250${i === lines.length - 1 ? ' ' : '-'}${text}\r\n`).join('')) },
        ];
      }
      case 'HELO':
        this.#clear();
        return [say({ code: 250, text: this.options.name })];
      case 'STARTTLS':
        if (this.options.secure !== true || this.#secured) return this.#wrong({ code: 503, enhanced: '5.5.1', text: 'Not offered' });
        if (rest !== '') return this.#wrong({ code: 501, enhanced: '5.5.4', text: 'STARTTLS takes nothing' });
        // What was sent ahead in the open must not count as said in secret (RFC 3207 6).
        this.#input = Buffer.alloc(0);
        this.#state = 'asked';
        return [say({ code: 220, enhanced: '2.0.0', text: 'Go ahead' }), { kind: 'secure' }];
      case 'AUTH':
        return this.#beginLogin(rest);
      case 'MAIL':
        if (this.options.login === 'needed' && !this.#known) return this.#wrong({ code: 530, enhanced: '5.7.0', text: 'Log in first' });
        return this.#mail(rest);
      case 'RCPT':
        return this.#recipient(rest);
      case 'DATA':
        if (this.#state !== 'mail' || this.#to.length === 0)
          return this.#wrong({ code: 503, enhanced: '5.5.1', text: 'Need a recipient first' });
        this.#state = 'content';
        return [say({ code: 354, text: 'End with a dot on a line by itself' })];
      case 'RSET':
        this.#clear();
        return [say({ code: 250, enhanced: '2.0.0', text: 'OK' })];
      case 'NOOP':
        return [say({ code: 250, enhanced: '2.0.0', text: 'OK' })];
      case 'QUIT':
        return this.#close({ code: 221, enhanced: '2.0.0', text: 'Bye' });
      case 'VRFY':
        return [say({ code: 252, enhanced: '2.5.1', text: 'Send and see' })];
      default:
        return this.#wrong({ code: 500, enhanced: '5.5.2', text: 'Command not known' });
    }
  }

  #beginLogin(rest: string): ServerStep[] {
    if (this.options.login === undefined) return this.#wrong({ code: 502, enhanced: '5.5.1', text: 'Not offered' });
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
    if (line === '*') return [say({ code: 501, enhanced: '5.7.0', text: 'Called off' })];
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
    const path = /^FROM:\s*<([^<>]*)>(.*)$/i.exec(rest);
    if (path === null) return this.#wrong({ code: 501, enhanced: '5.5.4', text: 'MAIL FROM:<address>' });
    const size = Number(/\bSIZE=(\d+)/i.exec(path[2] ?? '')?.[1] ?? 0);
    if (size > this.options.maxBytes)
      return [say({ code: 552, enhanced: '5.3.4', text: `Message bigger than ${this.options.maxBytes} bytes` })];
    this.#from = path[1] ?? '';
    this.#state = 'mail';
    return [say({ code: 250, enhanced: '2.1.0', text: 'OK' })];
  }

  #recipient(rest: string): ServerStep[] {
    if (this.#state !== 'mail') return this.#wrong({ code: 503, enhanced: '5.5.1', text: 'MAIL first' });
    const path = /^TO:\s*<([^<>]+)>(.*)$/i.exec(rest);
    if (path === null) return this.#wrong({ code: 501, enhanced: '5.5.4', text: 'RCPT TO:<address>' });
    if (this.#to.length >= this.options.maxRecipients) return [say({ code: 452, enhanced: '4.5.3', text: 'Too many recipients' })];
    this.#pending = path[1] ?? '';
    this.#state = 'asked';
    this.#after = 'recipient';
    return [{ kind: 'ask-recipient', envelope: { from: this.#from ?? '', to: this.#pending } }];
  }
}

function say(answer: Answer): ServerStep {
  const text = [answer.enhanced, answer.text]
    .filter((value) => value !== undefined)
    .join(' ')
    .replace(/[\r\n]+/g, ' ');
  return { kind: 'send', bytes: Buffer.from(`${answer.code} ${text}\r\n`, 'utf8') };
}
