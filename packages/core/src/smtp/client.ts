import { stuffed } from './dots.js';
import { ReplyReader, type Reply } from './reply.js';

/** Where in a hand-over something happened. */
export type Phase = 'connect' | 'greeting' | 'hello' | 'sender' | 'recipient' | 'data' | 'content';

/** One recipient, one return path: the envelope of one delivery. */
export interface Envelope {
  /** Return path; "" is the null path. */
  readonly from: string;
  readonly to: string;
}

/**
 * How a hand-over ended.
 * `refused`: for good. `deferred`: not now. `trouble`: the server, not the mail, is at fault. `uncertain`: the connection was lost after
 * the final dot and before the reply, so the mail may or may not be taken.
 */
export interface Outcome {
  readonly kind: 'accepted' | 'refused' | 'deferred' | 'trouble' | 'uncertain';
  readonly phase: Phase;
  readonly reply: Reply | undefined;
  /** What happened, where there is no reply that says it. */
  readonly reason?: string;
}

export type ClientStep =
  | { readonly kind: 'send'; readonly bytes: Uint8Array }
  /** The server waits for a mail. */
  | { readonly kind: 'ready' }
  | { readonly kind: 'outcome'; readonly outcome: Outcome }
  | { readonly kind: 'close' };

type State = 'greeting' | 'ehlo' | 'helo' | 'ready' | 'mail' | 'rcpt' | 'data' | 'content' | 'reset' | 'quit' | 'closed';

const PHASES: Readonly<Record<State, Phase>> = {
  greeting: 'greeting',
  ehlo: 'hello',
  helo: 'hello',
  ready: 'hello',
  mail: 'sender',
  rcpt: 'recipient',
  data: 'data',
  content: 'content',
  reset: 'hello',
  quit: 'hello',
  closed: 'connect',
};

export interface ClientOptions {
  /** What the client calls itself in EHLO: a domain or an address literal. */
  readonly helloName: string;
}

/**
 * The client's side of SMTP (RFC 5321) without sockets: bytes go in, steps come out. One mail at a time, any number after another.
 */
export class ClientDialogue {
  #state: State = 'greeting';
  readonly #reader = new ReplyReader();
  #mail: { envelope: Envelope; bytes: Uint8Array } | undefined;
  /** Extensions that the server offered, by keyword in capitals (RFC 5321 4.1.1.1). */
  readonly extensions = new Map<string, string>();

  constructor(private readonly options: ClientOptions) {}

