import type { Tx } from '../../kernel/index.js';
import type { SubscriptionRow } from './queries.js';
import { SubscriptionWorker, type SubscriptionSecrets, type WorkerOptions } from './subscription-worker.js';

/** Notifications under way at once, over all subscriptions. */
const UNDER_WAY = 96;
/** So many each subscription may always have: consumers that never answer cannot take the room of one that does. */
const OWN = 2;

/** The workers of all active subscriptions: one each, so that one cannot hold up another. */
export function subscriptionWorkers(
  common: Omit<WorkerOptions, 'hasRoom' | 'began' | 'ended'>,
  secretsOf: (row: SubscriptionRow) => SubscriptionSecrets,
) {
  const { store, log, waitMs } = common;
  const bySubscription = new Map<string, SubscriptionWorker>();
  let underWay = 0;
  let running = false;
  const wakeAll = (): void => {
    for (const worker of bySubscription.values()) worker.wake();
  };
  const options: WorkerOptions = {
    ...common,
    hasRoom: (own) => own < OWN || underWay < UNDER_WAY,
    began: () => {
      underWay += 1;
    },
    ended: () => {
      underWay -= 1;
      // Callers that found no room are notified.
      if (underWay === UNDER_WAY - 1) wakeAll();
    },
  };

  /** Begins or ends the work for a subscription, as its state asks for. */
  function place(row: SubscriptionRow | undefined, id: string): void {
    bySubscription.get(id)?.stop();
    bySubscription.delete(id);
    if (!running || row?.state !== 'active') return;
    let secrets: SubscriptionSecrets;
    try {
      secrets = secretsOf(row);
    } catch (error) {
      // Stored data never keeps the service from starting, nor this subscription the others.
      log.error({ err: error, subscription: id }, 'the secrets of a subscription cannot be decrypted; nothing is sent to it');
      return;
    }
    const worker = new SubscriptionWorker(row, secrets, options);
    bySubscription.set(id, worker);
    worker.start();
  }

  /** What a worker has under way ends before its row is changed, so that its place is not written over. */
  async function quiet(id: string): Promise<void> {
    const worker = bySubscription.get(id);
    worker?.stop();
    while (worker?.busy === true) await new Promise((done) => setTimeout(done, 5));
    bySubscription.delete(id);
  }

  const busy = (): boolean => [...bySubscription.values()].some((worker) => worker.busy);

  return {
    options,
    wakeAll,
    busy,
    start(): void {
      running = true;
      for (const row of store.subscriptions.all()) place(row, row.id);
    },
    /** Works on as the row says now. @throws when it is gone */
    restart(space: string, id: string): SubscriptionRow {
      const row = store.subscriptions.find(space, id);
      place(row, id);
      if (row === undefined) throw new Error(`The subscription ${id} is gone.`);
      return row;
    },
    /** Changes a subscription while nothing of it is under way; whatever comes of the write, its work goes on after. */
    async changing<T>(row: SubscriptionRow, run: (tx: Tx) => T): Promise<T> {
      await quiet(row.id);
      try {
        return await store.write(run);
      } finally {
        place(store.subscriptions.find(row.space, row.id), row.id);
      }
    },
    /** What is at work, as a fresh start would build it of the rows. */
    memory: (): Record<string, unknown> =>
      Object.fromEntries(
        [...bySubscription]
          .sort(([a], [b]) => (a < b ? -1 : 1))
          .map(([id, { row }]) => [id, { name: row.name, filter: row.filter, batch: row.batch }]),
      ),
    /** Since when a consumer is left alone for a while. */
    restingUntil: (id: string): number | undefined => bySubscription.get(id)?.resting,
    async stop(): Promise<void> {
      running = false;
      for (const worker of bySubscription.values()) worker.stop();
      const end = performance.now() + waitMs;
      while (busy() && performance.now() < end) await new Promise((done) => setTimeout(done, 10));
    },
  };
}
