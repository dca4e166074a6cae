import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import { eventEndpoints } from './endpoints.js';
import { eventFeed, type Feed } from './feed.js';
import { eventRetention } from './retention.js';
import type { Store } from './store.js';

/** Everything that is made public, in the order of becoming known. */
export function openEvents({ clock, publicUrl, ages }: Runtime, store: Store): { readonly feed: Feed; readonly feature: Feature } {
  const feed = eventFeed(store);
  const endpoints = serve(eventEndpoints, { store, clock, feed, publicUrl });
  return { feed, feature: { name: 'events', endpoints, retention: eventRetention(store, ages) } };
}
