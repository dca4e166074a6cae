import { randomBytes } from 'node:crypto';
import { DiscardPolicy, RetentionPolicy, StorageType } from '@nats-io/jetstream';
import { StartError } from '../../kernel/index.js';
import { clusterId, connectBrokers, partsOf, type Brokers, type Cluster } from './connection.js';
import { GONE_MS } from './members.js';
import type { ClusterSettings } from './settings.js';

const MIB = 1024 * 1024;
const SECOND_NS = 1_000_000_000;
/** Within this time a record that is sent again is known by its name, in nanoseconds. */
const KNOWN_NS = 120 * SECOND_NS;

/** Makes streams and buckets; those that are there stay. */
async function makeParts({ manager, buckets, objects, names }: Brokers, settings: ClusterSettings): Promise<void> {
  const { replicas, leaseSeconds, logMiB } = settings;
  await manager.streams.add({
    name: names.log,
    subjects: [names.logSubject],
    num_replicas: replicas,
    storage: StorageType.File,
    retention: RetentionPolicy.Limits,
    // What is not in a snapshot yet is never pushed out.
    discard: DiscardPolicy.New,
    max_bytes: logMiB * MIB,
    duplicate_window: KNOWN_NS,
    deny_delete: true,
  });
  await buckets.create(names.lease, { replicas, ttl: leaseSeconds * 1000, history: 1 });
  await buckets.create(names.nodes, { replicas, ttl: GONE_MS, history: 1 });
  await buckets.create(names.state, { replicas, history: 1 });
  await objects.create(names.snapshots, { replicas, storage: StorageType.File });
  await objects.create(names.files, { replicas, storage: StorageType.File });
}

async function removeParts({ manager, names }: Brokers): Promise<void> {
  const streams = [
    names.log,
    `KV_${names.lease}`,
    `KV_${names.nodes}`,
    `KV_${names.state}`,
    `OBJ_${names.snapshots}`,
    `OBJ_${names.files}`,
  ];
  for (const stream of streams) await manager.streams.delete(stream).catch(() => false);
}

/**
 * Makes a cluster at the brokers. It counts from the moment in which its first snapshot is there: an attempt that did not finish is repeated.
 * @param fill adds the first snapshot
 * @param again whether a cluster that is there is removed first
 * @throws StartError where there is one, or the brokers cannot make it
 */
export async function makeCluster(
  settings: ClusterSettings,
  within: (path: string) => string,
  { again, fill }: { readonly again: boolean; readonly fill: (cluster: Cluster) => Promise<void> },
): Promise<string> {
  const brokers = await connectBrokers(settings, within);
  try {
    const known = await clusterId(brokers);
    if (known !== undefined && !again)
      throw new StartError(`The brokers have a cluster "${settings.prefix}" already.`, {
        hint: 'Start this service with the same settings: it joins. With --again the cluster is made again from this database, and the other nodes start over.',
      });
    await removeParts(brokers);
    await makeParts(brokers, settings);
    const id = randomBytes(8).toString('hex');
    const cluster = await partsOf(brokers, id, 'init');
    await fill(cluster);
    await cluster.state.put('cluster', JSON.stringify({ id, leaseMs: settings.leaseSeconds * 1000, logBytes: settings.logMiB * MIB }));
    return id;
  } catch (error) {
    if (error instanceof StartError) throw error;
    throw new StartError(`The cluster could not be made: ${(error as Error).message}.`, {
      hint: `${settings.replicas} replicas need as many brokers (cluster.replicas).`,
    });
  } finally {
    await brokers.close();
  }
}
