import type { Feature, Runtime } from '../../kernel/index.js';
import { OLD_HOST_MS, sendingDomains, type Domains } from './sending-domains.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  /** Encrypts the keys. */
  readonly master: Uint8Array;
  /** The host of return paths where a domain has no own one that is live. */
  readonly sharedHost: string;
  /** Whether the DNS is checked; else keys sign at once. */
  readonly isChecked: boolean;
  /** Another service writes down which hosts there are. */
  readonly isStandby: boolean;
}

/** The domains that mail is sent as, with the keys that sign for them. */
export async function openDomains({ clock }: Runtime, options: Options): Promise<{ readonly domains: Domains; readonly feature: Feature }> {
  const { store, isStandby } = options;
  const domains = sendingDomains({ ...options, clock });
  if (!isStandby) await domains.noteSharedHost();
  const feature: Feature = {
    name: 'domains',
    retention: [{ name: 'old return hosts', step: (tx, now) => store.domains.forgetHosts(tx, now - OLD_HOST_MS) }],
    remembers: ['domains', 'link_hosts', 'return_hosts', 'signing_keys'],
    memory: () => ({
      keys: Object.fromEntries(domains.all().map(({ name }) => [name, domains.keysFor(name).map(({ selector }) => selector)])),
    }),
  };
  return { domains, feature };
}
