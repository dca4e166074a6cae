import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Client } from '@verbalis/client';
import { checkIntegrity } from '@verbalis/service';
import { ClusterSettings, connectBrokers } from '@verbalis/service/cluster';
import { startLocalBrokers, type LocalBrokers } from '../cluster/brokers.js';
import { makeLocalCluster, primaryOf, whole, type LocalCluster } from '../cluster/local.js';
import type { Output } from '../output.js';
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
type Fault = (typeof FAULTS)[number];

/** What was found of a cluster. */
export type ClusterReport = ProofReport & {
  /** From a fault of the primary until another node accepted a message, in seconds: the median and the longest. */
  readonly takeOverMedian: number;
  readonly takeOverLongest: number;
  readonly takeOvers: number;
  /** Faults of the survivor's database, its figures held against a recount among them. */
  readonly integrityFaults: number;
};

interface Proving extends LocalCluster {
  readonly brokers: LocalBrokers;
}

async function make(folder: string, brokers: LocalBrokers, world: World, returns: readonly number[]): Promise<Omit<Proving, 'brokers'>> {
  const retry = '{ firstSeconds: 0.2, growth: 1, mostSeconds: 0.5 }';
  return makeLocalCluster(folder, brokers, {
    space: 'proof',
    // On one machine a primary that stands still keeps its port, so each has its own.
    settings: (name) => `returns: { port: ${(name === 'node-a' ? returns[0] : returns[1]) ?? 0}, domain: returns.proof.example }
outside: { allow: [127.0.0.1] }
dispatch: { retry: ${retry}, retryByCause: { rate-or-greylist: ${retry}, unreachable: ${retry} } }
providers:
  relay: { kind: smtp, host: 127.0.0.1, port: ${world.smtpPort}, connections: 40 }
  mute: { kind: smtp, host: 127.0.0.1, port: ${world.mutePort}, waits: { connectSeconds: 3, replySeconds: 3 } }
spaces:
  proof: { mode: deliver, mailFolder: ${STARTER}, senderDomains: [quillmere-library.example], route: [{ provider: relay, share: 9 }, { provider: mute, share: 1 }] }
`,
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

/** Proves the promises of a cluster on this machine. */
export async function proveCluster(faults: number, output: Output): Promise<ClusterReport> {
  const folder = mkdtempSync(join(tmpdir(), 'verbalis-proof-'));
  const returns = [await freePort(), await freePort()];
  const world = await openWorld(returns[0] ?? 0);
  const brokers = await startLocalBrokers(folder);
  let proving: Proving = { brokers, nodes: [], workers: [] };
  const times: number[] = [];
  try {
    proving = { brokers, ...(await make(folder, brokers, world, returns)) };
    for (const { member } of proving.nodes) await member.start();
    for (const worker of proving.workers) await worker.start();
    let at = await whole(proving);
    const client = (): Client => proving.nodes[at]?.client ?? (proving.nodes[0]?.client as Client);
    for (const url of [world.hangingUrl, world.consumerUrl]) await client().subscriptions.add({ url, handshake: false });
    const over = new AbortController();
    const following = (async () => {
      while (!over.signal.aborted) {
        at = (await primaryOf(proving)) ?? at;
        world.returnTo(returns[at] ?? 0);
        await wait(100);
      }
    })();
    const offers = offering(client);
    for (let n = 0; n < faults; n += 1) {
      const fault = FAULTS[n % FAULTS.length] ?? FAULTS[0];
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
    for (const worker of proving.workers) await worker.end('SIGKILL');
    for (const { member } of proving.nodes) await member.end('SIGKILL');
    await brokers.stop();
    await world.close();
    rmSync(folder, { recursive: true, force: true });
  }
}
