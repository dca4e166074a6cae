import { serve, type Feature } from '../../kernel/index.js';
import { searchEndpoints } from './endpoints.js';
import type { Store } from './store.js';

/** One search over everything of a space. */
export function openSearch(store: Store): Feature {
  return { name: 'search', endpoints: serve(searchEndpoints, { store }) };
}
