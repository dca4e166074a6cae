import { Refusal, type Tx } from '../../kernel/index.js';
import type { LinkHostRow } from './queries.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  /** Whether the DNS is checked; else a host is used at once. */
  readonly isChecked: boolean;
  /** The domain itself, or the nearest above it. */
  readonly above: (name: string) => { readonly links: LinkHostRow | undefined } | undefined;
  /** All hosts that were ever used. */
  readonly known: () => ReadonlyMap<string, LinkHostRow>;
}

/** Hosts of links in emails. One that was used once stays known: links in emails that were sent lead there. */
export function linkHostsOf({ store, isChecked, above, known }: Options) {
  return {
    /** The host of links in email of a sender's domain; undefined for that of the service. */
    hostFor: (name: string): string | undefined => {
      const links = above(name)?.links;
      return links === undefined || links.liveFrom === null ? undefined : links.host;
    },

    /** Whether links of emails lead, or once led, to this host. */
    isKnown: (host: string): boolean => known().has(host.toLowerCase()),

    /** Gives a domain a host of its own; within a transaction. @throws Refusal where another domain has it */
    set: (tx: Tx, host: string | null, domain: string, now: number): void => {
      if (host === null) return;
      const taken = store.domains.linkHosts(tx).find((row) => row.host === host);
      if (taken !== undefined && taken.domain !== domain && store.domains.find(taken.domain, tx)?.linkHost === host)
        throw new Refusal(409, 'host-in-use', 'This host is used already', {
          detail: `The links of ${taken.domain} are at ${host}.`,
          hint: 'Each domain needs its own host, such as links.DOMAIN.',
        });
      store.domains.setLinkHost(tx, { host, domain, liveFrom: isChecked ? (taken?.liveFrom ?? null) : now });
    },
  };
}
