import { decidingConsent } from '@verbalis/core/consent';
import type { Clock, Running, StepResult, WorkerGroup } from '../../kernel/index.js';
import type { Consenting } from './consenting.js';
import type { Store } from './store.js';

const CHUNK = 100;

/** Lets people have a topic again when their pause is over. @returns what wakes it when a pause begins */
export function pauseEnds({
  store,
  clock,
  workers,
  consenting,
}: {
  readonly store: Store;
  readonly clock: Clock;
  readonly workers: WorkerGroup;
  readonly consenting: Consenting;
}): Running & { readonly wake: () => void } {
  async function step(): Promise<StepResult> {
    const now = clock.now();
    const rows = store.consents.pauses(store.reads, CHUNK);
    const over = rows.filter(({ until }) => until !== null && until <= now);
    if (over.length === 0) return { did: 0, next: rows[0]?.until ?? undefined };
    await store.write((tx) => {
      for (const row of over) {
        const { id, space, address, topic, until } = row;
        const deciding = decidingConsent(store.consents.about(space, address, topic, tx));
        store.consents.endPause(tx, id);
        // A person who has left permanently meanwhile stays away.
        if (deciding?.id === id && until !== null)
          consenting.change(tx, {
            id: `pause:${id}`,
            space,
            address,
            topic,
            kind: 'rejoined',
            how: 'page',
            source: 'The pause is over.',
            at: now,
          });
      }
    });
    return { did: over.length, next: 'now' };
  }
  const worker = workers.add({ name: 'pauses', step });
  return {
    wake: worker.wake,
    start: () => {
      worker.start();
      worker.wake();
    },
    stop: () => worker.stop(),
  };
}
