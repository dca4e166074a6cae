import { spawn, type ChildProcess } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { connect as connectSocket } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { freePorts } from './postfix.js';

export const NATS_SERVER = '/usr/sbin/nats-server';

/** Real brokers of JetStream on loopback, as one cluster. */
export interface Brokers {
  /** host:port of each. */
  readonly servers: readonly string[];
  /** Ends one at once, as a loss of power does; its files stay. */
  readonly kill: (n: number) => Promise<void>;
  /** Starts one again that was killed. */
  readonly start: (n: number) => void;
  /** Stops one for a while: it neither answers nor ends. */
  readonly pause: (n: number) => void;
  readonly resume: (n: number) => void;
  readonly stop: () => Promise<void>;
}

export interface BrokerOptions {
  readonly count?: number;
  /** More of their configuration. */
  readonly more?: string;
}

const ended = async (child: ChildProcess): Promise<void> => {
  if (child.exitCode === null && child.signalCode === null) await new Promise((done) => child.once('exit', done));
};

/** Whether something accepts connections at a port. */
async function listens(port: number): Promise<boolean> {
  return new Promise((done) => {
    const socket = connectSocket(port, '127.0.0.1');
    socket.once('connect', () => {
      socket.destroy();
      done(true);
    });
    socket.once('error', () => {
      done(false);
    });
  });
}

/** Starts brokers; resolves when they accept connections. @throws where Debian's nats-server is not installed */
export async function startBrokers({ count = 3, more = '' }: BrokerOptions = {}): Promise<Brokers> {
  if (!existsSync(NATS_SERVER)) throw new Error(`${NATS_SERVER} is missing: apt-get install nats-server`);
  const folder = mkdtempSync(join(tmpdir(), 'verbalis-brokers-'));
  const first = await freePorts(count * 2);
  const numbers = Array.from({ length: count }, (_, n) => n);
  const routes = numbers.map((n) => `nats://127.0.0.1:${first + count + n}`).join(', ');
  for (const n of numbers) {
    mkdirSync(join(folder, String(n)));
    const cluster = count === 1 ? '' : `cluster { name: test, listen: "127.0.0.1:${first + count + n}", routes: [${routes}] }\n`;
    writeFileSync(
      join(folder, `${n}.conf`),
      `server_name: broker-${n + 1}\nlisten: "127.0.0.1:${first + n}"\njetstream { store_dir: "${join(folder, String(n))}" }\n${cluster}${more}\n`,
    );
  }
  const children: (ChildProcess | undefined)[] = [];
  const start = (n: number): void => {
    children[n] = spawn(NATS_SERVER, ['-c', join(folder, `${n}.conf`), '-l', join(folder, `${n}.log`)], { stdio: 'ignore' });
  };
  const kill = async (n: number): Promise<void> => {
    const child = children[n];
    children[n] = undefined;
    if (child === undefined) return;
    child.kill('SIGKILL');
    await ended(child);
  };
  for (const n of numbers) start(n);
  for (const n of numbers) while (!(await listens(first + n))) await new Promise((done) => setTimeout(done, 50));
  return {
    servers: numbers.map((n) => `127.0.0.1:${first + n}`),
    kill,
    start,
    pause: (n) => void children[n]?.kill('SIGSTOP'),
    resume: (n) => void children[n]?.kill('SIGCONT'),
    stop: async () => {
      await Promise.all(numbers.map(kill));
      rmSync(folder, { recursive: true, force: true });
    },
  };
}