  get phase(): Phase {
    return PHASES[this.#state];
  }

  get ready(): boolean {
    return this.#state === 'ready';
  }

  /** Hands a mail over; only when `ready`. */
  deliver(envelope: Envelope, mail: Uint8Array): ClientStep[] {
    if (this.#state !== 'ready') {
      // A server that said good-bye between being ready and being asked.
      return [
        {
          kind: 'outcome',
          outcome: { kind: 'trouble', phase: 'hello', reply: undefined, reason: 'The server closed the connection before the mail.' },
        },
        { kind: 'close' },
      ];
    }
    for (const address of [envelope.from, envelope.to]) {
      // The last guard: no address can bring a command of its own.
      if (/[\r\n\0<>]/.test(address) || (/\s/.test(address) && !address.startsWith('"'))) {
        return [
          {
            kind: 'outcome',
            outcome: { kind: 'refused', phase: 'recipient', reply: undefined, reason: 'The address cannot be written in an SMTP command.' },
          },
        ];
      }
    }
    this.#mail = { envelope, bytes: mail };
    this.#state = 'mail';
    const size = this.extensions.has('SIZE') ? ` SIZE=${mail.length}` : '';
    const eight = this.extensions.has('8BITMIME') && mail.some((byte) => byte > 127) ? ' BODY=8BITMIME' : '';
    const utf8 = /[^\x20-\x7E]/.test(envelope.from + envelope.to) ? ' SMTPUTF8' : '';
    if (utf8 !== '' && !this.extensions.has('SMTPUTF8')) {
      this.#state = 'ready';
      this.#mail = undefined;
      return [
        {
          kind: 'outcome',
          outcome: {
            kind: 'refused',
            phase: 'recipient',
            reply: undefined,
            reason: 'The server does not take addresses beyond ASCII (SMTPUTF8).',
          },
        },
        { kind: 'ready' },
      ];
    }
    return [command(`MAIL FROM:<${envelope.from}>${size}${eight}${utf8}`)];
  }

  quit(): ClientStep[] {
    if (this.#state === 'closed') return [];
    this.#state = 'quit';
    return [command('QUIT')];
  }

  receive(bytes: Uint8Array): ClientStep[] {
    const out: ClientStep[] = [];
    for (const reply of this.#reader.read(bytes)) {
      if (this.#state === 'closed') break;
      if (reply === 'malformed') return [...out, ...this.#broken('The server’s answer is no SMTP reply.')];
      out.push(...this.#reply(reply));
    }
    return out;
  }

  /** The connection is gone, or a wait took too long. */
  lost(reason: string): ClientStep[] {
    return this.#broken(reason);
  }

  #broken(reason: string): ClientStep[] {
    const { phase } = this;
    const quiet = this.#state === 'quit' || this.#state === 'closed' || this.#state === 'ready' || this.#state === 'reset';
    const uncertain = this.#state === 'content';
    this.#state = 'closed';
    if (quiet) return [{ kind: 'close' }];
    this.#mail = undefined;
    return [
      { kind: 'outcome', outcome: { kind: uncertain ? 'uncertain' : 'trouble', phase, reply: undefined, reason } },
      { kind: 'close' },
    ];
  }

  #reply(reply: Reply): ClientStep[] {
    const good = reply.code >= 200 && reply.code < 300;
    switch (this.#state) {
      case 'greeting':
        if (!good) return this.#refusedService(reply);
        this.#state = 'ehlo';
        return [command(`EHLO ${this.options.helloName}`)];
      case 'ehlo':
        if (reply.code >= 500 && reply.code < 504 + 1) {
          this.#state = 'helo';
          return [command(`HELO ${this.options.helloName}`)];
        }
        if (!good) return this.#refusedService(reply);
        for (const line of reply.lines.slice(1)) {
          const [keyword = '', ...rest] = line.trim().split(/\s+/);
          this.extensions.set(keyword.toUpperCase(), rest.join(' '));
        }
        this.#state = 'ready';
        return [{ kind: 'ready' }];
      case 'helo':
        if (!good) return this.#refusedService(reply);
        this.#state = 'ready';
        return [{ kind: 'ready' }];
      case 'mail':
        if (!good) return this.#ended(reply);
        this.#state = 'rcpt';
        return [command(`RCPT TO:<${this.#mail?.envelope.to ?? ''}>`)];
      case 'rcpt':
        if (!good) return this.#ended(reply);
        this.#state = 'data';
        return [command('DATA')];
      case 'data':
        if (reply.code !== 354) return this.#ended(reply);
        this.#state = 'content';
        return [{ kind: 'send', bytes: stuffed(this.#mail?.bytes ?? new Uint8Array()) }];
      case 'content':
        return this.#ended(reply);
      case 'reset':
        if (reply.code === 421) return this.#broken('The server closed the connection.');
        this.#state = 'ready';
        return [{ kind: 'ready' }];
      case 'ready':
        // A server that speaks unasked says good-bye (421).
        this.#state = 'closed';
        return [{ kind: 'close' }];
      case 'quit':
        this.#state = 'closed';
        return [{ kind: 'close' }];
      case 'closed':
        return [];
    }
  }

  #refusedService(reply: Reply): ClientStep[] {
    const { phase } = this;
    this.#state = 'closed';
    return [{ kind: 'outcome', outcome: { kind: 'trouble', phase, reply } }, { kind: 'close' }];
  }

  #ended(reply: Reply): ClientStep[] {
    const { phase } = this;
    this.#mail = undefined;
    const outcome: Outcome = { kind: classify(reply), phase, reply };
    if (reply.code === 421) {
      this.#state = 'closed';
      return [{ kind: 'outcome', outcome }, { kind: 'close' }];
    }
    if (outcome.kind === 'accepted') {
      this.#state = 'ready';
      return [{ kind: 'outcome', outcome }, { kind: 'ready' }];
    }
    this.#state = 'reset';
    return [{ kind: 'outcome', outcome }, command('RSET')];
  }
}

/** What a reply to a mail means. 421 and 5xx about the session are the server's trouble, not the mail's. */
export function classify(reply: Reply): Outcome['kind'] {
  if (reply.code === 421 || reply.code === 530 || reply.code === 538) return 'trouble';
  if (reply.code >= 200 && reply.code < 300) return 'accepted';
  return reply.code >= 500 ? 'refused' : 'deferred';
}

function command(line: string): ClientStep {
  return { kind: 'send', bytes: Buffer.from(`${line}\r\n`, 'utf8') };
}
