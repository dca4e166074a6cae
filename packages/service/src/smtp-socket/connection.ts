import { createConnection, type Socket } from 'node:net';
import { ClientDialogue, type ClientStep, type Envelope, type Outcome } from '@verbalis/core/smtp';

export interface ConnectionOptions {
  readonly host: string;
  readonly port: number;
  readonly helloName: string;
  /** Longest wait for any single reply, in milliseconds (RFC 5321 4.5.3.2 asks for minutes). */
  readonly timeoutMs: number;
}

/** One connection to an SMTP server: drives the dialogue over a socket. One mail at a time. */
export class SmtpConnection {
  readonly #socket: Socket;
  readonly #dialogue: ClientDialogue;
  #waiting: ((outcome: Outcome | 'ready') => void) | undefined;
  #outcome: Outcome | undefined;
  #closed = false;

  constructor(options: ConnectionOptions) {
    this.#dialogue = new ClientDialogue({ helloName: options.helloName });
    this.#socket = createConnection({ host: options.host, port: options.port });
    this.#socket.setNoDelay(true);
    this.#socket.setTimeout(options.timeoutMs);
    this.#socket.on('data', (bytes) => {
      this.#take(this.#dialogue.receive(bytes));
    });
    this.#socket.on('timeout', () => {
      this.#lost(`No answer from ${options.host}:${options.port} within ${Math.round(options.timeoutMs / 1000)} seconds.`);
    });
    this.#socket.on('error', (error: NodeJS.ErrnoException) => {
      this.#lost(reasonOf(error, `${options.host}:${options.port}`));
    });
    this.#socket.on('close', () => {
      this.#lost(`${options.host}:${options.port} closed the connection.`);
    });
  }

  get usable(): boolean {
    return !this.#closed && this.#dialogue.ready && this.#waiting === undefined;
  }

  /** Waits for the server to be ready for a mail; an outcome where it is not. */
  open(): Promise<Outcome | 'ready'> {
    if (this.#dialogue.ready) return Promise.resolve('ready');
    return this.#wait();
  }

  /** Hands one mail over. Never throws: whatever happens is an outcome. */
  async deliver(envelope: Envelope, mail: Uint8Array): Promise<Outcome> {
    const waiting = this.#wait();
    this.#take(this.#dialogue.deliver(envelope, mail));
    const result = await waiting;
    return result === 'ready'
      ? { kind: 'trouble', phase: 'hello', reply: undefined, reason: 'The server gave no answer to the mail.' }
      : result;
  }

  close(): void {
    if (this.#closed) return;
    this.#take(this.#dialogue.quit());
    this.#socket.end();
    this.#closed = true;
  }

  #wait(): Promise<Outcome | 'ready'> {
    return new Promise((resolve) => {
      this.#waiting = resolve;
    });
  }

  #lost(reason: string): void {
    if (this.#closed && this.#waiting === undefined) return;
    this.#closed = true;
    this.#take(this.#dialogue.lost(reason));
    this.#socket.destroy();
    // Whoever still waits is told, whatever state the dialogue was in.
    this.#settle({ kind: 'trouble', phase: 'connect', reply: undefined, reason });
  }

  #settle(result: Outcome | 'ready'): void {
    const waiting = this.#waiting;
    this.#waiting = undefined;
    waiting?.(result);
  }

  #take(steps: readonly ClientStep[]): void {
    for (const step of steps) {
      switch (step.kind) {
        case 'send':
          this.#socket.write(step.bytes);
          break;
        case 'outcome':
          this.#outcome = step.outcome;
          break;
        case 'ready': {
          const outcome = this.#outcome;
          this.#outcome = undefined;
          this.#settle(outcome ?? 'ready');
          break;
        }
        case 'close': {
          this.#closed = true;
          const outcome = this.#outcome;
          this.#outcome = undefined;
          if (outcome !== undefined) this.#settle(outcome);
          this.#socket.destroySoon();
          break;
        }
      }
    }
  }
}

/** What went wrong with a socket, in words that say what to look at. */
function reasonOf(error: NodeJS.ErrnoException, where: string): string {
  switch (error.code) {
    case 'ECONNREFUSED':
      return `Connection refused: nothing listens at ${where}.`;
    case 'ENOTFOUND':
    case 'EAI_AGAIN':
      return `Host not found: ${where}.`;
    case 'ETIMEDOUT':
    case 'EHOSTUNREACH':
    case 'ENETUNREACH':
      return `Could not connect to ${where}: ${error.code}.`;
    default:
      return `The connection to ${where} broke: ${error.code ?? error.message}.`;
  }
}
