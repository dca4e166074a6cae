import { createConnection, type Socket } from 'node:net';
import { connect as connectTls, type CipherNameAndProtocol, type PeerCertificate, type TLSSocket } from 'node:tls';
import type { Bytes, WrittenMail } from '@verbalis/core/mime';
import { ClientDialogue, type ClientOptions, type ClientStep, type Envelope, type Outcome, type Phase } from '@verbalis/core/smtp';

/** Longest waits, in milliseconds (RFC 5321 4.5.3.2). */
export interface Waits {
  readonly connect: number;
  /** For the greeting, and for each reply to a command. */
  readonly reply: number;
  /** For the server to take some of the content. */
  readonly content: number;
  /** For the reply to the whole mail. */
  readonly verdict: number;
}

export const USUAL_WAITS: Waits = { connect: 30_000, reply: 5 * 60_000, content: 3 * 60_000, verdict: 10 * 60_000 };

/** Whom we trust to be the server. */
export interface Trust {
  /** Certificates in PEM that take the place of the system's. */
  readonly ca?: string | undefined;
  /** SHA-256 of the server's certificate in hex, with or without colons: this one and no other. */
  readonly fingerprint?: string | undefined;
  /** False: any certificate is taken. */
  readonly verify?: boolean;
  /** The name that the certificate must have; the host when left out. */
  readonly name?: string | undefined;
}

export interface ConnectionOptions extends ClientOptions {
  readonly host: string;
  readonly port: number;
  readonly waits?: Waits;
  readonly trust?: Trust;
}

/** What is known of a connection, for those who look into it. */
export interface ConnectionFacts {
  readonly address: string | undefined;
  readonly greeting: string;
  readonly extensions: ReadonlyMap<string, string>;
  readonly authenticated: string | undefined;
  readonly tls:
    | { readonly version: string; readonly cipher: string; readonly certificate: PeerCertificate; readonly trusted: boolean }
    | undefined;
}

/** One connection to an SMTP server: drives the dialogue over a socket. One mail at a time. */
export class SmtpConnection {
  #socket: Socket;
  readonly #dialogue: ClientDialogue;
  readonly #where: string;
  readonly #waits: Waits;
  #waiting: ((outcome: Outcome | 'ready') => void) | undefined;
  #outcome: Outcome | undefined;
  #closed = false;
  #connected = false;
  #stream: Iterator<Uint8Array> | undefined;
  /** The piece that was read and not sent yet: the last one waits until it may leave. */
  #piece: Uint8Array | undefined;
  #mayLeave: () => Promise<boolean> = ALWAYS;
  #isAllowed = false;
  #isCorked = false;

