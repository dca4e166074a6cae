import { addressText, isFault, parseMailbox, type Mailbox } from '@verbalis/core/mime';
import type { Domains } from '../domains/index.js';
import type { SpaceSettings } from '../spaces/index.js';
import type { SenderRow } from './queries.js';
import type { Store } from './store.js';

/**
 * Why a space may send as an address: the operator names its domain in the configuration, the domain was added, or its owner has confirmed it.
 * `waiting`: its owner was asked. `unknown`: nobody has shown that it may.
 */
export type Standing = 'configured' | 'own-domain' | 'confirmed' | 'waiting' | 'unknown';

export interface Senders {
  /** One that was added. @param address in small letters or not */
  readonly find: (space: string, address: string) => SenderRow | undefined;
  readonly standingOf: (space: string, mailbox: Mailbox) => Standing;
}

interface Options {
  readonly store: Store;
  readonly spaces: SpaceSettings;
  readonly domains: Pick<Domains, 'above'>;
}

/** Who spaces may send as. */
export function sendersOf({ store, spaces, domains }: Options): Senders {
  const configured = new Map(
    Object.entries(spaces).map(([name, { sender, senderDomains }]) => {
      const usual = parseMailbox(sender ?? '');
      return [name, new Set([...(isFault(usual) ? [] : [usual.domain]), ...senderDomains])];
    }),
  );
  return {
    find: (space, address) => store.senders.find(space, address),
    standingOf(space, mailbox) {
      if (configured.get(space)?.has(mailbox.domain) === true) return 'configured';
      if (domains.above(mailbox.domain) !== undefined) return 'own-domain';
      const row = store.senders.find(space, addressText(mailbox));
      if (row === undefined) return 'unknown';
      return row.confirmedAt === null ? 'waiting' : 'confirmed';
    },
  };
}
