import { standbyTrouble, type Member } from '../features/cluster/index.js';
import type { Clock } from '../kernel/index.js';

/** What a primary knows of the other nodes. */
export interface StandbyWatch {
  readonly members: () => readonly Member[];
  readonly note: (members: readonly Member[]) => void;
  /** This node is the primary no more. */
  readonly reset: () => void;
  /** What is wrong with the standbys, once it has been so for a while: one that is restarted is no trouble. */
  readonly trouble: () => string | undefined;
}

/** A primary that has had no standby for so long tells an operator, in milliseconds. */
const TROUBLE_MS = 30_000;

/** @param changed is called when trouble begins or ends */
export function standbyWatch(clock: Clock, changed: () => void): StandbyWatch {
  let members: readonly Member[] = [];
  let since: number | undefined;
  let wasTrouble = false;
  const trouble = (): string | undefined =>
    since === undefined || clock.elapsed() - since < TROUBLE_MS ? undefined : standbyTrouble(members)?.text;
  return {
    members: () => members,
    trouble,
    note(known) {
      members = known;
      since = standbyTrouble(members) === undefined ? undefined : (since ?? clock.elapsed());
      const isTrouble = trouble() !== undefined;
      if (isTrouble !== wasTrouble) changed();
      wasTrouble = isTrouble;
    },
    reset() {
      since = undefined;
      members = [];
    },
  };
}
