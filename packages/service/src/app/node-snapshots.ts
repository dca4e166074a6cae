import type { Logger } from 'pino';
import { addSnapshot, logBounds, newestSnapshot, type Cluster } from '../features/cluster/index.js';
import { placeOfFile, snapshotThread, type Clock } from '../kernel/index.js';

/** Adds whole copies to what a cluster has, in a thread of its own. */
export interface SnapshotKeeper {
  /** Adds one when the last one is old or of other tables, or the log is half full. It is not waited for. @throws where the brokers do not answer */
  readonly whenDue: () => Promise<void>;
  /** Resolves when none is under way. */
  readonly settled: () => Promise<void>;
}

export interface SnapshotKeeperOptions {
  readonly cluster: Cluster;
  readonly file: string;
  readonly clock: Clock;
  readonly log: Logger;
  readonly snapshotHours: number;
}

/** After a snapshot that failed. */
const AGAIN_MS = 60_000;
const HOUR = 3_600_000;

export function snapshotKeeper({ cluster, file, clock, log, snapshotHours }: SnapshotKeeperOptions): SnapshotKeeper {
  let due = 0;
  let underWay: Promise<void> | undefined;

  async function isFresh(): Promise<boolean> {
    const [snapshot, { first, last, bytes, mostBytes }] = await Promise.all([newestSnapshot(cluster), logBounds(cluster)]);
    const isLogRoomy = bytes < mostBytes / 2;
    return (
      snapshot !== undefined &&
      snapshot.layout === placeOfFile(file).layout &&
      clock.now() - Date.parse(snapshot.asOf) < snapshotHours * HOUR &&
      (isLogRoomy || snapshot.seq > (first + last) / 2)
    );
  }

  async function add(): Promise<void> {
    const thread = snapshotThread(file, clock);
    try {
      const { seq, bytes } = await addSnapshot(cluster, file, thread.take);
      log.info({ record: seq, bytes }, 'a snapshot was added to the cluster');
    } catch (error) {
      due = clock.elapsed() + AGAIN_MS;
      log.error({ err: error }, 'a snapshot for the cluster could not be taken; it is tried again');
    } finally {
      await thread.stop();
    }
  }

  return {
    async whenDue() {
      if (underWay !== undefined || clock.elapsed() < due || (await isFresh())) return;
      underWay = add().finally(() => {
        underWay = undefined;
      });
    },
    settled: async () => {
      await underWay;
    },
  };
}
