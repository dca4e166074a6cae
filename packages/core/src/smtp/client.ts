import type { Bytes, WrittenMail } from '../mime/index.js';
import { chooseMechanism, type Credentials, type Mechanism } from './auth.js';
import { stuffed } from './dots.js';
import type { Envelope, Outcome, Phase } from './outcome.js';
import { readPath } from './path.js';
import { ReplyReader, type Reply } from './reply.js';
import { isAboutChunks, isAboutParameters, lossOf, verdictOf } from './verdicts.js';

export type ClientStep =
  | { readonly kind: 'send'; readonly bytes: Uint8Array }
  /** To be sent as fast as the server takes it; `streamed` is called when all of it is gone. */
  | { readonly kind: 'stream'; readonly bytes: Bytes }
  /** The connection is to be made secure, then `secured` called (RFC 3207). */
  | { readonly kind: 'upgrade' }
  /** The server waits for an email. */
  | { readonly kind: 'ready' }
  | { readonly kind: 'outcome'; readonly outcome: Outcome }
  | { readonly kind: 'close' };

export interface ClientOptions {
  /** What the client calls itself in EHLO: a domain or an address literal. */
  readonly helloName: string;
  /**
   * `starttls`: must become secure before anything else is said. `opportunistic`: becomes so where the server offers it.
   * `implicit`: is secure from the first byte. `none`: never.
   */
  readonly security?: 'none' | 'starttls' | 'opportunistic' | 'implicit';
  readonly credentials?: Credentials | undefined;
  /** Whether a password may travel over an open line; for servers on one's own machine. */
  readonly openLogin?: boolean;
}

type State =
  | 'greeting'
  | 'ehlo'
  | 'helo'
  | 'starttls'
  | 'upgrading'
  | 'auth'
  | 'ready'
  | 'transaction'
  | 'content'
  | 'final'
  | 'quit'
  | 'closed';

const PHASES: Readonly<Record<State, Phase>> = {
  greeting: 'greeting',
  ehlo: 'hello',
  helo: 'hello',
  starttls: 'secure',
  upgrading: 'secure',
  auth: 'login',
  ready: 'hello',
  transaction: 'sender',
  content: 'content',
  final: 'content',
  quit: 'hello',
  closed: 'connect',
};

/** A command of a transaction, whose reply is awaited. */
type Asked = 'reset' | 'mail' | 'rcpt' | 'data' | 'bdat' | 'abort';
const ASKED_PHASE: Readonly<Record<Asked, Phase>> = {
  reset: 'sender',
  mail: 'sender',
  rcpt: 'recipient',
  data: 'data',
  bdat: 'content',
  abort: 'data',
};

interface Command {
  readonly asked: Asked;
  readonly line: string;
}

/**
 * The client's side of SMTP (RFC 5321) without sockets: bytes go in, steps come out. One mail at a time, any number after another.
 * Commands are sent together where the server allows it (RFC 2920), content in one chunk where it takes chunks (RFC 3030).
 */
export class ClientDialogue {
  #state: State = 'greeting';
  readonly #reader = new ReplyReader();
  #mail: WrittenMail | undefined;
  #envelope: Envelope = { from: '', to: '' };
  #todo: Command[] = [];
  #awaiting: Asked[] = [];
  #failed: Outcome | undefined;
  /** Whether the connection has carried an email; a reset before the next costs nothing where commands go together. */
  #used = false;
  /** Whether a transaction was left half way. */
  #dirty = false;
  #secure: boolean;
  #mechanism: Mechanism | undefined;
  #turn = 0;
  /** Extensions that the server offered, by keyword in capitals (RFC 5321 4.1.1.1). */
  readonly extensions = new Map<string, string>();
  /** The server's first words. */
  greeting = '';
  /** How we logged in. */
  authenticated: string | undefined;

  constructor(private readonly options: ClientOptions) {
    this.#secure = options.security === 'implicit';
  }

  get phase(): Phase {
    const [asked] = this.#awaiting;
    return this.#state === 'transaction' && asked !== undefined ? ASKED_PHASE[asked] : PHASES[this.#state];
  }

  get ready(): boolean {
    return this.#state === 'ready';
  }

  /** Whether all of an email is gone and only the answer to it is missing. */
  get awaitsVerdict(): boolean {
    return this.#state === 'final';
  }

