import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import { suppressionEndpoints } from './endpoints.js';
import type { SuppressionSettings } from './settings.js';
import type { Store } from './store.js';
import { suppressing as suppressingOn, type Suppressing } from './suppressing.js';

const DAY = 24 * 3_600_000;

/** Addresses that get no more mail. */
export function openSuppressions(
  { clock, log }: Runtime,
  store: Store,
  { after, days, localParts }: SuppressionSettings,
  master: Uint8Array,
): { readonly suppressing: Suppressing; readonly feature: Feature } {
  const plan = { after, spreadMs: days * DAY };
  const suppressing = suppressingOn({ store, log, plan, anyCase: localParts === 'any-case', master });
  return { suppressing, feature: { name: 'suppressions', endpoints: serve(suppressionEndpoints, { store, clock, suppressing }) } };
}
