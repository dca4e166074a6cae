import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import { domainEndpoints } from './endpoints.js';
import { signing as signingOn, type Signing } from './signing.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  /** Encrypts the keys. */
  readonly master: Uint8Array;
  /** Domains that a space sends as. */
  readonly sendersOf: (space: string) => Promise<readonly string[]>;
}

/** Sending domains and the keys that sign for them. */
export function openDomains(
  { clock }: Runtime,
  { store, master, sendersOf }: Options,
): { readonly signing: Signing; readonly feature: Feature } {
  const signing = signingOn(store, master);
  const feature: Feature = {
    name: 'domains',
    endpoints: serve(domainEndpoints, { signing, clock, sendersOf }),
    memory: () => ({
      keys: Object.fromEntries(signing.domains().map((domain) => [domain, signing.keysFor(domain).map(({ selector }) => selector)])),
    }),
  };
  return { signing, feature };
}
