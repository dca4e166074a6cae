import { createServer, type Server } from 'node:net';
import pLimit from 'p-limit';
import type { ServerOptions } from '@verbalis/core/smtp';
import { Certificate, type CertificateFiles } from './certificate.js';
import { networks, plainAddress } from '../../kernel/networks.js';
import { Session, type SmtpPolicy } from './session.js';
import { Visitors, type ListenerLimits } from './visitors.js';

/** A port of a listener. */
export interface Door {
  readonly port: number;
  /** Secure from the first byte (RFC 8314 3.3), instead of STARTTLS. */
  readonly isSecure?: boolean;
}

export interface ListenOptions {
  readonly host: string;
  readonly doors: readonly Door[];
  readonly server: ServerOptions;
  readonly limits?: ListenerLimits;
  /** Certificate and key; without them connections stay open to read. */
  readonly tls?: CertificateFiles | undefined;
  /** Addresses or networks of balancers, which say for whom they speak. */
  readonly proxies?: readonly string[];
  /** Where large emails are while they come in; undefined keeps them in memory. */
  readonly spoolFolder?: string | undefined;
}

export interface SmtpListener {
  /** In the order of the doors. */
  readonly ports: readonly number[];
  readonly isListening: () => boolean;
  readonly close: () => Promise<void>;
}

const USUAL_LIMITS: ListenerLimits = { connections: 500, perAddress: 500, perMinute: Number.POSITIVE_INFINITY };
/** Emails that are in memory as a whole at once. */
const AT_ONCE = 4;
/** Emails that are being decided about when the listener ends are waited for, but not longer. In milliseconds. */
const DRAIN_MS = 5000;

/** Listens for SMTP. Rejects when a port cannot be had, or the certificate cannot be read. @param warn is called with what went wrong later */
export async function listenSmtp(
  options: ListenOptions,
  policy: SmtpPolicy,
  warn: (problem: string) => void = () => undefined,
): Promise<SmtpListener> {
  const { host, doors, server, limits = USUAL_LIMITS, tls, proxies = [], spoolFolder } = options;
  const sessions = new Set<Session>();
  const visitors = new Visitors(limits);
  const certificate = tls === undefined ? undefined : new Certificate(tls, warn);
  const isProxy = networks(proxies);
  const inTurn = pLimit(AT_ONCE);
  const open = ({ port, isSecure = false }: Door): Promise<Server> => {
    const listening = createServer((socket) => {
      let entered: string | undefined;
      const session = new Session(socket, {
        server: { ...server, secure: certificate !== undefined && !isSecure, isSecure },
        policy,
        context: certificate === undefined ? undefined : () => certificate.context,
        spoolFolder,
        isBehindProxy: isProxy(plainAddress(socket.remoteAddress ?? '')),
        enter: (address) => {
          const refusal = visitors.enter(address, performance.now());
          if (refusal === undefined) entered = address;
          return refusal;
        },
        wrongLogin: (address) => visitors.wrongLogin(address, performance.now()),
        inTurn,
      });
      sessions.add(session);
      socket.on('close', () => {
        sessions.delete(session);
        if (entered !== undefined) visitors.leave(entered);
      });
    });
    // Those beyond what is borne get an answer; those far beyond it are closed.
    listening.maxConnections = 2 * limits.connections;
    return new Promise((resolve, reject) => {
      listening.once('error', reject);
      listening.listen(port, host, () => {
        listening.off('error', reject);
        // A connection that could not be accepted (no file descriptor is left) concerns only itself.
        listening.on('error', () => undefined);
        resolve(listening);
      });
    });
  };
  const servers: Server[] = [];
  const close = async (): Promise<void> => {
    const closed = servers.map((listening) => new Promise((done) => listening.close(done)));
    for (const session of sessions) session.end();
    const end = performance.now() + DRAIN_MS;
    while ([...sessions].some(({ isWorking }) => isWorking) && performance.now() < end) await new Promise((done) => setTimeout(done, 10));
    for (const session of sessions) session.destroy();
    await Promise.all(closed);
  };
  try {
    for (const door of doors) servers.push(await open(door));
  } catch (error) {
    await close();
    throw error;
  }
  return {
    ports: servers.map((listening, i) => {
      const address = listening.address();
      return typeof address === 'object' && address !== null ? address.port : (doors[i]?.port ?? 0);
    }),
    isListening: () => servers.every(({ listening }) => listening),
    close,
  };
}
