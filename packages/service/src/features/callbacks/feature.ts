import { serve, type Feature, type OutsideRules, type Runtime } from '../../kernel/index.js';
import { readProfile } from '@verbalis/core/profile';
import type { ProvidersSettings } from '../providers/index.js';
import type { Consenting } from '../consent/index.js';
import type { Suppressing } from '../suppressions/index.js';
import { callbackEndpoints } from './endpoints.js';
import { publicKeys } from './keys.js';
import { callbackMetrics } from './metrics.js';
import { meaninglessCalls, type MeaninglessCalls } from './meaningless.js';
import { callbackReceiver } from './receiver.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly suppressing: Suppressing;
  readonly consenting: Consenting;
  readonly providers: ProvidersSettings;
  /** The largest call, in bytes. */
  readonly mostBytes: number;
  /** Where the service may go for keys and handshakes that calls name. */
  readonly outside: OutsideRules & { readonly waitMs: number };
}

/** The feature, and what the alerts look at. */
export interface OpenedCallbacks {
  readonly feature: Feature;
  readonly meaningless: MeaninglessCalls;
}

/** Events that HTTP providers call us with: verified, stored, read afterwards. */
export function openCallbacks(
  { clock, log, workers, registry, publicUrl }: Runtime,
  { store, suppressing, consenting, providers, mostBytes, outside }: Options,
): OpenedCallbacks {
  const profiles = new Map(
    Object.entries(providers).flatMap(([name, provider]) => {
      const callbacks = provider.kind === 'http' ? readProfile(provider).callbacks : undefined;
      return callbacks === undefined ? [] : [[name, callbacks] as const];
    }),
  );
  const meaningless = meaninglessCalls(clock);
  const receiver = callbackReceiver({ store, workers, clock, log, suppressing, consenting, profiles });
  const refused = callbackMetrics(registry, { store, receiver, meaningless });
  const feature: Feature = {
    name: 'callbacks',
    endpoints: serve(callbackEndpoints, {
      clock,
      receiver,
      meaningless,
      keys: publicKeys(clock, outside, outside.waitMs),
      outside,
      outsideWaitMs: outside.waitMs,
      publicUrl,
      mostBytes,
      refused,
    }),
    running: [receiver],
  };
  return { feature, meaningless };
}
