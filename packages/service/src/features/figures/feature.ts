import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import type { Feed } from '../events/index.js';
import { figureEndpoints } from './endpoints.js';
import { figureRetention } from './retention.js';
import { figureRollUp } from './roll-up.js';
import type { Store } from './store.js';

/** Counts of deliveries by hour and day. */
export function openFigures({ clock, workers }: Runtime, store: Store, feed: Feed): Feature {
  return {
    name: 'figures',
    endpoints: serve(figureEndpoints, { store, clock }),
    running: [figureRollUp({ store, workers, clock, feed })],
    retention: figureRetention(store),
  };
}
