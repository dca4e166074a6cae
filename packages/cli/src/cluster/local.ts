import { spawn, type ChildProcess } from 'node:child_process';
import { copyFileSync, mkdirSync, openSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { fileURLToPath } from 'node:url';
import { createClient, type Client } from '@verbalis/client';
import { initCluster } from '@verbalis/service';
import { readConfig } from '@verbalis/service/settings';
import { freePort, wait, type LocalBrokers } from './brokers.js';
import type { LocalNetwork, NetworkPlace } from './network.js';

// A cluster on this machine, to try one with: two nodes and two delivery workers, each in a folder and a process of its own.

const CLI = fileURLToPath(new URL('../../bin/verbalis.js', import.meta.url));
/** Of the operator. */
export const SECRET = 'the-operator-of-a-local-cluster';
/** How long the cluster may take to be whole again after a fault. */
const WHOLE_MS = 120_000;

interface MemberPlace {
  readonly folder: string;
  readonly command: 'serve' | 'deliver';
  readonly place: NetworkPlace | undefined;
  /** Where its log goes. */
  readonly logFile: string | undefined;
}

/** A process of the cluster. */
class Member {
  #child: ChildProcess | undefined;

  constructor(
    readonly name: string,
    private readonly at: MemberPlace,
  ) {}

  get database(): string {
    return join(this.at.folder, 'verbalis.sqlite');
  }

  async start(): Promise<void> {
    const program = [process.execPath, CLI, this.at.command, '--json', '--config', join(this.at.folder, 'verbalis.yaml')];
    const [first = '', ...args] = [...(this.at.place?.within ?? []), ...program];
    const child = spawn(first, args, {
      cwd: this.at.folder,
      env: { PATH: process.env['PATH'], VERBALIS_OPERATOR_SECRET: SECRET },
      stdio: ['ignore', 'pipe', this.at.logFile === undefined ? 'ignore' : openSync(this.at.logFile, 'a')],
    });
    this.#child = child;
    await new Promise((ready) => {
      if (child.stdout !== null) createInterface({ input: child.stdout }).once('line', ready);
      child.once('exit', ready);
    });
  }

  async end(signal: NodeJS.Signals): Promise<void> {
    const child = this.#child;
    this.#child = undefined;
    if (child === undefined || child.exitCode !== null || child.signalCode !== null) return;
    const ended = new Promise((done) => child.once('exit', done));
    child.kill(signal);
    await ended;
  }

  loseDisk(): void {
    for (const end of ['', '-wal', '-shm', '.lock', '.owner']) rmSync(`${this.database}${end}`, { force: true });
  }

  /** Cuts it off from all others. @throws where the cluster has no network of its own */
  cut(): void {
    if (this.at.place === undefined) throw new Error('Nothing can be cut on the loopback.');
    this.at.place.cut();
  }

  mend(): void {
    this.at.place?.mend();
  }

  async standStill(ms: number): Promise<void> {
    this.#child?.kill('SIGSTOP');
    await wait(ms);
    this.#child?.kill('SIGCONT');
  }
}

export interface LocalCluster {
  readonly nodes: readonly { readonly member: Member; readonly client: Client }[];
  readonly workers: readonly Member[];
}

export interface LocalClusterOptions {
  /** The space that clients work in. */
  readonly space: string;
  /** The rest of the configuration of a node, as YAML. @param address where it listens */
  readonly settings: (node: string, address: string) => string;
  /** Where each has a place of its own and can be cut off; left out, all are on the loopback. */
  readonly network?: LocalNetwork | undefined;
  /** A folder for the logs of all; left out, none are kept. */
  readonly logs?: string | undefined;
}

/** Makes the cluster and all folders; nothing runs yet. */
export async function makeLocalCluster(
  folder: string,
  brokers: LocalBrokers,
  { space, settings, network, logs }: LocalClusterOptions,
): Promise<LocalCluster> {
  const logOf = (name: string): string | undefined => (logs === undefined ? undefined : join(logs, `${name}.log`));
  const made: { name: string; own: string; port: number; address: string; place: NetworkPlace | undefined }[] = [];
  const servers = brokers.servers.map((server) => `"${server}"`).join(', ');
  for (const name of ['node-a', 'node-b', 'worker-1', 'worker-2']) {
    const own = join(folder, name);
    mkdirSync(own, { recursive: true });
    const port = await freePort();
    const place = network?.join();
    const address = place?.address ?? '127.0.0.1';
    made.push({ name, own, port, address, place });
    writeFileSync(
      join(own, 'verbalis.yaml'),
      `listen: { host: ${address}, port: ${port} }\nlog: { level: ${logs === undefined ? 'error' : 'info'} }\ndns: { check: false }\ncluster: { servers: [${servers}], node: ${name}, leaseSeconds: 8 }\n${settings(name, address)}`,
    );
  }
  const [first, ...others] = made;
  if (first === undefined) throw new Error('A cluster has a node.');
  await initCluster({ config: readConfig(join(first.own, 'verbalis.yaml'), {}), operatorSecret: SECRET });
  for (const { own } of others) copyFileSync(join(first.own, 'verbalis.secrets.json'), join(own, 'verbalis.secrets.json'));
  return {
    nodes: made.slice(0, 2).map(({ name, own, port, address, place }) => ({
      member: new Member(name, { folder: own, command: 'serve', place, logFile: logOf(name) }),
      client: createClient({ url: `http://${address}:${port}`, key: SECRET, space, tries: 1, timeout: 5000 }),
    })),
    workers: made
      .slice(2)
      .map(({ name, own, place }) => new Member(name, { folder: own, command: 'deliver', place, logFile: logOf(name) })),
  };
}

/** The node that is the primary; undefined where none says so. */
export async function primaryOf({ nodes }: LocalCluster): Promise<number | undefined> {
  // One that is cut off does not keep the others from answering.
  const asked = nodes.map(async ({ client }, i) => {
    const state = await client.cluster.get();
    if (state.role === 'primary' && state.primary?.node === state.node) return i;
    throw new Error('It is a standby.');
  });
  return Promise.any(asked).catch(() => undefined);
}

/** Until there is a primary, a standby that has everything, and workers. */
export async function whole(cluster: LocalCluster): Promise<number> {
  const end = Date.now() + WHOLE_MS;
  while (Date.now() < end) {
    const i = await primaryOf(cluster);
    const state = i === undefined ? undefined : await cluster.nodes[i]?.client.cluster.get().catch(() => undefined);
    if (i !== undefined && state?.state === 'healthy' && state.workers?.length === cluster.workers.length) return i;
    await wait(200);
  }
  throw new Error('The cluster was not whole again in time.');
}