  /** Hands an email over; only when `ready`. */
  deliver(envelope: Envelope, mail: WrittenMail): ClientStep[] {
    if (this.#state !== 'ready') {
      // A server that said good-bye between being ready and being asked.
      return [...this.#trouble('hello', 'The server closed the connection before the mail.'), { kind: 'close' }];
    }
    for (const address of [envelope.from, envelope.to]) {
      // The last guard: no address can bring a command of its own, or end its path early.
      const isWhole = readPath(`<${address}>`)?.mailbox === address;
      if (/[\r\n\0]/.test(address) || !isWhole || (/\s/.test(address) && !address.startsWith('"')))
        return this.#refuse('recipient', 'The address cannot be written in an SMTP command.');
    }
    const utf8 = this.#needsUtf8(envelope, mail);
    if (utf8 && !this.extensions.has('SMTPUTF8'))
      return this.#unfit({ phase: 'recipient', reason: 'The server does not accept addresses beyond ASCII (SMTPUTF8, RFC 6531).' });
    const most = Number(this.extensions.get('SIZE') ?? 0);
    if (most > 0 && mail.size > most) {
      const reason = `The email has ${mail.size} bytes; the server accepts at most ${most} (SIZE, RFC 1870).`;
      return this.#unfit({ phase: 'sender', reason, cause: 'too-large' });
    }
    this.#mail = mail;
    this.#envelope = envelope;
    return this.#transaction(utf8);
  }

  /** Begins the transaction of the email at hand; a second time without what the server refused of the first. */
  #transaction(utf8: boolean): ClientStep[] {
    const mail = this.#mail as WrittenMail;
    const envelope = this.#envelope;
    this.#failed = undefined;
    const chunking = this.extensions.has('CHUNKING');
    const pipelining = this.extensions.has('PIPELINING');
    this.#todo = [
      ...(this.#dirty || (this.#used && pipelining) ? [{ asked: 'reset', line: 'RSET' } as const] : []),
      { asked: 'mail', line: `MAIL FROM:<${envelope.from}>${this.#mailParameters(envelope, mail, { utf8 })}` },
      { asked: 'rcpt', line: `RCPT TO:<${envelope.to}>${this.#recipientParameters(envelope)}` },
      ...(chunking ? [] : [{ asked: 'data', line: 'DATA' } as const]),
    ];
    this.#used = true;
    this.#dirty = true;
    this.#state = 'transaction';
    return this.#send(pipelining ? this.#todo.length : 1);
  }

  /** The connection is secure now. */
  secured(): ClientStep[] {
    if (this.#state !== 'upgrading') return [];
    this.#secure = true;
    this.extensions.clear();
    this.#state = 'ehlo';
    return [command(`EHLO ${this.options.helloName}`)];
  }

  /** All of the content is gone; from here on a lost connection leaves us in doubt. */
  streamed(): void {
    if (this.#state === 'content') this.#state = 'final';
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

  #needsUtf8(envelope: Envelope, mail: WrittenMail): boolean {
    return mail.utf8 || /[^\x20-\x7E]/.test(envelope.from + envelope.to);
  }

  #mailParameters(envelope: Envelope, mail: WrittenMail, { utf8 }: { readonly utf8: boolean }): string {
    const has = (name: string): boolean => this.extensions.has(name);
    const size = has('SIZE') ? ` SIZE=${mail.size}` : '';
    const eight = has('8BITMIME') && (utf8 || mail.eightBit === true) ? ' BODY=8BITMIME' : '';
    const report = has('DSN') && envelope.id !== undefined ? ` RET=HDRS ENVID=${xtext(envelope.id)}` : '';
    return `${size}${eight}${utf8 ? ' SMTPUTF8' : ''}${report}`;
  }

  #recipientParameters(envelope: Envelope): string {
    if (!this.extensions.has('DSN') || envelope.id === undefined) return '';
    // An address beyond ASCII has a form of its own in ORCPT (RFC 6533 3); it is left out.
    const original = /^[\x21-\x7E]+$/.test(envelope.to) ? ` ORCPT=rfc822;${xtext(envelope.to)}` : '';
    return ` NOTIFY=FAILURE,DELAY${original}`;
  }

