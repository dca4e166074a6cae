import type { Router } from 'express';
import { openDomainChecks, type DomainWatch } from '../features/domain-checks/index.js';
import { openDomainReports } from '../features/domain-reports/index.js';
import type { Domains } from '../features/domains/index.js';
import type { Feed } from '../features/events/index.js';
import type { Acceptor } from '../features/messages/index.js';
import { nameServersOf } from '../features/name-servers/index.js';
import { openSenderConfirmations } from '../features/sender-confirmations/index.js';
import type { Senders } from '../features/senders/index.js';
import type { Feature } from '../kernel/index.js';
import type { BuildOptions } from './build-options.js';
import { hostNameOf } from './hosts.js';
import { sendingSpaces } from './sending-spaces.js';

/** What messages are made of. */
interface Writing {
  readonly domains: Domains;
  readonly senders: Senders;
  readonly feed: Feed;
  readonly accept: Acceptor;
}

export interface Authors {
  readonly watch: DomainWatch;
  readonly reportArrived: () => void;
  readonly confirmPages: Router;
  readonly features: readonly Feature[];
}

/** Whom spaces send as: their domains, what receivers report about these, and addresses whose owners agree. */
export async function openAuthors(options: BuildOptions, writing: Writing): Promise<Authors> {
  const { runtime, store, settings, secrets, editions } = options;
  const watch = await openDomainWatch(options, writing);
  const reports = openDomainReports(runtime, {
    store,
    domains: writing.domains,
    feed: writing.feed,
    nameServers: settings.dns.check ? nameServersOf(settings.dns) : undefined,
    spacesOf: watch.spacesOf,
  });
  const confirmations = openSenderConfirmations(runtime, {
    store,
    senders: writing.senders,
    spaces: settings.spaces,
    accept: writing.accept,
    editions,
    feed: writing.feed,
    nameServers: settings.dns.check ? nameServersOf(settings.dns) : undefined,
    secret: secrets.keyFor('sender confirmations'),
  });
  return {
    watch,
    reportArrived: reports.arrived,
    confirmPages: confirmations.pages,
    features: [watch.feature, reports.feature, confirmations.feature],
  };
}

/** What the domains of spaces need, and whether it is published. */
function openDomainWatch(
  { runtime, store, settings, secrets, editions }: BuildOptions,
  { domains, feed, accept }: Writing,
): Promise<DomainWatch> {
  return openDomainChecks(runtime, {
    store,
    domains,
    feed,
    settings: settings.dns,
    names: { mailServer: settings.returns.name ?? settings.helloName, linkServer: hostNameOf(settings.publicUrl) },
    secret: secrets.keyFor('domain pages'),
    accept,
    offersTls: settings.returns.tls !== undefined,
    spaces: () => sendingSpaces(settings, editions),
  });
}
