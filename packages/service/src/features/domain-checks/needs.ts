import type { DomainNeeds, SendingProvider } from '@verbalis/core/domains';
import type { SendingDomain } from '../domains/index.js';
import { REPORT_ADDRESSES } from '../returns/index.js';

/** What a space has to do with a domain. */
export interface SendingSpace {
  readonly name: string;
  readonly delivers: boolean;
  /** Domains that it sends as. */
  readonly senders: readonly string[];
  /** The providers of its route. */
  readonly providers: readonly SendingProvider[];
}

/** Spaces that send as a domain or one below it. */
export function spacesOf(domain: string, spaces: readonly SendingSpace[]): readonly SendingSpace[] {
  return spaces.filter(({ senders }) => senders.some((sender) => sender === domain || sender.endsWith(`.${domain}`)));
}

/** The names of the service. */
export interface OwnNames {
  /** Under which other mail servers reach our listener. */
  readonly mailServer: string;
  /** The host of our pages; undefined where people reach them by an IP address, or not at all. */
  readonly linkServer: string | undefined;
}

/** What a domain needs: by the spaces that send as it and deliver, and the providers that they send through. */
export function needsOf(domain: SendingDomain, spaces: readonly SendingSpace[], { mailServer, linkServer }: OwnNames): DomainNeeds {
  const sending = spacesOf(domain.name, spaces).filter(({ delivers }) => delivers);
  const providers = new Map(sending.flatMap(({ providers: of }) => of.map((provider) => [provider.name, provider] as const)));
  return {
    domain: domain.name,
    returnHost: domain.returnHost,
    mailServer,
    links: domain.linkHost === null ? undefined : { host: domain.linkHost, service: linkServer },
    keys: domain.keys.filter(({ retiredAt }) => retiredAt === null).map(({ selector, record }) => ({ selector, record })),
    providers: [...providers.values()],
    policy: domain.policy,
    reports: REPORT_ADDRESSES,
  };
}
