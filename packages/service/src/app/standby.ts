import { existsSync, rmSync } from 'node:fs';
import { resolve } from 'node:path';
import type { Logger } from 'pino';
import { reindexCaptured } from '../features/capture/index.js';
import {
  fetchSnapshot,
  closeLog,
  logBounds,
  newestSnapshot,
  OtherLayout,
  recordAt,
  startFollower,
  type Cluster,
  type ClusterNode,
  type Follower,
} from '../features/cluster/index.js';
import { editionCache, sharedCompiler } from '../features/editions/index.js';
import {
  placeOfFile,
  readSecrets,
  Refusal,
  StartError,
  type Clock,
  type Following,
  type LogPlace,
  type RowChange,
  type Standby,
  type Tx,
} from '../kernel/index.js';
import { openFollowing, type Store } from '../records/index.js';
import type { Front } from './front.js';
import { openGeneration, type Generation, type Ground } from './generation.js';
import type { StartOptions } from './service.js';

/** A node while it follows: its file has what the log has, and it answers reads. */
export interface StandbyPart {
  readonly place: () => LogPlace;
  readonly lag: Follower['lag'];
  /** Writes all that the log has. */
  readonly catchUp: () => Promise<void>;
  /** The same, and closes the log for the former primary. Only the holder of the lease may call it. */
  readonly takeLog: () => Promise<void>;
  /** Answers reads from now on. */
  readonly openReads: () => Promise<void>;
  /** Ends it; its file can be opened by another part then. */
  readonly close: () => Promise<void>;
}

export interface StandbyOptions {
  readonly options: StartOptions;
  readonly cluster: Cluster;
  readonly node: ClusterNode;
  readonly standby: Standby;
  readonly front: Front;
  readonly file: string;
  readonly clock: Clock;
  readonly log: Logger;
  /** It cannot follow any further. */
  readonly failed: (error: unknown) => void;
}

/** Reads are reopened after changes to what features keep in memory, but not more often than this; in milliseconds. */
const REOPEN_MS = 1000;

function removeDatabase(file: string): void {
  for (const end of ['', '-wal', '-shm']) rmSync(`${file}${end}`, { force: true });
}

/** A database that is not of this cluster: it is left alone. */
export class ForeignFile extends StartError {
  override name = 'ForeignFile';
}

/**
 * Whether the log goes on from a file: its last record is the log's, and the next one is still there.
 * @throws StartError where it is a file of something else, which is left alone
 */
async function isBeginningOfLog(cluster: Cluster, file: string): Promise<boolean> {
  const { place } = placeOfFile(file);
  if (place?.log !== cluster.id)
    throw new ForeignFile(`${file} is not a database of this cluster.`, {
      hint: 'Move it aside: this node then begins with what the cluster has. To make a cluster of it: verbalis cluster init.',
    });
  const { first, last } = await logBounds(cluster);
  if (place.seq > last || place.seq + 1 < first) return false;
  const snapshot = await newestSnapshot(cluster);
  if (snapshot?.seq === place.seq) return snapshot.group === place.group;
  return place.seq >= first && (await recordAt(cluster, place.seq))?.group === place.group;
}

/** Makes sure that there is a file from which the log goes on. @throws StartError where the one that is there is of something else */
export async function prepareFile(cluster: Cluster, file: string, log: Logger): Promise<void> {
  if (existsSync(file)) {
    if (await isBeginningOfLog(cluster, file)) return;
    log.warn({ file }, 'the log does not go on from the database that is here; it is made again of the newest snapshot');
    removeDatabase(file);
  }
  const { seq, bytes } = await fetchSnapshot(cluster, file);
  const { first } = await logBounds(cluster);
  if (seq + 1 < first)
    throw new StartError(
      `The log of the cluster begins with record ${first}, and its newest snapshot ends with record ${seq}: records are missing.`,
      {
        hint: 'If the brokers were restored: make the cluster again from the best database there is (verbalis cluster init --again).',
      },
    );
  log.info({ record: seq, bytes }, 'the database was made from the newest snapshot');
}

/** What is made of rows, and is in no record. */
function makeIndexes(store: Store, { tables }: Following, tx: Tx, changes: readonly RowChange[]): void {
  const column = tables['captured']?.columns.indexOf('seq') ?? -1;
  const seqs = new Set<number>();
  for (const [op, table, ...values] of changes) if (table === 'captured') seqs.add(Number(values[op === '+' ? column : 0]));
  if (seqs.size > 0) reindexCaptured(store, tx, [...seqs]);
}

/** Opens the database of a node to follow the log. @throws StartError */
export async function openStandby(from: StandbyOptions): Promise<StandbyPart> {
  const { options, cluster, node, standby, front, file, clock, log, failed } = from;
  const { config, operatorSecret } = options;
  const secrets = readSecrets(resolve(config.folder, config.settings.secretsFile), operatorSecret, file);
  const { store, following } = openFollowing({ file, log, clock, secrets: secrets.fingerprint, of: cluster.id });
  let isClosed = false;
  let reads: Generation | undefined;
  let timer: NodeJS.Timeout | undefined;
  let opening: Promise<void> = Promise.resolve();
  const ground: Ground = {
    clock,
    log,
    store,
    secrets,
    threads: 0,
    isStopping: () => isClosed,
    reloading: {
      reload: () => Promise.reject(new Refusal(409, 'standby-reload', 'A standby reads its configuration when it is started')),
    },
    editions: editionCache(store, sharedCompiler()),
    links: undefined,
    node,
    elsewhere: undefined,
    standby,
  };

  async function open(): Promise<void> {
    if (isClosed) return;
    const opened = await openGeneration(config, ground);
    const before = reads;
    reads = opened;
    await front.hold(undefined);
    front.open(opened.app);
    await before?.closeSockets();
    await before?.close();
  }
  /** One after the other. */
  const openReads = (): Promise<void> => {
    const next = opening.then(open);
    opening = next.catch(() => undefined);
    return next;
  };

  function applied(tables: ReadonlySet<string>): void {
    const isRemembered = reads?.built.features.some(({ remembers = [] }) => remembers.some((table) => tables.has(table))) === true;
    if (!isRemembered) return;
    timer ??= setTimeout(() => {
      timer = undefined;
      openReads().catch((error: unknown) => {
        log.error({ err: error }, 'the reads of this standby could not be reopened');
      });
    }, REOPEN_MS);
  }

  let follower: Follower;
  try {
    follower = await startFollower({
      cluster,
      following,
      clock,
      log,
      follows: (tx, changes) => {
        makeIndexes(store, following, tx, changes);
      },
      applied,
      failed: (error) => {
        failed(error);
      },
    });
  } catch (error) {
    await store.close();
    throw error;
  }
  return {
    place: following.place,
    lag: follower.lag,
    catchUp: follower.catchUp,
    async takeLog() {
      // What another version has written is found before anything of this one is behind it.
      await follower.catchUp();
      await closeLog(cluster, { at: clock.now(), layout: following.layout });
      await follower.catchUp();
    },
    openReads,
    close: async () => {
      isClosed = true;
      clearTimeout(timer);
      await follower.stop();
      await opening;
      await reads?.closeSockets();
      await reads?.close();
      await store.close();
    },
  };
}

/** Removes a file that cannot be followed any further, if a new snapshot helps. */
export function discardFor(error: unknown, file: string): void {
  // Tables of another version come with a snapshot of that version.
  if (error instanceof OtherLayout) removeDatabase(file);
}
