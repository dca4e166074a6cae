import { serve, type Feature, type Listeners, type Runtime } from '../../kernel/index.js';
import type { Domains } from '../domains/index.js';
import type { Feed } from '../events/index.js';
import type { Acceptor } from '../messages/index.js';
import type { TestMails } from '../returns/index.js';
import { nameServersOf, type NameServerSettings } from '../name-servers/index.js';
import { domainChecks, type DomainTrouble } from './checks.js';
import { domainEndpoints } from './endpoints.js';
import { type OwnNames, spacesOf, type SendingSpace } from './needs.js';
import type { SharePageOptions } from './share-pages.js';
import { sharing } from './sharing.js';
import type { Store } from './store.js';
import { verifying } from './verification.js';

interface Options {
  readonly store: Store;
  readonly domains: Domains;
  readonly feed: Feed;
  readonly settings: NameServerSettings;
  readonly names: OwnNames;
  /** Signs the addresses of shared pages. */
  readonly secret: Uint8Array;
  readonly spaces: () => Promise<readonly SendingSpace[]>;
  readonly accept: Acceptor;
  /** Whether the listener of return paths offers TLS. */
  readonly offersTls: boolean;
}

export interface DomainWatch {
  readonly troublesOf: (space: string) => readonly DomainTrouble[];
  readonly onChange: Listeners['add'];
  /** For the listener of return paths. */
  readonly testMails: TestMails;
  /** Spaces that send as a domain. */
  readonly spacesOf: (domain: string) => Promise<readonly string[]>;
  /** For the pages that need no key. */
  readonly shared: SharePageOptions;
  readonly feature: Feature;
}

/** Checks are kept for so long. */
const LOG_MS = 90 * 86_400_000;

/** What sending domains need in the DNS, and whether it is there. */
export async function openDomainChecks(runtime: Runtime, options: Options): Promise<DomainWatch> {
  const { clock, log, workers, publicUrl } = runtime;
  const { store, domains, feed, settings, names, secret, spaces, accept, offersTls } = options;
  const nameServers = nameServersOf(settings);
  const checks = await domainChecks({
    store,
    domains,
    clock,
    log,
    workers,
    nameServers,
    names,
    spaces,
    reported: feed.reported,
    isChecked: settings.check,
  });
  const shares = sharing({ domains, clock, secret, publicUrl });
  const tests = verifying({ store, domains, clock, nameServers, accept, spaces, offersTls });
  return {
    testMails: tests,
    spacesOf: async (domain) => spacesOf(domain, await spaces()).map(({ name }) => name),
    troublesOf: checks.troublesOf,
    onChange: checks.onChange,
    shared: { store, checks, sharing: shares, clock, names },
    feature: {
      name: 'domain-checks',
      endpoints: serve(domainEndpoints, { store, domains, checks, sharing: shares, verifying: tests, clock, names }),
      running: [checks],
      remembers: ['domain_states'],
      retention: [
        { name: 'checks of domains', step: (tx, now) => store.domainChecks.forget(tx, now - LOG_MS) },
        { name: 'test emails of domains', step: (tx, now) => store.domainChecks.forgetVerifications(tx, now - LOG_MS) },
      ],
      clockJumped: checks.changed,
    },
  };
}
