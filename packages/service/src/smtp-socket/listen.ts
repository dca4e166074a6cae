import { createServer, type Server, type Socket } from 'node:net';
import { ServerDialogue, type Answer, type Envelope, type ReceivedMail, type ServerOptions, type ServerStep } from '@verbalis/core/smtp';

/** What the owner of a listener decides. */
export interface SmtpPolicy {
  readonly recipient: (envelope: Envelope) => Answer | Promise<Answer>;
  /** The answer is the promise: 250 only when the mail is kept. */
  readonly mail: (mail: ReceivedMail, user: SmtpUser) => Answer | Promise<Answer>;
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

/** Listens for SMTP. Rejects when the port cannot be had. */
export function listenSmtp(host: string, port: number, options: ServerOptions, policy: SmtpPolicy): Promise<SmtpListener> {
  const sockets = new Set<Socket>();
  const server: Server = createServer((socket) => {
    sockets.add(socket);
    socket.on('close', () => sockets.delete(socket));
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

function serve(socket: Socket, options: ServerOptions, policy: SmtpPolicy): void {
  const dialogue = new ServerDialogue(options);
  let known: SmtpUser;
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
      else socket.end();
    }
  };
  socket.setNoDelay(true);
  socket.setTimeout(IDLE_MS, () => socket.destroy());
  socket.on('error', () => socket.destroy());
  socket.on('data', (bytes) => {
    take(dialogue.receive(bytes));
  });
  take(dialogue.greet());
}
