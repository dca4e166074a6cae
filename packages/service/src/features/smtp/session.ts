import type { Socket } from 'node:net';
import { TLSSocket, type SecureContext } from 'node:tls';
import {
  readProxyHeader,
  ServerDialogue,
  type Answer,
  type Envelope,
  type ReceivedEnvelope,
  type ServerOptions,
  type ServerStep,
} from '@verbalis/core/smtp';
import { isLoopback, plainAddress } from '../../kernel/networks.js';
import { Spool } from './spool.js';

/** An email as it came in. */
export interface ReceivedMail extends ReceivedEnvelope {
  readonly bytes: Buffer;
  /** The IP address that brought it. */
  readonly address: string;
  /** The policy's answers about its recipients, by address. */
  readonly known: Readonly<Record<string, string>>;
}

/** Of a recipient that is taken, the policy may say what `mail` needs to know. */
export type RecipientAnswer = Answer & { readonly known?: string | undefined };

/** Whom a login has shown to be there: what `login` gave. */
export type SmtpUser = string | undefined;

/** What a client logs in with. */
export interface SmtpLogin {
  readonly user: string;
  readonly password: string;
  /** An IP address. */
  readonly address: string;
}

/** What the owner of a listener decides. */
export interface SmtpPolicy {
  readonly recipient: (envelope: Envelope, user: SmtpUser) => RecipientAnswer | Promise<RecipientAnswer>;
  /** The answer is the promise: 250 only when the mail is kept. */
  readonly mail: (mail: ReceivedMail, user: SmtpUser) => Answer | Promise<Answer>;
  /** Who that is; undefined for nobody. Asked only where a login is wanted. */
  readonly login?: (login: SmtpLogin) => SmtpUser | Promise<SmtpUser>;
}

export interface SessionOptions {
  readonly server: ServerOptions;
  readonly policy: SmtpPolicy;
  /** Undefined where connections stay open to read. */
  readonly context: (() => SecureContext) | undefined;
  readonly spoolFolder: string | undefined;
  /** Whether the connection comes from a balancer, which says first for whom it speaks. */
  readonly isBehindProxy: boolean;
  /** Someone is there. @returns why they may not be, in a sentence without a full stop */
  readonly enter: (address: string) => string | undefined;
  /** @returns whether the connection ends */
  readonly wrongLogin: (address: string) => boolean;
  /** Emails that are in memory as a whole, at once: runs when there is room. */
  readonly inTurn: <T>(run: () => Promise<T>) => Promise<T>;
}

/** Nobody may be silent for longer, or stay for longer without an email that was taken. In milliseconds. */
const [IDLE_MS, FRUITLESS_MS] = [5 * 60_000, 30 * 60_000];
/** A balancer says for whom it speaks, and a client its part of TLS, within so long. */
const HEADER_MS = 10_000;
/** So much of what was read is looked at in one go, in bytes. */
const PIECE = 8 * 1024;
/** A connection that we have ended is closed after so long, in milliseconds. */
const LINGER_MS = 5000;
const ENDING = '4.3.2 The service is ending';
const LOCAL_ERROR: Answer = { code: 451, enhanced: '4.3.0', text: 'Local error, try again later' };

/** One connection of a client that brings email. It reads nothing while it asks, writes, or while what it has answered is not read. */
export class Session {
  #dialogue: ServerDialogue | undefined;
  #socket: Socket;
  #address: string;
  #user: SmtpUser;
  readonly #known = new Map<string, string>();
  #spool: Spool;
  #isWorking = false;
  #isEnding = false;
  #fruitless: NodeJS.Timeout | undefined;