  /** Sends the next commands and awaits their replies. */
  #send(count: number): ClientStep[] {
    const now = this.#todo.splice(0, count);
    this.#awaiting.push(...now.map(({ asked }) => asked));
    return now.length === 0 ? [] : [{ kind: 'send', bytes: Buffer.from(now.map(({ line }) => `${line}\r\n`).join(''), 'utf8') }];
  }

  #trouble(phase: Phase, reason: string): ClientStep[] {
    return [{ kind: 'outcome', outcome: { kind: 'trouble', phase, reply: undefined, reason } }];
  }

  /** What this server cannot accept, and another may. */
  #unfit({ phase, reason, cause }: Pick<Outcome, 'phase' | 'reason' | 'cause'>): ClientStep[] {
    return [{ kind: 'outcome', outcome: { kind: 'trouble', phase, scope: 'message', reply: undefined, reason, cause } }, { kind: 'ready' }];
  }

  /** What we refuse ourselves, before anything was said. */
  #refuse(phase: Phase, reason: string): ClientStep[] {
    return [{ kind: 'outcome', outcome: { kind: 'refused', phase, reply: undefined, reason } }, { kind: 'ready' }];
  }

  #broken(reason: string): ClientStep[] {
    const { phase } = this;
    const quiet = this.#state === 'quit' || this.#state === 'closed' || this.#state === 'ready';
    const uncertain = this.#state === 'final';
    const failed = this.#failed;
    this.#state = 'closed';
    if (quiet) return [{ kind: 'close' }];
    this.#mail = undefined;
    // The server's answer about the email counts, even if it closed the connection after it.
    const outcome: Outcome = failed ?? (uncertain ? { kind: 'uncertain', phase, reply: undefined, reason } : lossOf(phase, reason));
    return [{ kind: 'outcome', outcome }, { kind: 'close' }];
  }

  #reply(reply: Reply): ClientStep[] {
    const good = reply.code >= 200 && reply.code < 300;
    switch (this.#state) {
      case 'greeting':
        if (!good) return this.#refusedService(reply);
        this.greeting = reply.lines.join(' ');
        this.#state = 'ehlo';
        return [command(`EHLO ${this.options.helloName}`)];
      case 'ehlo':
        if (reply.code >= 500 && reply.code <= 504 && !this.#secure) {
          this.#state = 'helo';
          return [command(`HELO ${this.options.helloName}`)];
        }
        if (!good) return this.#refusedService(reply);
        for (const line of reply.lines.slice(1)) {
          const [keyword = '', ...rest] = line.trim().split(/[\s=]+/);
          this.extensions.set(keyword.toUpperCase(), rest.join(' '));
        }
        return this.#introduced();
      case 'helo':
        return good ? this.#introduced() : this.#refusedService(reply);
      case 'starttls':
        if (!good) return this.#refusedService(reply);
        if (this.#reader.unfinished) return this.#broken('The server spoke on before the connection was secure.');
        this.#state = 'upgrading';
        return [{ kind: 'upgrade' }];
      case 'upgrading':
        return this.#broken('The server spoke on before the connection was secure.');
      case 'auth':
        return this.#loginReply(reply);
      case 'transaction':
        return this.#transactionReply(reply);
      case 'content':
        // A verdict before all was sent: the rest need not go.
        return this.#ended(early(verdictOf('content', reply)), { leave: true });
      case 'final':
        if (this.extensions.has('CHUNKING') && isAboutChunks(reply)) return this.#again(['CHUNKING']);
        return this.#ended(verdictOf('content', reply));
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

  /** After EHLO: secure first, then log in, then ready. */
  #introduced(): ClientStep[] {
    const { security = 'none', credentials, openLogin = false } = this.options;
    const offered = this.extensions.has('STARTTLS');
    if (!this.#secure && security === 'starttls' && !offered)
      return this.#end(
        'secure',
        'The server does not offer STARTTLS, which is asked for. Use another port, or "tls: none" if the way to it is safe.',
      );
    if (!this.#secure && offered && (security === 'starttls' || security === 'opportunistic')) {
      this.#state = 'starttls';
      return [command('STARTTLS')];
    }
    if (credentials === undefined || this.authenticated !== undefined) return this.#becomeReady();
    const ways = (this.extensions.get('AUTH') ?? '')
      .toUpperCase()
      .split(/\s+/)
      .filter((text) => text !== '');
    const mechanism = chooseMechanism(ways, credentials, { secure: this.#secure || openLogin });
    if (mechanism === undefined) {
      return this.#end(
        'login',
        ways.length === 0
          ? 'The server offers no way to log in, though a user is configured. Submission is often on port 587 or 465.'
          : `The server offers ${ways.join(', ')} to log in; none of them can be used here${this.#secure || openLogin ? '' : ', since the connection is not secure'}.`,
      );
    }
    this.#mechanism = mechanism;
    this.#turn = 0;
    this.#state = 'auth';
    const initial = mechanism.initial === undefined ? '' : ` ${Buffer.from(mechanism.initial, 'utf8').toString('base64') || '='}`;
    return [command(`AUTH ${mechanism.name}${initial}`)];
  }

  #loginReply(reply: Reply): ClientStep[] {
    if (reply.code === 235) {
      this.authenticated = this.#mechanism?.name;
      return this.#becomeReady();
    }
    if (reply.code !== 334) return this.#refusedService(reply);
    const answer = this.#mechanism?.answer(Buffer.from(reply.lines.join(''), 'base64'), this.#turn);
    this.#turn += 1;
    if (answer === undefined || this.#turn > 5) return [command('*')];
    return [command(Buffer.from(answer, 'utf8').toString('base64'))];
  }

  #becomeReady(): ClientStep[] {
    this.#state = 'ready';
    return [{ kind: 'ready' }];
  }

  #transactionReply(reply: Reply): ClientStep[] {
    const asked = this.#awaiting.shift();
    if (asked === undefined) return this.#broken('The server answered what it was not asked.');
    const phase = ASKED_PHASE[asked];
    if (asked === 'data' && reply.code === 354) {
      if (this.#failed !== undefined) {
        // It wants content for an email that it has refused: an empty one, whose verdict is of no interest (RFC 2920 3.1).
        this.#awaiting.push('abort');
        return [command('.')];
      }
      this.#state = 'content';
      return [{ kind: 'stream', bytes: stuffed(this.#mail as WrittenMail) }];
    }
    const good = reply.code >= 200 && reply.code < 300;
    if (asked !== 'abort' && (!good || asked === 'data') && this.#failed === undefined) {
      // A refused reset: the server is at fault.
      this.#failed = asked === 'reset' ? { kind: 'trouble', phase, scope: 'provider', reply } : verdictOf(phase, reply);
      this.#todo = [];
    }
    if (this.#failed?.reply?.code === 421) return this.#ended(this.#failed, { leave: true });
    if (this.#awaiting.length > 0) return [];
    if (this.#failed !== undefined) {
      const refused = this.#refusedParameters(this.#failed);
      return refused.length > 0 ? this.#again(refused) : this.#ended(this.#failed, { leave: asked === 'reset' });
    }
    if (this.#todo.length > 0) return this.#send(1);
    const mail = this.#mail as WrittenMail;
    this.#state = 'content';
    return [command(`BDAT ${mail.size} LAST`), { kind: 'stream', bytes: mail }];
  }

  /** Extensions whose parameters a refusal may be about and that the email can do without. */
  #refusedParameters({ phase, reply }: Outcome): string[] {
    if (reply === undefined || (phase !== 'sender' && phase !== 'recipient') || !isAboutParameters(reply)) return [];
    const sent = phase === 'sender' ? ['SIZE', 'DSN'] : ['DSN'];
    return sent.filter((name) => this.extensions.has(name) && (name !== 'DSN' || this.#envelope.id !== undefined));
  }

  /** Tries the email once more without these extensions; the connection does without them from now on. */
  #again(without: readonly string[]): ClientStep[] {
    for (const name of without) this.extensions.delete(name);
    this.#dirty = true;
    return this.#transaction(this.#needsUtf8(this.#envelope, this.#mail as WrittenMail));
  }

  #refusedService(reply: Reply): ClientStep[] {
    const { phase } = this;
    this.#state = 'closed';
    return [{ kind: 'outcome', outcome: verdictOf(phase, reply) }, { kind: 'close' }];
  }

  #end(phase: Phase, reason: string): ClientStep[] {
    this.#state = 'closed';
    return [...this.#trouble(phase, reason), { kind: 'close' }];
  }

  #ended(outcome: Outcome, { leave = false }: { readonly leave?: boolean } = {}): ClientStep[] {
    this.#mail = undefined;
    this.#failed = undefined;
    this.#dirty = outcome.kind !== 'accepted';
    if (leave || outcome.reply?.code === 421) {
      this.#state = 'closed';
      return [{ kind: 'outcome', outcome }, { kind: 'close' }];
    }
    this.#state = 'ready';
    return [{ kind: 'outcome', outcome }, { kind: 'ready' }];
  }
}

/** RFC 3461 4: what is no plain sign as "+XX". */
function xtext(text: string): string {
  return text.replace(/[^\x21-\x2A\x2C-\x3C\x3E-\x7E]/g, (sign) => `+${sign.charCodeAt(0).toString(16).toUpperCase().padStart(2, '0')}`);
}

/** A server that accepts what it has not got all of does not keep to the dialogue. */
function early(outcome: Outcome): Outcome {
  return outcome.kind === 'accepted' ? { ...outcome, kind: 'trouble', scope: 'provider' } : outcome;
}

function command(line: string): ClientStep {
  return { kind: 'send', bytes: Buffer.from(`${line}\r\n`, 'utf8') };
}
