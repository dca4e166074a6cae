import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import { holdEndpoints } from './endpoints.js';
import { holding as holdingOn, type Holding } from './holding.js';
import type { Store } from './store.js';

/** Holds: the stop button. */
export function openHolds(
  { clock, log }: Runtime,
  { store, wake }: { readonly store: Store; readonly wake: () => void },
): { readonly holding: Holding; readonly feature: Feature } {
  const holding = holdingOn({ store, clock, wake });
  const resumed = {
    start: (): void => {
      holding.resume().catch((error: unknown) => {
        log.error({ err: error }, 'deliveries of a hold that is over could not be released; they will be at the next start');
      });
    },
    stop: (): Promise<void> => Promise.resolve(),
  };
  return {
    holding,
    feature: {
      name: 'holds',
      endpoints: serve(holdEndpoints, { store, holding }),
      running: [resumed],
      remembers: ['holds'],
      memory: holding.memory,
    },
  };
}
