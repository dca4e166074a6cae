import type { ProviderRouter } from '@verbalis/core/delivery';
import { StoreUnavailable, type Clock, type Reader, type Tx } from '../../kernel/index.js';
import type { DeliveryRow } from '../messages/index.js';
import type { Gate } from '../providers/index.js';
import type { Store } from './store.js';
import type { UnderWay } from './under-way.js';

/** Hand-overs that have their connection: those that ask whether the content may leave, and those whose content leaves. */
export interface Traffic {
  asking: number;
  leaving: number;
}

interface GateOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly router: ProviderRouter;
  /** Whether a person wants it held. */
  readonly isHeld: (row: DeliveryRow, from: Reader) => boolean;
  readonly isStopping: () => boolean;
  readonly traffic: Traffic;
  /** Is called once its attempt is on the disk. */
  readonly begun: () => void;
}

/** How long an attempt that begins waits for others to share its commit, at most, while its connection waits. */
const MOST_BEGIN_MS = 8;

/** What a provider asks and reports while it hands an email over. */
export function gateOf(underWay: UnderWay, { store, clock, router, isHeld, isStopping, traffic, begun }: GateOptions): Gate {
  let answer: Promise<boolean> | undefined;
  const ask = async (): Promise<boolean> => {
    if (isStopping()) return false;
    const { attempt, slot, row } = underWay;
    if (slot !== undefined) router.connected(slot, clock.elapsed());
    const begin = (tx: Tx): boolean => !isHeld(row, tx) && store.deliveries.begin(tx, attempt, clock.now());
    traffic.asking += 1;
    try {
      // While more leave than ask, others will ask soon: one commit for all of them. With as many asking, waiting gains nothing.
      const hasBegun = await (traffic.asking > traffic.leaving ? store.write(begin) : store.writeSoon(begin, MOST_BEGIN_MS));
      underWay.attempt = { ...attempt, hasBegun };
      if (hasBegun) begun();
      return hasBegun;
    } finally {
      traffic.asking -= 1;
    }
  };
  return {
    mayLeave: () =>
      (answer ??= ask()
        .catch((error: unknown) => {
          if (error instanceof StoreUnavailable) return false;
          throw error;
        })
        .then((isAllowed) => {
          underWay.isDenied = !isAllowed;
          return isAllowed;
        })),
    reached: (step, agoMs) => {
      const { slot } = underWay;
      const since = clock.elapsed() - agoMs;
      if (step === 'gave-up') underWay.isDenied = true;
      else if (slot !== undefined && step === 'connected') router.connected(slot, since);
      else if (slot !== undefined) router.opening(slot, since);
    },
  };
}
