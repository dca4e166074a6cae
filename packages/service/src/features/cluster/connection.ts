import { readFileSync } from 'node:fs';
import { hostname } from 'node:os';
import { jetstream, jetstreamManager, type JetStreamClient, type JetStreamManager } from '@nats-io/jetstream';
import { Kvm, type KV } from '@nats-io/kv';
import { Objm, type ObjectStore } from '@nats-io/obj';
import { connect, credsAuthenticator, type ConnectionOptions, type NatsConnection } from '@nats-io/transport-node';
import { StartError } from '../../kernel/index.js';
import type { ClusterSettings } from './settings.js';

/** What the parts of a cluster are called at the brokers. */
export interface ClusterNames {
  readonly log: string;
  readonly logSubject: string;
  readonly lease: string;
  readonly nodes: string;
  readonly state: string;
  readonly snapshots: string;
  readonly files: string;
}

export const namesOf = (prefix: string): ClusterNames => ({
  log: `${prefix}-log`,
  logSubject: `${prefix}.log`,
  lease: `${prefix}-lease`,
  nodes: `${prefix}-nodes`,
  state: `${prefix}-state`,
  snapshots: `${prefix}-snapshots`,
  files: `${prefix}-files`,
});

/** A connection to the brokers. It is made again whenever it ends, for as long as the service runs. */
export interface Brokers {
  readonly connection: NatsConnection;
  readonly streams: JetStreamClient;
  readonly manager: JetStreamManager;
  readonly buckets: Kvm;
  readonly objects: Objm;
  readonly names: ClusterNames;
  readonly close: () => Promise<void>;
}

/** What a node of a cluster works with. */
export interface Cluster extends Brokers {
  /** What names this cluster and its log. */
  readonly id: string;
  readonly node: string;
  readonly lease: KV;
  readonly nodes: KV;
  readonly state: KV;
  readonly snapshots: ObjectStore;
  /** Small files beside the database. */
  readonly files: ObjectStore;
}

/** Opens the parts of a cluster. @throws where one of them is missing */
export async function partsOf(brokers: Brokers, id: string, node: string): Promise<Cluster> {
  const { buckets, objects, names } = brokers;
  return {
    ...brokers,
    id,
    node,
    lease: await buckets.open(names.lease),
    nodes: await buckets.open(names.nodes),
    state: await buckets.open(names.state),
    snapshots: await objects.open(names.snapshots),
    files: await objects.open(names.files),
  };
}

/** How this service is called in its cluster. */
export const nodeName = ({ node }: ClusterSettings): string => node ?? (hostname().replaceAll(/[^A-Za-z0-9_-]+/g, '-') || 'node');

export const isInCluster = ({ servers }: ClusterSettings): boolean => servers.length > 0;

/** A broker that does not answer is given up after about so long, so that another one is asked. In milliseconds. */
const PING_MS = 2000;
const CONNECT_MS = 5000;
const REQUEST_MS = 5000;
/** Brokers that have just been started agree on who leads them; so long that is waited for, in milliseconds. */
const [STARTING_MS, LOOK_MS] = [30_000, 500];

function optionsOf(settings: ClusterSettings, within: (path: string) => string): ConnectionOptions {
  const { servers, user, password, credentialsFile, tls } = settings;
  return {
    servers: [...servers],
    name: `verbalis ${nodeName(settings)}`,
    maxReconnectAttempts: -1,
    reconnectTimeWait: 250,
    pingInterval: PING_MS,
    maxPingOut: 2,
    timeout: CONNECT_MS,
    ignoreClusterUpdates: true,
    ...(user === undefined ? {} : { user, pass: password ?? '' }),
    ...(credentialsFile === undefined ? {} : { authenticator: credsAuthenticator(readFileSync(within(credentialsFile))) }),
    ...(tls === undefined
      ? {}
      : {
          tls: {
            ...(tls.caFile === undefined ? {} : { ca: readFileSync(within(tls.caFile), 'utf8') }),
            ...(tls.certFile === undefined ? {} : { cert: readFileSync(within(tls.certFile), 'utf8') }),
            ...(tls.keyFile === undefined ? {} : { key: readFileSync(within(tls.keyFile), 'utf8') }),
          },
        }),
  };
}

