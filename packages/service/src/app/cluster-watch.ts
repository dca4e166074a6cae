import { clusterTrouble, type LogBounds, type Member } from '../features/cluster/index.js';
import type { Clock } from '../kernel/index.js';

/** What a primary knows of the other nodes and of the brokers. */
export interface ClusterWatch {
  readonly members: () => readonly Member[];
  /** Looks at the log now and then, too. */
  readonly note: (members: readonly Member[]) => Promise<void>;
  /** This node is the primary no more. */
  readonly reset: () => void;
  /** What is wrong, once it has been so for a while: a standby or a broker that is restarted is no trouble. */
  readonly trouble: () => string | undefined;
}

type KnownLog = Pick<LogBounds, 'replicas' | 'present'>;

/** A primary that has had no standby, or has missed a broker, for so long tells an operator; in milliseconds. */
const TROUBLE_MS = 30_000;

/** How often it is looked up whether all brokers have the log, in milliseconds. */
const LOOK_MS = 5000;

export interface WatchOptions {
  readonly clock: Clock;
  /** Is called when trouble begins or ends. */
  readonly changed: () => void;
  /** Who has the log. @throws where nobody answers */
  readonly look: () => Promise<KnownLog>;
}

/** Watches what a primary needs of others: a standby that could take over, and brokers that have the log. */
export function clusterWatch({ clock, changed, look }: WatchOptions): ClusterWatch {
  let members: readonly Member[] = [];
  let log: KnownLog | undefined;
  let lookDue = 0;
  let since: number | undefined;
  let wasTrouble = false;
  const trouble = (): string | undefined =>
    since === undefined || clock.elapsed() - since < TROUBLE_MS ? undefined : clusterTrouble(members, log)?.text;
  return {
    members: () => members,
    trouble,
    async note(known) {
      members = known;
      if (clock.elapsed() >= lookDue) {
        lookDue = clock.elapsed() + LOOK_MS;
        // Where nobody answers, nothing that is written is confirmed either, and the node reports that.
        log = await look().catch(() => log);
      }
      since = clusterTrouble(members, log) === undefined ? undefined : (since ?? clock.elapsed());
      const isTrouble = trouble() !== undefined;
      if (isTrouble !== wasTrouble) changed();
      wasTrouble = isTrouble;
    },
    reset() {
      since = undefined;
      members = [];
      log = undefined;
    },
  };
}
