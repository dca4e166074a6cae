import { openConsent } from '../features/consent/index.js';
import type { Domains } from '../features/domains/index.js';
import { openEngagement } from '../features/engagement/index.js';
import type { BuildOptions } from './build-options.js';
import { underHost } from './hosts.js';

/** What readers of email come to: topics that they leave, links that they follow. */
export function openReaders(
  { runtime, store, settings, secrets, editions }: Pick<BuildOptions, 'runtime' | 'store' | 'settings' | 'secrets' | 'editions'>,
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
    file: `${runtime.within(settings.databaseFile)}.hits`,
    baseFor,
    refuse: consent.refuseLink,
  });
  return { consent, engagement };
}
