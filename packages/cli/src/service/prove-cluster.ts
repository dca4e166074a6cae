import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Client } from '@verbalis/client';
import { checkIntegrity } from '@verbalis/service';
import { ClusterSettings, connectBrokers } from '@verbalis/service/cluster';
import { startLocalBrokers, type LocalBrokers } from '../cluster/brokers.js';
import { makeLocalCluster, primaryOf, whole, type LocalCluster } from '../cluster/local.js';
import { openLocalNetwork, type LocalNetwork } from '../cluster/network.js';
import { INTERRUPTED, type Output } from '../output.js';
import { interruption } from './ending.js';
import { freePort, offering, settled, STARTER, wait } from './prove-offers.js';
import { reconcile, type ProofReport } from './prove-report.js';
import { openWorld, type World } from './prove-world.js';

/** Messages that are offered between two faults, at least. */
const FOR_EACH_FAULT = 100;
/** A fault comes so long after the cluster was whole again, at most. In milliseconds. */
const MOST_UNTIL_FAULT = 1500;
/** How long a primary stands still: longer than its lease. In milliseconds. */
const STILL_MS = 14_000;

/** What is done to a cluster, in turn. */
const FAULTS = [
  'primary lost with its disk',
  'worker killed',
  'broker killed',
  'primary killed',
  'standby lost with its disk',
  'leader of the log killed',
  'primary stands still',
] as const;
/** Further ones, if each part has its own network: everything that is sent to it or by it is dropped, and connections stay open. */
const PARTITIONS = ['primary cut off', 'worker cut off', 'standby cut off'] as const;
type Fault = (typeof FAULTS)[number] | (typeof PARTITIONS)[number];
/** How long a standby or a worker is cut off, in milliseconds: longer than the brokers wait for it. */
const CUT_MS = 10_000;

/** What was found of a cluster. */
export type ClusterReport = ProofReport & {
  /** From a fault of the primary until another node accepted a message, in seconds: the median and the longest. */
  readonly takeOverMedian: number;
  readonly takeOverLongest: number;
  readonly takeOvers: number;
  /** Faults of the survivor's database, including figures that differ from a recount. */
  readonly integrityFaults: number;
};

interface Proving extends LocalCluster {
  readonly brokers: LocalBrokers;
}

interface Around {
  readonly brokers: LocalBrokers;
  readonly world: World;
  readonly network: LocalNetwork | undefined;
  /** Where each node listens for reports; known when the nodes are. */
  readonly returns: { host: string; port: number }[];
}

async function make(
  folder: string,
  { brokers, world, network, returns }: Around,
  logs: string | undefined,
): Promise<Omit<Proving, 'brokers'>> {
  const outside = network?.host ?? '127.0.0.1';
  const retry = '{ firstSeconds: 0.2, growth: 1, mostSeconds: 0.5 }';
  return makeLocalCluster(folder, brokers, {
    space: 'proof',
    network,
    logs,
    // On one machine a primary that stands still keeps its port, so each has its own.
    settings: (name, address) => {
      const own = returns[name === 'node-a' ? 0 : 1];
      if (own !== undefined && name.startsWith('node')) own.host = address;
      return `returns: { host: ${address}, port: ${own?.port ?? 0}, domain: returns.proof.example }
outside: { allow: [${network?.subnet ?? '127.0.0.1'}] }
dispatch: { retry: ${retry}, retryByCause: { rate-or-greylist: ${retry}, unreachable: ${retry} } }
providers:
  relay: { kind: smtp, host: ${outside}, port: ${world.smtpPort}, connections: 40 }
  mute: { kind: smtp, host: ${outside}, port: ${world.mutePort}, waits: { connectSeconds: 3, replySeconds: 3 } }
spaces:
  proof: { mode: deliver, mailFolder: ${STARTER}, senderDomains: [quillmere-library.example], route: [{ provider: relay, share: 9 }, { provider: mute, share: 1 }] }
`;
    },
  });
}

/** The broker that leads the log. */
async function leaderOf({ brokers }: Proving): Promise<number> {
  const cluster = ClusterSettings.parse({ servers: [...brokers.servers] });
  const { manager, names, close } = await connectBrokers(cluster, (path) => path);
  try {
    const { cluster: group } = await manager.streams.info(names.log);
    return Math.max(0, Number(group?.leader?.slice(-1) ?? 1) - 1);
  } finally {
    await close();
  }
}