  constructor(
    private readonly plain: Socket,
    private readonly options: SessionOptions,
  ) {
    this.#socket = plain;
    this.#address = plainAddress(plain.remoteAddress ?? '');
    this.#spool = new Spool(options.spoolFolder);
    plain.setNoDelay(true);
    plain.on('error', () => plain.destroy());
    plain.on('close', () => {
      clearTimeout(this.#fruitless);
      if (!this.#isWorking) this.#spool.discard();
    });
    if (options.isBehindProxy) this.#readProxyHeader();
    else this.#begin();
  }

  /** Says that the service ends; an email that is being decided about is answered before. */
  end(): void {
    this.#isEnding = true;
    if (!this.#isWorking) this.#leave(ENDING);
  }

  destroy(): void {
    this.plain.destroy();
  }

  /** Whether an answer is owed. */
  get isWorking(): boolean {
    return this.#isWorking;
  }

  /** Says a last word, unless that was said. */
  #leave(text: string): void {
    this.#isEnding = true;
    if (this.#socket.writable) this.#socket.end(`421 ${text}\r\n`);
    // What still comes is read and forgotten: closed on unread bytes, the other side would lose our last reply. A client that does not close is not waited for.
    this.#socket.resume();
    setTimeout(() => this.plain.destroy(), LINGER_MS).unref();
  }

  #readProxyHeader(): void {
    const { plain } = this;
    let read = Buffer.alloc(0);
    const late = (): void => {
      plain.destroy();
    };
    plain.setTimeout(HEADER_MS, late);
    const onData = (bytes: Buffer): void => {
      read = Buffer.concat([read, bytes]);
      const header = readProxyHeader(read);
      if (header.kind === 'more') return;
      plain.off('data', onData);
      plain.off('timeout', late);
      if (header.kind === 'fault') {
        plain.destroy();
        return;
      }
      plain.pause();
      this.#address = header.address ?? this.#address;
      if (read.length > header.length) plain.unshift(read.subarray(header.length));
      this.#begin();
      this.#socket.resume();
    };
    plain.on('data', onData);
  }

  #begin(): void {
    const { plain, options } = this;
    const refusal = options.enter(this.#address);
    if (refusal !== undefined) {
      // In the open also where TLS is expected: it costs nothing, and who looks at the bytes can read it.
      this.#leave(`4.7.0 ${refusal}`);
      return;
    }
    const dialogue = new ServerDialogue({
      ...options.server,
      loginInTheOpen: options.server.loginInTheOpen === true || isLoopback(this.#address),
    });
    this.#dialogue = dialogue;
    plain.setTimeout(IDLE_MS, () => {
      this.#leave('4.4.2 You were silent for too long');
    });
    this.#fruitfulFrom();
    if (options.server.isSecure === true) this.#secure(() => void this.#work(dialogue, 'greet'));
    else {
      plain.on('data', this.#onData);
      void this.#work(dialogue, 'greet');
    }
  }

  #fruitfulFrom(): void {
    clearTimeout(this.#fruitless);
    this.#fruitless = setTimeout(() => {
      this.#leave('4.4.2 You were here for too long without an email');
    }, FRUITLESS_MS).unref();
  }

  readonly #onData = (bytes: Buffer): void => {
    const dialogue = this.#dialogue;
    if (dialogue === undefined || this.#isEnding) return;
    void this.#work(dialogue, bytes);
  };

  /** Does what was read, one after the other; reads on after that. */
  async #work(dialogue: ServerDialogue, bytes: Buffer | 'greet'): Promise<void> {
    this.#isWorking = true;
    this.#socket.pause();
    try {
      if (bytes === 'greet') await this.#take(dialogue, dialogue.greet());
      // In small pieces: what is made of one is gone before the next.
      else
        for (let at = 0; at < bytes.length && !dialogue.isOver; at += PIECE)
          await this.#take(dialogue, dialogue.receive(bytes.subarray(at, at + PIECE)));
    } catch {
      // As when there is no room on the disk: the client keeps the email and comes again.
      this.#leave('4.3.0 Local error, try again later');
    }
    this.#isWorking = false;
    if (this.plain.destroyed) this.#spool.discard();
    else if (this.#isEnding) this.#leave(ENDING);
    else this.#socket.resume();
  }

  async #take(dialogue: ServerDialogue, steps: readonly ServerStep[]): Promise<void> {
    for (const step of steps) {
      if (this.#socket.destroyed) return;
      switch (step.kind) {
        case 'send':
          await this.#send(step.bytes);
          break;
        case 'content':
          this.#spool.add(step.bytes);
          break;
        case 'discard':
          this.#spool.discard();
          break;
        case 'secure':
          this.#secure(() => {
            dialogue.secured();
          });
          return;
        case 'close':
          this.#isEnding = true;
          this.#socket.end();
          break;
        case 'ask-recipient':
        case 'ask-login':
        case 'ask-mail':
          await this.#take(dialogue, dialogue.answer(await this.#ask(step)));
      }
    }
  }

  /** Waits while what was answered before is not read: who asks without end and reads nothing costs no more than what is under way. */
  async #send(bytes: Uint8Array): Promise<void> {
    const socket = this.#socket;
    if (socket.write(bytes) || socket.destroyed) return;
    await new Promise<void>((done) => {
      const free = (): void => {
        socket.off('drain', free);
        socket.off('close', free);
        done();
      };
      socket.on('drain', free).on('close', free);
    });
  }

  async #ask(step: Extract<ServerStep, { readonly kind: 'ask-recipient' | 'ask-mail' | 'ask-login' }>): Promise<Answer> {
    try {
      if (step.kind === 'ask-login') return await this.#login(step.user, step.password);
      if (step.kind === 'ask-mail') return await this.options.inTurn(() => this.#mail(step.envelope));
      const answer = await this.options.policy.recipient(step.envelope, this.#user);
      if (answer.known !== undefined) this.#known.set(step.envelope.to, answer.known);
      return answer;
    } catch {
      return LOCAL_ERROR;
    }
  }

  async #login(user: string, password: string): Promise<Answer> {
    const { policy, wrongLogin } = this.options;
    this.#user = await policy.login?.({ user, password, address: this.#address });
    if (this.#user !== undefined) return { code: 235, enhanced: '2.7.0', text: 'Known' };
    return wrongLogin(this.#address)
      ? { code: 421, enhanced: '4.7.0', text: 'Too many wrong logins from you' }
      : { code: 535, enhanced: '5.7.8', text: 'This key is not known' };
  }

  async #mail(envelope: ReceivedEnvelope): Promise<Answer> {
    try {
      const known = Object.fromEntries(envelope.to.flatMap((to) => (this.#known.has(to) ? [[to, this.#known.get(to) ?? '']] : [])));
      const answer = await this.options.policy.mail({ ...envelope, known, address: this.#address, bytes: this.#spool.bytes() }, this.#user);
      if (answer.code < 300) this.#fruitfulFrom();
      return answer;
    } finally {
      this.#known.clear();
      this.#spool.discard();
    }
  }

  #secure(secured: () => void): void {
    const { plain, options } = this;
    if (options.context === undefined) {
      plain.destroy();
      return;
    }
    plain.off('data', this.#onData);
    const safe = new TLSSocket(plain, { isServer: true, secureContext: options.context() });
    this.#socket = safe;
    const late = setTimeout(() => plain.destroy(), HEADER_MS).unref();
    safe.once('secure', () => {
      clearTimeout(late);
      secured();
    });
    safe.on('error', () => plain.destroy());
    safe.on('close', () => clearTimeout(late));
    safe.on('data', this.#onData);
  }
}
