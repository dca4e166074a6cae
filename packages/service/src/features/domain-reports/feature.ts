import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import type { Domains } from '../domains/index.js';
import type { Feed } from '../events/index.js';
import type { OpenNameServers } from '../name-servers/index.js';
import { reportEndpoints } from './endpoints.js';
import { reportReading } from './reading.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly domains: Domains;
  readonly feed: Feed;
  /** Undefined where the DNS is not asked. */
  readonly nameServers: OpenNameServers | undefined;
  /** Spaces that send as a domain. */
  readonly spacesOf: (domain: string) => Promise<readonly string[]>;
}

/** What receivers report about sending domains. */
export function openDomainReports(
  { clock, workers, ages }: Runtime,
  { store, domains, feed, nameServers, spacesOf }: Options,
): { readonly arrived: () => void; readonly feature: Feature } {
  const reading = reportReading({ store, clock, workers, domains, nameServers, spacesOf, reported: feed.reported });
  return {
    arrived: reading.arrived,
    feature: {
      name: 'domain-reports',
      endpoints: serve(reportEndpoints, { store, domains, spacesOf, clock }),
      running: [reading],
      retention: [{ name: 'reports about domains', step: (tx, now) => store.reports.forget(tx, now - ages.records) }],
    },
  };
}