/** Does something to the cluster, and mends it. @returns how long nobody accepted anything, in milliseconds, where the primary was hit */
async function strike(proving: Proving, fault: Fault, n: number, accepted: () => number): Promise<number | undefined> {
  const at = await whole(proving);
  const primary = proving.nodes[at];
  const standby = proving.nodes[1 - at];
  if (primary === undefined || standby === undefined) throw new Error('There are two nodes.');
  const taken = async (): Promise<number> => {
    const from = performance.now();
    const before = accepted();
    // Those that were answered just before do not count.
    while (accepted() < before + 10) await wait(20);
    return performance.now() - from;
  };
  switch (fault) {
    case 'primary lost with its disk':
    case 'primary killed': {
      await primary.member.end('SIGKILL');
      if (fault === 'primary lost with its disk') primary.member.loseDisk();
      const ms = await taken();
      await primary.member.start();
      return ms;
    }
    case 'primary stands still': {
      const still = primary.member.standStill(STILL_MS);
      const ms = await taken();
      await still;
      return ms;
    }
    case 'standby lost with its disk':
      await standby.member.end('SIGKILL');
      standby.member.loseDisk();
      await wait(500);
      await standby.member.start();
      return undefined;
    case 'worker killed': {
      const worker = proving.workers[n % proving.workers.length];
      await worker?.end('SIGKILL');
      await wait(500);
      await worker?.start();
      return undefined;
    }
    case 'primary cut off': {
      primary.member.cut();
      const ms = await taken();
      primary.member.mend();
      return ms;
    }
    case 'standby cut off':
    case 'worker cut off': {
      const member = fault === 'standby cut off' ? standby.member : proving.workers[n % proving.workers.length];
      member?.cut();
      await wait(CUT_MS);
      member?.mend();
      return undefined;
    }
    case 'broker killed':
    case 'leader of the log killed': {
      const broker = fault === 'broker killed' ? n % proving.brokers.servers.length : await leaderOf(proving);
      await proving.brokers.kill(broker);
      await wait(2000);
      proving.brokers.start(broker);
      return undefined;
    }
  }
}

/** Starts what a cluster needs, on a network where it can be cut off, or on the loopback. */
async function openAround(folder: string, output: Output): Promise<Around> {
  const network = openLocalNetwork();
  if (network === undefined) output.note('Nothing is cut off: network namespaces need Linux, iproute2 and root.');
  const host = network?.host ?? '127.0.0.1';
  const returns = [
    { host, port: await freePort() },
    { host, port: await freePort() },
  ];
  const world = await openWorld({ host, port: 0 }, host);
  return { network, returns, world, brokers: await startLocalBrokers(folder, host) };
}

/** Proves the promises of a cluster on this machine. @param logs a folder for what its nodes log */
export async function proveCluster(
  { faults, logs }: { readonly faults: number; readonly logs: string | undefined },
  output: Output,
): Promise<ClusterReport> {
  const folder = mkdtempSync(join(tmpdir(), 'verbalis-proof-'));
  const around = await openAround(folder, output);
  const { brokers, world, network, returns } = around;
  const all: readonly Fault[] = network === undefined ? FAULTS : [...FAULTS, ...PARTITIONS];
  let proving: Proving = { brokers, nodes: [], workers: [] };
  const times: number[] = [];
  const close = async (): Promise<void> => {
    for (const worker of proving.workers) await worker.end('SIGKILL');
    for (const { member } of proving.nodes) await member.end('SIGKILL');
    await brokers.stop();
    await world.close();
    network?.remove();
    rmSync(folder, { recursive: true, force: true });
  };
  // Neither processes nor networks outlive it.
  void interruption({})
    .then(close)
    .finally(() => process.exit(INTERRUPTED));
  try {
    proving = { brokers, ...(await make(folder, around, logs)) };
    for (const { member } of proving.nodes) await member.start();
    for (const worker of proving.workers) await worker.start();
    let at = await whole(proving);
    const client = (): Client => proving.nodes[at]?.client ?? (proving.nodes[0]?.client as Client);
    for (const url of [world.hangingUrl, world.consumerUrl]) await client().subscriptions.add({ url, handshake: false });
    const over = new AbortController();
    const following = (async () => {
      while (!over.signal.aborted) {
        at = (await primaryOf(proving)) ?? at;
        const to = returns[at];
        if (to !== undefined) world.returnTo(to);
        await wait(100);
      }
    })();
    const offers = offering(client);
    for (let n = 0; n < faults; n += 1) {
      const fault = all[n % all.length] ?? FAULTS[0];
      await wait(Math.random() * MOST_UNTIL_FAULT);
      while (offers.offered.length < (n + 1) * FOR_EACH_FAULT) await wait(5);
      const ms = await strike(proving, fault, n, () => offers.offered.length);
      if (ms !== undefined) times.push(ms);
      output.note(
        `${n + 1} of ${faults}: ${fault}${ms === undefined ? '' : `, accepted again after ${(ms / 1000).toFixed(1)} s`}; ${offers.offered.length} messages`,
      );
    }
    await whole(proving);
    await offers.end();
    over.abort();
    await following;
    await settled(client(), world);
    const report = await reconcile(client(), world, offers.offered, { kills: faults, pauses: 0, jumps: 0 });
    const survivor = proving.nodes[at]?.member.database ?? '';
    // It is looked at when nothing writes to it any more.
    for (const worker of proving.workers) await worker.end('SIGTERM');
    for (const { member } of [...proving.nodes].reverse()) await member.end('SIGKILL');
    const found = checkIntegrity(survivor, Date.now()).flatMap(({ faults: wrong }) => wrong);
    times.sort((a, b) => a - b);
    const seconds = (ms: number | undefined): number => Math.round((ms ?? 0) / 100) / 10;
    return {
      ...report,
      takeOvers: times.length,
      takeOverMedian: seconds(times[Math.floor(times.length / 2)]),
      takeOverLongest: seconds(times.at(-1)),
      integrityFaults: found.length,
      ok: report.ok && found.length === 0,
    };
  } finally {
    await close();
  }
}
