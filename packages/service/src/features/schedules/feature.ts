import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import type { BulkStarter } from '../bulk-sends/index.js';
import type { Editions } from '../editions/index.js';
import type { Feed } from '../events/index.js';
import { scheduleEndpoints } from './endpoints.js';
import { scheduleEngine } from './engine.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly spaces: readonly string[];
  readonly editions: Editions;
  readonly bulk: BulkStarter;
  readonly feed: Pick<Feed, 'reported'>;
}

/** Schedules: one template to many, at times that come again. */
export function openSchedules({ clock, log, workers, registry, ages }: Runtime, { store, spaces, editions, bulk, feed }: Options): Feature {
  const engine = scheduleEngine({ store, clock, log, workers, registry, spaces, editions, bulk, reported: feed.reported });
  store.editions.onChanged('schedules', (tx) => {
    tx.afterCommit(engine.wake);
  });
  return {
    name: 'schedules',
    endpoints: serve(scheduleEndpoints, { store, clock, engine }),
    running: [engine],
    clockJumped: engine.clockJumped,
    retention: [{ name: 'schedule runs', step: (tx, now) => store.schedules.forget(tx, now - ages.records) }],
  };
}
