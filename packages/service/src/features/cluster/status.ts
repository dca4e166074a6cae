import type * as z from 'zod';
import type { Cluster } from './connection.js';
import { holderOf } from './lease.js';
import { logBounds, type LogBounds } from './log.js';
import { membersOf, type Member } from './members.js';
import type { ClusterView } from './model.js';
import { newestSnapshot } from './snapshots.js';

type View = z.input<typeof ClusterView>;

/** A standby that is so far behind would lose time when it takes over, in milliseconds. */
const BEHIND_MS = 30_000;

const iso = (at: number): string => new Date(at).toISOString();

function viewOf({ node, role, url, version, seq, lagRecords, lagMs, takesOver, at, problem }: Member): View['nodes'][number] {
  return {
    node,
    role,
    url,
    version,
    record: seq,
    behind: lagRecords,
    lagSeconds: Math.round(lagMs / 100) / 10,
    takesOver,
    heardAt: iso(at),
    problem,
  };
}

/** What is wrong with the standbys that a primary has; undefined where one of them could take over at once. */
function standbyTrouble(members: readonly Member[]): { readonly state: 'no-standby' | 'behind'; readonly text: string } | undefined {
  const able = members.filter(({ role, takesOver }) => role === 'standby' && takesOver);
  if (able.length === 0)
    return { state: 'no-standby', text: 'No standby could take over: the loss of this machine would stop everything.' };
  const best = able.reduce((a, b) => (b.lagMs < a.lagMs ? b : a));
  return best.lagMs > BEHIND_MS
    ? { state: 'behind', text: `The standby ${best.node} is ${best.lagRecords} records (${Math.round(best.lagMs / 1000)} s) behind.` }
    : undefined;
}

/** What a cluster could not bear to lose; undefined where it is whole. @param log where that is known */
export function clusterTrouble(
  members: readonly Member[],
  log: Pick<LogBounds, 'replicas' | 'present'> | undefined,
): { readonly state: 'no-standby' | 'behind' | 'broker-missing'; readonly text: string } | undefined {
  const standby = standbyTrouble(members);
  if (standby !== undefined || log === undefined || log.present >= log.replicas) return standby;
  // A majority has to store what is written.
  const spare = log.present - (Math.floor(log.replicas / 2) + 1);
  const rest = spare > 0 ? '' : ' If another one is lost, nothing is accepted.';
  return { state: 'broker-missing', text: `${log.present} of ${log.replicas} brokers have the log.${rest}` };
}

/** The cluster, as its brokers know it. @throws where they do not answer */
export async function clusterStatus(cluster: Cluster, own: Pick<Member, 'node' | 'role' | 'problem'>): Promise<View> {
  const [holder, members, log, snapshot] = await Promise.all([
    holderOf(cluster.lease),
    membersOf(cluster),
    logBounds(cluster),
    newestSnapshot(cluster),
  ]);
  const trouble = clusterTrouble(members, log);
  return {
    state: holder === undefined ? 'no-primary' : (trouble?.state ?? 'healthy'),
    node: own.node,
    role: own.role,
    ...(holder === undefined ? {} : { primary: { node: holder.node, url: holder.url, since: iso(holder.since) } }),
    nodes: members.map(viewOf),
    log,
    ...(snapshot === undefined ? {} : { snapshot: { record: snapshot.seq, asOf: snapshot.asOf, bytes: snapshot.bytes } }),
    problem: own.problem ?? trouble?.text,
  };
}
