import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { connect, createServer, type AddressInfo } from 'node:net';
import { join } from 'node:path';
import { UsageError } from '../output.js';

/** Brokers of JetStream on this machine, to try a cluster with: on one machine they protect from nothing. */
export interface LocalBrokers {
  /** host:port of each. */
  readonly servers: readonly string[];
  readonly start: (n: number) => void;
  readonly kill: (n: number) => Promise<void>;
  readonly stop: () => Promise<void>;
}

const PROGRAM = 'nats-server';
/** Brokers need so long to find each other, at most, in milliseconds. */
const READY_MS = 60_000;

export const wait = (ms: number): Promise<void> => new Promise((done) => setTimeout(done, ms));

export async function freePort(): Promise<number> {
  const server = createServer();
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const { port } = server.address() as AddressInfo;
  await new Promise((done) => server.close(done));
  return port;
}

/** Starts three brokers below a folder. @param host where they listen @throws UsageError where nats-server is not installed */
export async function startLocalBrokers(folder: string, host = '127.0.0.1'): Promise<LocalBrokers> {
  const found = spawnSync(PROGRAM, ['--version']);
  if (found.error !== undefined) throw new UsageError(`${PROGRAM} is not installed.`, 'On Debian: apt-get install nats-server');
  const numbers = [0, 1, 2];
  const ports = await Promise.all(numbers.map(freePort));
  const routes = await Promise.all(numbers.map(freePort));
  for (const n of numbers) {
    const own = join(folder, `broker-${n + 1}`);
    mkdirSync(own, { recursive: true });
    writeFileSync(
      `${own}.conf`,
      [
        `server_name: broker-${n + 1}`,
        `listen: "${host}:${ports[n] ?? 0}"`,
        `jetstream { store_dir: "${own}" }`,
        `cluster { name: local, listen: "127.0.0.1:${routes[n] ?? 0}", routes: [${routes.map((port) => `nats://127.0.0.1:${port}`).join(', ')}] }`,
        '',
      ].join('\n'),
    );
  }
  const children: (ChildProcess | undefined)[] = [];
  const start = (n: number): void => {
    const own = join(folder, `broker-${n + 1}`);
    children[n] = spawn(PROGRAM, ['-c', `${own}.conf`, '-l', `${own}.log`], { stdio: 'ignore' });
  };
  const kill = async (n: number): Promise<void> => {
    const child = children[n];
    children[n] = undefined;
    if (child === undefined || child.exitCode !== null) return;
    const ended = new Promise((done) => child.once('exit', done));
    child.kill('SIGKILL');
    await ended;
  };
  numbers.forEach(start);
  const end = Date.now() + READY_MS;
  for (const port of ports)
    for (;;) {
      const isOpen = await new Promise<boolean>((done) => {
        const socket = connect(port, host, () => {
          socket.destroy();
          done(true);
        }).once('error', () => {
          done(false);
        });
      });
      if (isOpen || Date.now() > end) break;
      await wait(100);
    }
  return {
    servers: ports.map((port) => `${host}:${port}`),
    start,
    kill,
    stop: async () => {
      await Promise.all(numbers.map(kill));
    },
  };
}
