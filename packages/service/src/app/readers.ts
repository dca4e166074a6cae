import { openConsent } from '../features/consent/index.js';
import type { Domains } from '../features/domains/index.js';
import { openEngagement } from '../features/engagement/index.js';
import type { BuildOptions } from './build-options.js';
import { readerHosts, underHost } from './hosts.js';

/** The journal of hits, beside the database. */
export const hitsBeside = (databaseFile: string): string => `${databaseFile}.hits`;

/** What readers of email come to: topics that they leave, links that they follow. */
export function openReaders(
  {
    runtime,
    store,
    settings,
    secrets,
    editions,
    links,
  }: Pick<BuildOptions, 'runtime' | 'store' | 'settings' | 'secrets' | 'editions' | 'links'>,
  {
    domains,
    suppressing,
    accept,
    feed,
  }: Pick<Parameters<typeof openConsent>[1], 'suppressing' | 'accept' | 'feed'> & { readonly domains: Domains },
) {
  const { spaces } = settings;
  /** Where people reach the service for email of a domain. */
  const baseFor = (senderDomain: string): string | undefined => {
    const host = domains.linkHostFor(senderDomain);
    return runtime.publicUrl === undefined || host === undefined ? runtime.publicUrl : underHost(runtime.publicUrl, host);
  };
  const consent = openConsent(runtime, {
    store,
    editions,
    suppressing,
    accept,
    feed,
    secret: secrets.keyFor('unsubscribe'),
    returnHostFor: (senderDomain) => domains.returnHostFor(senderDomain),
    baseFor,
    asksForTracking: (space) => spaces[space]?.requireConsent === true,
  });
  const engagement = openEngagement(runtime, {
    store,
    spaces,
    suppressing,
    secret: secrets.keyFor('engagement'),
    file: hitsBeside(runtime.within(settings.databaseFile)),
    baseFor,
    links,
    hostNames: readerHosts({ publicUrl: settings.publicUrl, names: settings.listen.hosts }),
    trustProxy: settings.listen.trustProxy,
    isLinkHost: (host) => domains.isLinkHost(host),
    refuse: consent.refuseLink,
  });
  return { consent, engagement };
}
