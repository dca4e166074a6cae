import { serve, type Feature, type Runtime, type OutsideRules } from '../../kernel/index.js';
import type { Feed } from '../events/index.js';
import { subscriptionEndpoints } from './endpoints.js';
import { notifier } from './notifier.js';
import { webhookRetention } from './retention.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly feed: Feed;
  readonly outside: OutsideRules;
  /** Encrypts the secrets and header fields of subscriptions. */
  readonly master: Uint8Array;
  readonly helloName: string;
}

/** Events on their way to consumers. */
export function openWebhooks(
  { clock, log, workers, publicUrl, ages }: Runtime,
  { store, feed, outside, master, helloName }: Options,
): Feature {
  const notifying = notifier({
    store,
    workers,
    clock,
    log,
    feed,
    rules: outside,
    master,
    publicUrl,
    origin: publicUrl === undefined ? helloName : new URL(publicUrl).hostname,
    random: Math.random,
  });
  return {
    name: 'webhooks',
    endpoints: serve(subscriptionEndpoints, { store, notifying }),
    running: [notifying],
    retention: webhookRetention(store, ages),
    memory: () => ({ subscriptions: notifying.memory() }),
    // Those that are heads of their lines are known by the monotonic clock; what comes after them is read.
    clockJumped: async () => {
      await store.write((tx) => store.subscriptions.moveWaits(tx, clock.now()));
    },
    isBusy: () => notifying.busy,
  };
}
