import type { ProviderChange } from '@verbalis/core/delivery';
import { newId, type Clock } from '../../kernel/index.js';
import type { Feed } from '../events/index.js';
import type { Store } from './store.js';

export interface ProviderEventOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly feed: Feed;
  /** The spaces that send through a provider. */
  readonly spacesOf: (provider: string) => readonly string[];
}

/** Records that a provider got into trouble or works again, with an event for each space that sends through it. */
export function providerEvents({ store, clock, feed, spacesOf }: ProviderEventOptions): (change: ProviderChange) => Promise<void> {
  const since = new Map(store.providers.inTrouble().map(({ name, since: at }) => [keyOf({ provider: name, domain: undefined }), at]));
  return async (change) => {
    const { provider, scope, domain, why } = change;
    // What one recipient domain meets is shown on its messages.
    if (scope === 'domain') return;
    const now = clock.now();
    const isTrouble = change.change === 'trouble';
    const key = keyOf(change);
    const from = isTrouble ? now : (since.get(key) ?? now);
    if (isTrouble) since.set(key, now);
    else since.delete(key);
    const what = scope === 'provider' ? provider : `${provider}, for email from ${domain ?? ''},`;
    const text = isTrouble ? `${what} is in trouble: ${why}` : `${what} works again.`;
    await store.write((tx) => {
      if (scope === 'provider') store.providers.setTrouble(tx, provider, isTrouble ? { since: now, why } : undefined);
      for (const space of spacesOf(provider))
        store.events.append(tx, {
          id: `${newId('e', now)}:${change.change}`,
          space,
          kind: `provider-${change.change}`,
          at: now,
          data: {
            provider,
            scope,
            ...(domain === undefined ? {} : { domain }),
            ...(why === '' ? {} : { why }),
            since: new Date(from).toISOString(),
            text,
          },
        });
      tx.afterCommit(feed.reported);
    });
  };
}

function keyOf({ provider, domain }: Pick<ProviderChange, 'provider' | 'domain'>): string {
  return domain === undefined ? provider : `${provider} from ${domain}`;
}
