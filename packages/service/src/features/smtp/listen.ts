import { LRUCache } from 'lru-cache';
import { createServer, type Server, type Socket } from 'node:net';
import { createSecureContext, TLSSocket } from 'node:tls';
import { ServerDialogue, type Answer, type Envelope, type ReceivedMail, type ServerOptions, type ServerStep } from '@verbalis/core/smtp';

/** What the owner of a listener decides. */
export interface SmtpPolicy {
  readonly recipient: (envelope: Envelope) => Answer | Promise<Answer>;
  /** The answer is the promise: 250 only when the mail is kept. */
  readonly mail: (mail: ReceivedMail, user: SmtpUser) => Answer | Promise<Answer>;
  /** Certificate and key in PEM, where the dialogue offers STARTTLS. */
  readonly tls?: { readonly cert: string; readonly key: string } | undefined;
  /** How often one address may connect in a minute; as often as it likes when left out. */
  readonly connectionsPerMinute?: number;
  /** Who that is; undefined for nobody. Asked only where a login is wanted. */
  readonly login?: (user: string, password: string) => string | undefined;
}

/** Whom a login has shown to be there: what `login` gave. */
export type SmtpUser = string | undefined;

export interface SmtpListener {
  readonly port: number;
  readonly close: () => Promise<void>;
}

const IDLE_MS = 5 * 60_000;
const MAX_CONNECTIONS = 500;
const MAX_VISITORS = 50_000;
const MINUTE_MS = 60_000;

/** Listens for SMTP. Rejects when the port cannot be had. */
export function listenSmtp(host: string, port: number, options: ServerOptions, policy: SmtpPolicy): Promise<SmtpListener> {
  const sockets = new Set<Socket>();
  const visits = new LRUCache<string, { from: number; count: number }>({ max: MAX_VISITORS });
  const isTooOften = (address: string): boolean => {
    const most = policy.connectionsPerMinute;
    if (most === undefined) return false;
    const now = Date.now();
    const known = visits.get(address);
    const visit = known === undefined || now - known.from > MINUTE_MS ? { from: now, count: 0 } : known;
    visit.count += 1;
    visits.set(address, visit);
    return visit.count > most;
  };
  const server: Server = createServer((socket) => {
    sockets.add(socket);
    socket.on('close', () => sockets.delete(socket));
    if (isTooOften(socket.remoteAddress ?? '')) {
      socket.on('error', () => socket.destroy());
      socket.end('421 4.7.0 Too many connections from you, come back later\r\n');
      return;
    }
    serve(socket, options, policy);
  });
  server.maxConnections = MAX_CONNECTIONS;
  return new Promise((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, host, () => {
      server.off('error', reject);
      const address = server.address();
      resolve({
        port: typeof address === 'object' && address !== null ? address.port : port,
        close: () =>
          new Promise((done) => {
            server.close(() => {
              done();
            });
            for (const socket of sockets) socket.destroy();
          }),
      });
    });
  });
}

function serve(plain: Socket, options: ServerOptions, policy: SmtpPolicy): void {
  const dialogue = new ServerDialogue(options);
  let known: SmtpUser;
  let socket: Socket = plain;
  const decide = (asked: Answer | Promise<Answer>): void => {
    Promise.resolve(asked)
      .catch((): Answer => ({ code: 451, enhanced: '4.3.0', text: 'Local error, try again later' }))
      .then((answer) => {
        take(dialogue.answer(answer));
      })
      .catch(() => {
        socket.destroy();
      });
  };
  const ask = (run: () => Answer | Promise<Answer>): void => {
    // A policy that throws at once is a local error like one that rejects.
    decide(
      new Promise<Answer>((resolve) => {
        resolve(run());
      }),
    );
  };
  const take = (steps: readonly ServerStep[]): void => {
    for (const step of steps) {
      if (socket.destroyed) return;
      if (step.kind === 'send') socket.write(step.bytes);
      else if (step.kind === 'ask-recipient') ask(() => policy.recipient(step.envelope));
      else if (step.kind === 'ask-mail') ask(() => policy.mail(step.mail, known));
      else if (step.kind === 'ask-login')
        ask(() => {
          known = policy.login?.(step.user, step.password);
          return known === undefined
            ? { code: 535, enhanced: '5.7.8', text: 'This key is not known' }
            : { code: 235, enhanced: '2.7.0', text: 'Known' };
        });
      else if (step.kind === 'secure') secure();
      else socket.end();
    }
  };
  const onData = (bytes: Buffer): void => {
    take(dialogue.receive(bytes));
  };
  const secure = (): void => {
    if (policy.tls === undefined) {
      plain.destroy();
      return;
    }
    plain.off('data', onData);
    const safe = new TLSSocket(plain, { isServer: true, secureContext: createSecureContext(policy.tls) });
    socket = safe;
    safe.once('secure', () => {
      dialogue.secured();
    });
    safe.on('error', () => plain.destroy());
    safe.on('data', onData);
  };
  plain.setNoDelay(true);
  plain.setTimeout(IDLE_MS, () => plain.destroy());
  plain.on('error', () => plain.destroy());
  plain.on('data', onData);
  take(dialogue.greet());
}
