import { shared, type Clock } from '../../kernel/index.js';
import type { Store } from './store.js';

const HOUR = 3_600_000;

/** What the queue and the attempts of the last hour come to. Several who ask at once get one answer. */
export function queueCounts(store: Store, clock: Clock) {
  return {
    queue: shared(() => store.deliveries.queue(clock.now())),
    lastHour: shared(() => store.deliveries.outcomes(clock.now() - HOUR)),
  };
}

export type QueueCounts = ReturnType<typeof queueCounts>;
