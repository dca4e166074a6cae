import { spawn, type ChildProcess } from 'node:child_process';
import { copyFileSync, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { Writable } from 'node:stream';
import { createClient, type Client } from '@verbalis/client';
import { initCluster, startNode, type Clock, type Node } from '@verbalis/service';
import { readConfig } from '@verbalis/service/settings';
import { stringify } from 'yaml';
import type { Brokers } from './brokers.js';
import { freePort } from './postfix.js';
import { OPERATOR, ROOT, smallMailFolder, temporaryFolder } from './service.js';

const CLI = join(ROOT, 'packages/cli/bin/verbalis.js');

/** A node in a process of its own. */
export interface ChildNode {
  readonly url: string;
  readonly child: ChildProcess;
  readonly client: Client;
  readonly end: (signal: NodeJS.Signals) => Promise<void>;
}

/** A machine of a cluster: a folder with a configuration, secrets, and its database. */
export interface Machine {
  readonly name: string;
  readonly config: string;
  readonly database: string;
  /** Runs its node in this process. @param clock that of the machine; the system's, when left out */
  readonly run: (clock?: Clock) => Promise<Node & { readonly client: Client; readonly logs: readonly string[] }>;
  /** Runs its node in a process of its own. @param program the command line; that of this checkout, when left out */
  readonly spawn: (program?: string) => Promise<ChildNode>;
  /** Runs a delivery worker in a process of its own. */
  readonly deliver: () => Promise<ChildProcess>;
  /** Its disk is lost: nothing but configuration and secrets comes from elsewhere. */
  readonly lose: () => void;
}

/** Of the program: delivery workers of another version get nothing. */
const { version: VERSION } = JSON.parse(readFileSync(join(ROOT, 'packages/cli/package.json'), 'utf8')) as { version: string };

let clusters = 0;

const firstLine = (child: ChildProcess): Promise<string> =>
  new Promise((done) => {
    if (child.stdout !== null) createInterface({ input: child.stdout }).once('line', done);
  });

const clientOf = (url: string, space: string): Client => createClient({ url, key: OPERATOR, space });

/** Makes a cluster at brokers, with so many machines; the first one has the database that it begins with. */
export async function makeMachines(
  brokers: Brokers,
  {
    names = ['a', 'b'],
    space = 'drydock',
    change = {},
    cluster = {},
    serversOf = () => brokers.servers,
    disks = {},
  }: {
    names?: readonly string[];
    space?: string;
    change?: Record<string, unknown>;
    cluster?: Record<string, unknown>;
    /** Where a machine reaches the brokers. */
    serversOf?: (name: string) => readonly string[];
    /** Folders of machines that have a disk of their own. */
    disks?: Readonly<Record<string, string>>;
  } = {},
): Promise<{ readonly machines: readonly Machine[]; readonly prefix: string; readonly remove: () => Promise<void> }> {
  const { path, remove } = temporaryFolder();
  const mailFolder = smallMailFolder(path);
  const prefix = `test-${process.pid}-${(clusters += 1)}`;
  const undo: (() => unknown)[] = [];
  const machines: Machine[] = [];
  for (const name of names) {
    const folder = disks[name] ?? join(path, name);
    mkdirSync(folder, { recursive: true });
    const config = join(folder, 'verbalis.yaml');
    const database = join(folder, 'verbalis.sqlite');
    writeFileSync(
      config,
      stringify({
        // The same port again after a restart, as on a machine.
        listen: { port: await freePort() },
        returns: { port: 0, domain: 'returns.saltmarsh-ferries.example' },
        dns: { check: false },
        cluster: { servers: serversOf(name), prefix, node: name, leaseSeconds: 8, replicas: brokers.servers.length, ...cluster },
        spaces: { drydock: { mode: 'capture', mailFolder, senderDomains: ['saltmarsh-ferries.example'] } },
        ...change,
      }),
    );
    machines.push({
      name,
      config,
      database,
      async run(clock) {
        const logs: string[] = [];
        const logTo = new Writable({
          write(chunk: Buffer, _encoding, done) {
            logs.push(chunk.toString());
            done();
          },
        });
        const node = await startNode({
          config: readConfig(config, {}),
          operatorSecret: OPERATOR,
          version: VERSION,
          logTo,
          ...(clock === undefined ? {} : { clock }),
        });
        undo.push(() => node.stop().catch(() => undefined));
        return Object.assign({ ...node }, { client: clientOf(node.url, space), logs });
      },
      async spawn(program = CLI) {
        const child = spawn(process.execPath, [program, 'serve', '--json', '--config', config], {
          env: { ...process.env, VERBALIS_OPERATOR_SECRET: OPERATOR },
          stdio: ['ignore', 'pipe', process.env['SHOW_NODES'] === undefined ? 'ignore' : 'inherit'],
        });
        const ended = new Promise<void>((done) => child.once('exit', () => done()));
        undo.push(async () => {
          child.kill('SIGKILL');
          await ended;
        });
        const line = await firstLine(child);
        const { url } = (JSON.parse(line) as { result: { url: string } }).result;
        return {
          url,
          child,
          client: clientOf(url, space),
          end: async (signal) => {
            child.kill(signal);
            await ended;
          },
        };
      },
      async deliver() {
        const child = spawn(process.execPath, [CLI, 'deliver', '--json', '--config', config], {
          env: { ...process.env, VERBALIS_OPERATOR_SECRET: OPERATOR },
          stdio: ['ignore', 'pipe', process.env['SHOW_NODES'] === undefined ? 'ignore' : 'inherit'],
        });
        undo.push(() => child.kill('SIGKILL'));
        await firstLine(child);
        return child;
      },
      lose() {
        for (const end of ['', '-wal', '-shm', '.lock', '.owner', '.erasures']) rmSync(`${database}${end}`, { force: true });
      },
    });
  }
  const [first, ...others] = machines;
  await initCluster({ config: readConfig(first!.config, {}), operatorSecret: OPERATOR });
  const secrets = (machine: Machine): string => join(machine.config, '../verbalis.secrets.json');
  for (const other of others) if (existsSync(secrets(first!))) copyFileSync(secrets(first!), secrets(other));
  return {
    machines,
    prefix,
    remove: async () => {
      for (const step of undo.splice(0).reverse()) await step();
      remove();
    },
  };
}
