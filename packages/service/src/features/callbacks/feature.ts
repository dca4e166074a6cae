import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import type { ProvidersSettings } from '../providers/index.js';
import type { Suppressing } from '../suppressions/index.js';
import { callbackEndpoints } from './endpoints.js';
import { callbackMetrics } from './metrics.js';
import { meaninglessCalls, type MeaninglessCalls } from './meaningless.js';
import { callbackReceiver } from './receiver.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly suppressing: Suppressing;
  readonly providers: ProvidersSettings;
  /** The largest call, in bytes. */
  readonly mostBytes: number;
}

/** The feature, and what the alerts look at. */
export interface OpenedCallbacks {
  readonly feature: Feature;
  readonly meaningless: MeaninglessCalls;
}

/** Events that HTTP providers call us with: verified, stored, read afterwards. */
export function openCallbacks(
  { clock, log, workers, registry }: Runtime,
  { store, suppressing, providers, mostBytes }: Options,
): OpenedCallbacks {
  const profiles = new Map(
    Object.entries(providers).flatMap(([name, provider]) =>
      provider.kind === 'http' && provider.callbacks !== undefined ? [[name, provider.callbacks]] : [],
    ),
  );
  const meaningless = meaninglessCalls(clock);
  const receiver = callbackReceiver({ store, workers, clock, log, suppressing, profiles });
  const refused = callbackMetrics(registry, { store, receiver, meaningless });
  const feature: Feature = {
    name: 'callbacks',
    endpoints: serve(callbackEndpoints, { clock, receiver, meaningless, mostBytes, refused }),
    running: [receiver],
  };
  return { feature, meaningless };
}
