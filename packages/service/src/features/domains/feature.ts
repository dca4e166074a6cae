import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import { domainEndpoints } from './endpoints.js';
import { signing as signingOn, type Signing } from './signing.js';
import type { Store } from './store.js';

/** Sending domains and the keys that sign for them. @param master encrypts the keys */
export function openDomains(
  { clock }: Runtime,
  store: Store,
  master: Uint8Array,
): { readonly signing: Signing; readonly feature: Feature } {
  const signing = signingOn(store, master);
  const feature: Feature = {
    name: 'domains',
    endpoints: serve(domainEndpoints, { signing, clock }),
    memory: () => ({
      keys: Object.fromEntries(signing.domains().map((domain) => [domain, signing.keysFor(domain).map(({ selector }) => selector)])),
    }),
  };
  return { signing, feature };
}