async function managerOf(connection: NatsConnection): Promise<JetStreamManager> {
  const end = performance.now() + STARTING_MS;
  for (;;) {
    try {
      return await jetstreamManager(connection, { timeout: REQUEST_MS });
    } catch (error) {
      if (performance.now() > end) throw error;
      await new Promise((done) => setTimeout(done, LOOK_MS));
    }
  }
}

const HINT = 'Check cluster.servers, and that the brokers run with JetStream (docs/cluster.md).';

/** Why brokers cannot be used, and what can be done about it. */
function reasonOf({ message }: Error): { readonly why: string; readonly hint: string } {
  if (/authori[sz]ation|authentication/i.test(message))
    return {
      why: 'they refuse its user, password or credentials',
      hint: 'Check cluster.user and cluster.password, or cluster.credentialsFile.',
    };
  if (/certificate|issuer|self.signed|altnames/i.test(message))
    return { why: `their certificate is not accepted: ${message}`, hint: 'Check cluster.tls.caFile, and the names in cluster.servers.' };
  // Brokers say nothing to a certificate that they do not know: the connection just ends.
  if (/timeout/i.test(message))
    return {
      why: `none has answered within ${CONNECT_MS / 1000} seconds`,
      hint: 'Check cluster.servers; and where the brokers ask for a certificate (tls with verify), cluster.tls.certFile and cluster.tls.keyFile.',
    };
  return { why: message, hint: HINT };
}

/** Connects to the brokers. @throws StartError where none of them can be used */
export async function connectBrokers(settings: ClusterSettings, within: (path: string) => string): Promise<Brokers> {
  let connection: NatsConnection;
  try {
    connection = await connect(optionsOf(settings, within));
  } catch (error) {
    const { why, hint } = reasonOf(error as Error);
    throw new StartError(`No broker of the cluster can be used (${settings.servers.join(', ')}): ${why}.`, { hint });
  }
  try {
    const manager = await managerOf(connection);
    return {
      connection,
      streams: jetstream(connection, { timeout: REQUEST_MS }),
      manager,
      buckets: new Kvm(connection),
      objects: new Objm(connection),
      names: namesOf(settings.prefix),
      close: () => connection.close(),
    };
  } catch (error) {
    await connection.close();
    throw new StartError(`The brokers of the cluster do not offer JetStream: ${(error as Error).message}.`, { hint: HINT });
  }
}

/** What names the cluster; undefined before it was made. */
export async function clusterId({ buckets, names }: Brokers): Promise<string | undefined> {
  try {
    const state = await buckets.open(names.state);
    const entry = await state.get('cluster');
    return entry === null || entry.operation !== 'PUT' ? undefined : entry.json<{ readonly id: string }>().id;
  } catch (error) {
    if (/not found/i.test((error as Error).message)) return undefined;
    throw error;
  }
}

/** Opens a cluster that was made. @throws StartError where there is none */
export async function openCluster(settings: ClusterSettings, within: (path: string) => string): Promise<Cluster> {
  const brokers = await connectBrokers(settings, within);
  try {
    const id = await clusterId(brokers);
    if (id === undefined)
      throw new StartError(`The brokers have no cluster "${settings.prefix}" yet.`, {
        hint: 'On the machine whose database the cluster is to begin with: verbalis cluster init.',
      });
    return await partsOf(brokers, id, nodeName(settings));
  } catch (error) {
    await brokers.close();
    if (error instanceof StartError) throw error;
    throw new StartError(`The brokers of the cluster do not answer as they should: ${(error as Error).message}.`, { hint: HINT });
  }
}