  constructor(
    private readonly options: ConnectionOptions,
    /** Told when a phase is entered, for those who measure. */
    private readonly onPhase: (phase: Phase) => void = () => undefined,
  ) {
    this.#where = `${options.host}:${options.port}`;
    this.#waits = options.waits ?? USUAL_WAITS;
    this.#dialogue = new ClientDialogue(options);
    if (options.security === 'implicit') {
      this.#socket = this.#secure(undefined, () => {
        this.#entered();
      });
    } else {
      const socket = createConnection({ host: options.host, port: options.port }, () => {
        this.#entered();
      });
      this.#socket = socket;
      this.#listen(socket);
    }
    this.#socket.setTimeout(this.#waits.connect);
  }

  get usable(): boolean {
    return !this.#closed && this.#dialogue.ready && this.#waiting === undefined;
  }

  get facts(): ConnectionFacts {
    const { greeting, extensions, authenticated } = this.#dialogue;
    const socket = this.#socket;
    const secure = 'getPeerCertificate' in socket ? (socket as TLSSocket) : undefined;
    // A handshake that failed leaves neither cipher nor certificate.
    const cipher = secure?.getCipher() as CipherNameAndProtocol | null | undefined;
    const certificate = secure?.getPeerCertificate() as PeerCertificate | null | undefined;
    return {
      address: socket.remoteAddress,
      greeting,
      extensions,
      authenticated,
      tls:
        secure === undefined || !cipher || !certificate
          ? undefined
          : { version: secure.getProtocol() ?? '', cipher: cipher.name, certificate, trusted: secure.authorized },
    };
  }

  /** Waits for the server to be ready for an email; an outcome where it is not. */
  open(): Promise<Outcome | 'ready'> {
    if (this.#dialogue.ready) return Promise.resolve('ready');
    if (this.#closed)
      return Promise.resolve(
        this.#outcome ?? { kind: 'trouble', phase: 'connect', reply: undefined, reason: `${this.#where} closed the connection.` },
      );
    return this.#wait();
  }

  /**
   * Hands one mail over. Never throws: whatever happens is an outcome.
   * @param mayLeave asked when the server is ready for the content; its last piece waits for the answer, and the connection breaks where it is false
   */
  async deliver(envelope: Envelope, mail: WrittenMail, mayLeave: () => Promise<boolean> = ALWAYS): Promise<Outcome> {
    this.#mayLeave = mayLeave;
    this.#isAllowed = false;
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
    this.#closed = true;
    this.#socket.end();
    // A server that does not close its side is not waited for.
    this.#socket.setTimeout(5000, () => this.#socket.destroy());
  }

  #listen(socket: Socket): void {
    socket.setNoDelay(true);
    socket.on('data', (bytes) => {
      this.#take(this.#dialogue.receive(bytes));
    });
    socket.on('drain', () => {
      this.#pump();
    });
    socket.on('timeout', () => {
      const { phase } = this.#dialogue;
      const waited = Math.round((socket.timeout ?? 0) / 1000);
      this.#lost(`No answer from ${this.#where} within ${waited} seconds (${phase}).`);
    });
    socket.on('error', (error: NodeJS.ErrnoException) => {
      this.#lost(reasonOf(error, this.#where));
    });
    socket.on('close', () => {
      this.#lost(`${this.#where} closed the connection.`);
    });
  }

  /** Makes a connection secure, or makes a secure one; checks who is at the other end. */
  #secure(over: Socket | undefined, done: () => void): Socket {
    const { host, port, trust = {} } = this.options;
    const name = trust.name ?? host;
    const pinned = trust.fingerprint?.replaceAll(':', '').toLowerCase();
    const socket = connectTls({
      ...(over === undefined ? { host, port } : { socket: over }),
      // A name only: an address is no server name (RFC 6066 3).
      ...(/^[\d.]+$|:/.test(name) ? {} : { servername: name }),
      ...(trust.ca === undefined ? {} : { ca: trust.ca }),
      minVersion: 'TLSv1.2',
      // A pinned certificate is trusted by its hash, independently of its issuer.
      rejectUnauthorized: trust.verify !== false && pinned === undefined,
      ...(trust.name !== undefined || /^[\d.]+$|:/.test(host) ? {} : { host }),
    });
    socket.on('secureConnect', () => {
      const found = socket.getPeerCertificate().fingerprint256.replaceAll(':', '').toLowerCase();
      if (pinned !== undefined && found !== pinned) {
        this.#lost(`${this.#where} shows another certificate than the pinned one; its SHA-256 is ${found}.`);
        return;
      }
      done();
    });
    this.#listen(socket);
    return socket;
  }

  #wait(): Promise<Outcome | 'ready'> {
    return new Promise((resolve) => {
      this.#waiting = resolve;
    });
  }

  #lost(reason: string): void {
    if (this.#closed && this.#waiting === undefined) return;
    this.#closed = true;
    this.#stream = undefined;
    this.#take(this.#dialogue.lost(reason));
    this.#socket.destroy();
    // Waiting callers get the error in any state of the dialogue.
    this.#settle({ kind: 'trouble', phase: 'connect', reply: undefined, reason });
  }

  #settle(result: Outcome | 'ready'): void {
    const waiting = this.#waiting;
    this.#waiting = undefined;
    if (waiting === undefined && result !== 'ready') this.#outcome = result;
    waiting?.(result);
  }

  #entered(): void {
    this.#connected = true;
    const { phase, awaitsVerdict } = this.#dialogue;
    const waits = this.#waits;
    this.#socket.setTimeout(awaitsVerdict ? waits.verdict : phase === 'content' ? waits.content : waits.reply);
    this.onPhase(phase);
  }

  /** Writes content as long as the socket accepts it, but for its last piece, which waits until it may leave. */
  #pump(): void {
    const stream = this.#stream;
    if (stream === undefined) return;
    try {
      for (;;) {
        const next = stream.next();
        if (next.done === true) break;
        const ready = this.#piece;
        this.#piece = next.value;
        // A corked socket never drains, and holds little.
        if (ready !== undefined && !this.#socket.write(ready) && !this.#isCorked) return;
      }
    } catch (error) {
      // What was to be sent cannot be read: without its end the mail counts for nothing.
      this.#lost(`The mail could not be read: ${error instanceof Error ? error.message : String(error)}`);
      return;
    }
    if (!this.#isAllowed) return;
    this.#stream = undefined;
    if (this.#piece !== undefined) this.#socket.write(this.#piece);
    this.#piece = undefined;
    if (this.#isCorked) this.#socket.uncork();
    this.#isCorked = false;
    this.#dialogue.streamed();
    this.#entered();
  }

  #begin(bytes: Bytes): void {
    const stream = bytes.chunks()[Symbol.iterator]();
    const isStill = (): boolean => this.#stream === stream;
    this.#stream = stream;
    this.#piece = undefined;
    // A small email goes in one packet with its command, once it may leave.
    this.#isCorked = bytes.size <= IN_ONE_PACKET;
    if (this.#isCorked) this.#socket.cork();
    this.#pump();
    if (this.#isAllowed || !isStill()) return;
    // Asked while the first pieces are on their way.
    this.#mayLeave().then(
      (isAllowed) => {
        if (!isStill()) return;
        this.#isAllowed = isAllowed;
        if (isAllowed) this.#pump();
        else this.#lost('The email is not to be sent any more.');
      },
      (error: unknown) => {
        if (isStill()) this.#lost(`The attempt could not be recorded: ${error instanceof Error ? error.message : String(error)}`);
      },
    );
  }

  #take(steps: readonly ClientStep[]): void {
    // What goes out together leaves in one packet.
    this.#socket.cork();
    for (const step of steps) {
      switch (step.kind) {
        case 'send':
          this.#socket.write(step.bytes);
          break;
        case 'stream':
          this.#begin(step.bytes);
          break;
        case 'upgrade': {
          const plain = this.#socket;
          plain.removeAllListeners();
          plain.setTimeout(0);
          plain.uncork();
          this.#socket = this.#secure(plain, () => {
            this.#take(this.#dialogue.secured());
          });
          this.#socket.setTimeout(this.#waits.reply);
          return;
        }
        case 'outcome':
          this.#outcome = this.#connected ? step.outcome : { ...step.outcome, phase: 'connect' };
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
    this.#socket.uncork();
    if (!this.#closed) this.#entered();
  }
}

/** In bytes. */
const IN_ONE_PACKET = 32 * 1024;

const ALWAYS = (): Promise<boolean> => Promise.resolve(true);

const CERTIFICATE_FAULTS: Readonly<Record<string, string>> = {
  DEPTH_ZERO_SELF_SIGNED_CERT: 'shows a certificate that it has signed itself. Name its CA (tls.caFile) or pin it (tls.fingerprint).',
  SELF_SIGNED_CERT_IN_CHAIN:
    'shows a certificate of a CA that is not known here. Name the CA (tls.caFile) or pin the certificate (tls.fingerprint).',
  UNABLE_TO_VERIFY_LEAF_SIGNATURE:
    'shows a certificate whose CA is not known here. Name the CA (tls.caFile) or pin the certificate (tls.fingerprint).',
  UNABLE_TO_GET_ISSUER_CERT_LOCALLY:
    'shows a certificate whose CA is not known here. Name the CA (tls.caFile) or pin the certificate (tls.fingerprint).',
  CERT_HAS_EXPIRED: 'shows a certificate that has expired.',
  CERT_NOT_YET_VALID: 'shows a certificate that is not valid yet; look at the clocks.',
};

/** What went wrong with a socket, in words that say what to look at. */
function reasonOf(error: NodeJS.ErrnoException, where: string): string {
  const code = error.code ?? '';
  const certificate = CERTIFICATE_FAULTS[code];
  if (certificate !== undefined) return `${where} ${certificate}`;
  switch (code) {
    case 'ERR_TLS_CERT_ALTNAME_INVALID':
      return `${where} shows a certificate for another name (${(error as { reason?: string }).reason ?? error.message}). Use that name as host, or set tls.name.`;
    case 'ECONNREFUSED':
      return `Connection refused: nothing listens at ${where}.`;
    case 'ENOTFOUND':
    case 'EAI_AGAIN':
      return `Host not found: ${where}.`;
    case 'ETIMEDOUT':
    case 'EHOSTUNREACH':
    case 'ENETUNREACH':
      return `Could not connect to ${where}: ${code}. A firewall may block the port.`;
    default:
      if (code.startsWith('ERR_SSL_') || code === 'EPROTO')
        return `${where} does not speak TLS as expected (${error.message.split(':').slice(-2).join(':').trim()}). Port 465 speaks it from the first byte, 587 and 25 after STARTTLS.`;
      return `The connection to ${where} broke: ${code === '' ? error.message : code}.`;
  }
}
