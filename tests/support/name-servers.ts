import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createSocket } from 'node:dgram';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { freePort } from './postfix.js';
import { until } from './service.js';

export const NSD = '/usr/sbin/nsd';
export const UNBOUND = '/usr/sbin/unbound';

/** A real name server on a loopback address. */
export interface RealNameServer {
  readonly address: string;
  readonly port: number;
  readonly stop: () => Promise<void>;
}

/** Waits until a name server answers at all. */
async function answers(address: string, port: number, child: ChildProcess, log: () => string): Promise<void> {
  await until(async () => {
    if (child.exitCode !== null) throw new Error(`The name server has ended: ${log()}`);
    const socket = createSocket('udp4');
    const answered = await new Promise<true | undefined>((done) => {
      const timer = setTimeout(() => done(undefined), 200);
      socket.on('error', () => done(undefined));
      socket.on('message', () => {
        clearTimeout(timer);
        done(true);
      });
      // SOA of "example" (RFC 1035 4.1).
      socket.send(Buffer.from('0007010000010000000000000765786 16d706c650000060001'.replace(' ', ''), 'hex'), port, address);
    });
    socket.close();
    return answered;
  });
}

async function started(
  command: string,
  args: readonly string[],
  { folder, address, port }: { folder: string; address: string; port: number },
): Promise<RealNameServer> {
  const child = spawn(command, args, { cwd: folder, stdio: ['ignore', 'pipe', 'pipe'] });
  let log = '';
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (bytes: Buffer) => (log += bytes.toString()));
  const ended = new Promise<void>((done) => child.once('close', () => done()));
  const logOf = (): string => {
    try {
      return log + readFileSync(join(folder, 'log'), 'utf8');
    } catch {
      return log;
    }
  };
  await answers(address, port, child, logOf);
  return {
    address,
    port,
    async stop() {
      child.kill('SIGTERM');
      await ended;
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

/** Starts NSD with zones as text, without their SOA and NS records. @param port one that is free, where nothing is given */
export async function startNsd(
  zones: Readonly<Record<string, string>>,
  { address = '127.0.0.1', port, servers }: { readonly address?: string; readonly port?: number; readonly servers: readonly string[] },
): Promise<RealNameServer> {
  const folder = mkdtempSync(join(tmpdir(), 'verbalis-nsd-'));
  const at = port ?? (await freePort());
  mkdirSync(join(folder, 'zones'));
  const config = [
    `server:\n  ip-address: ${address}@${at}\n  do-ip6: no\n  username: ""\n  chroot: ""\n  server-count: 1\n  database: ""\n  zonesdir: "${folder}/zones"`,
    `  pidfile: "${folder}/pid"\n  xfrdfile: "${folder}/xfrd"\n  zonelistfile: "${folder}/list"\n  xfrdir: "${folder}"\n  logfile: "${folder}/log"`,
    '  minimal-responses: no\n  rrl-ratelimit: 0\n  rrl-whitelist-ratelimit: 0\nremote-control:\n  control-enable: no',
  ];
  for (const [zone, text] of Object.entries(zones)) {
    writeFileSync(join(folder, 'zones', zone), zoneFile(zone, text, servers));
    config.push(`zone:\n  name: ${zone}\n  zonefile: ${zone}`);
  }
  writeFileSync(join(folder, 'nsd.conf'), `${config.join('\n')}\n`);
  return started(NSD, ['-d', '-c', join(folder, 'nsd.conf')], { folder, address, port: at });
}

/** A whole zone file. */
export function zoneFile(zone: string, text: string, servers: readonly string[]): string {
  const head = `$ORIGIN ${zone}.\n$TTL 300\n@ 300 IN SOA ${servers[0]}. hostmaster.${zone}. 1 3600 600 86400 120\n`;
  return `${head}${servers.map((server) => `@ 300 IN NS ${server}.\n`).join('')}${text}\n`;
}

/** Starts Unbound as a resolver that asks one server for everything, and trusts the keys of some zones. */
export async function startUnbound(
  forwardTo: RealNameServer,
  { port, trusted }: { readonly port: number; readonly trusted: readonly string[] },
): Promise<RealNameServer> {
  const folder = mkdtempSync(join(tmpdir(), 'verbalis-unbound-'));
  const config = `server:
  interface: 127.0.0.1@${port}
  do-ip6: no
  do-daemonize: no
  username: ""
  chroot: ""
  directory: "${folder}"
  pidfile: "${folder}/pid"
  use-syslog: no
  num-threads: 1
  qname-minimisation: no
  do-not-query-localhost: no
  module-config: "validator iterator"
  local-zone: "example." nodefault
  cache-max-negative-ttl: 0
  cache-max-ttl: 0
${trusted.map((anchor) => `  trust-anchor: "${anchor}"\n`).join('')}
forward-zone:
  name: "example"
  forward-addr: ${forwardTo.address}@${forwardTo.port}
`;
  writeFileSync(join(folder, 'unbound.conf'), config);
  return started(UNBOUND, ['-d', '-c', join(folder, 'unbound.conf')], { folder, address: '127.0.0.1', port });
}

/** Whether the checkers of three name servers accept a zone file. @returns what those say that do not */
export function zoneProblems(zone: string, text: string): string[] {
  const folder = mkdtempSync(join(tmpdir(), 'verbalis-zone-'));
  const file = join(folder, zone);
  writeFileSync(file, zoneFile(zone, text, [`ns1.${zone}`]) + `ns1.${zone}. IN A 192.0.2.53\n`);
  const checkers: readonly (readonly string[])[] = [
    ['named-checkzone', zone, file],
    ['nsd-checkzone', zone, file],
    ['kzonecheck', '-o', zone, file],
  ];
  const problems = checkers.flatMap(([command = '', ...args]) => {
    const { status, stdout, stderr, error } = spawnSync(command, args, {
      encoding: 'utf8',
      env: { PATH: `${process.env['PATH']}:/usr/sbin` },
    });
    return status === 0 ? [] : [`${command}: ${error?.message ?? ''}${stdout}${stderr}`];
  });
  rmSync(folder, { recursive: true, force: true });
  return problems;
}
