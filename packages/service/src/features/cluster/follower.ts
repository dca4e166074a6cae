import { DeliverPolicy, type ConsumerMessages } from '@nats-io/jetstream';
import type { Logger } from 'pino';
import type { Clock, Following, Follows } from '../../kernel/index.js';
import type { Cluster } from './connection.js';
import { Assembly, logBounds, partOf, recordAt } from './log.js';

/** How far a standby is. */
export interface Lag {
  /** Records of the log that its file lacks. */
  readonly records: number;
  /** Age of the last one that it has, where it lacks some; in milliseconds. */
  readonly ms: number;
}

export interface FollowerOptions {
  readonly cluster: Cluster;
  readonly following: Following;
  readonly clock: Clock;
  readonly log: Logger;
  readonly follows: Follows;
  /** These tables were changed. */
  readonly applied: (tables: ReadonlySet<string>) => void;
  /** It cannot go on: records are missing or of another layout, or the file cannot be written. */
  readonly failed: (error: unknown) => void;
}

export interface Follower {
  readonly lag: () => Lag;
  /** Writes all that the log has. @returns where it ends */
  readonly catchUp: () => Promise<void>;
  readonly stop: () => Promise<void>;
}

/** So many groups are written in one transaction, at most. */
const AT_ONCE = 200;
/** How long records that come together are gathered, in milliseconds. */
const GATHER_MS = 5;
const LOOK_MS = 50;

/** The log has records of tables that this file does not have. */
export class OtherLayout extends Error {
  override name = 'OtherLayout';
  constructor(record: number) {
    super(`The primary is of another version of Verbalis, with other tables (record ${record}). Upgrade this node to the same version.`);
  }
}

/** Writes what comes into the log of a cluster into the file of a standby. */
export async function startFollower(options: FollowerOptions): Promise<Follower> {
  const { cluster, following, clock, log, follows, applied, failed } = options;
  const { streams, names } = cluster;
  const assembly = new Assembly();
  let waiting: NonNullable<ReturnType<Assembly['add']>>[] = [];
  let pending = 0;
  /** The last record that was read; those of groups that have not come to their end count. */
  let read = following.place().seq;
  let lastAt = clock.now();
  let isStopped = false;
  let timer: NodeJS.Timeout | undefined;
  let end: () => void = () => undefined;

  function write(): void {
    clearTimeout(timer);
    timer = undefined;
    while (waiting.length > 0 && !isStopped) {
      const groups = waiting.slice(0, AT_ONCE);
      const other = groups.find(({ layout }) => layout !== following.layout);
      if (other !== undefined) throw new OtherLayout(other.place.seq);
      applied(following.apply(groups, follows));
      waiting = waiting.slice(groups.length);
      lastAt = groups.at(-1)?.at ?? lastAt;
    }
  }

  function stopFor(error: unknown): void {
    if (isStopped) return;
    isStopped = true;
    clearTimeout(timer);
    end();
    log.error({ err: error }, 'the log of the cluster cannot be followed any further from here');
    failed(error);
  }

  const consumer = await streams.consumers.get(names.log, {
    deliver_policy: DeliverPolicy.StartSequence,
    opt_start_seq: following.place().seq + 1,
  });
  const all: ConsumerMessages = await consumer.consume({ max_messages: 500 });
  end = () => {
    all.stop();
  };
  const running = (async () => {
    for await (const message of all) {
      if (message.seq !== read + 1)
        throw new Error(`The log goes on with record ${message.seq}, and this service has the records up to ${read}.`);
      read = message.seq;
      ({ pending } = message.info);
      const group = assembly.add(partOf({ seq: message.seq, header: message.headers, data: message.data }));
      if (group === undefined) continue;
      waiting.push(group);
      if (waiting.length >= AT_ONCE) write();
      else
        timer ??= setTimeout(() => {
          try {
            write();
          } catch (error) {
            stopFor(error);
          }
        }, GATHER_MS);
    }
  })().catch(stopFor);

  return {
    lag: () => {
      const records = pending + (read - following.place().seq);
      return { records, ms: records === 0 ? 0 : Math.max(0, clock.now() - lastAt) };
    },
    async catchUp() {
      const { last } = await logBounds(cluster);
      while (read < last && !isStopped) await new Promise((done) => setTimeout(done, LOOK_MS));
      if (isStopped) throw new Error('The log could not be followed to its end.');
      write();
      // Parts of a group that did not come to its end are passed over: what is written next stands behind them.
      const end = following.place().seq < last ? await recordAt(cluster, last) : undefined;
      if (end !== undefined) following.skipTo({ seq: last, group: end.group });
    },
    async stop() {
      isStopped = true;
      clearTimeout(timer);
      all.stop();
      await running;
      await consumer.delete().catch(() => undefined);
    },
  };
}
