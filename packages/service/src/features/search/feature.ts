import { serve, type Feature } from '../../kernel/index.js';
import { searchEndpoints, type SearchEndpoints } from './endpoints.js';

/** One search over everything of a space. */
export function openSearch(deps: SearchEndpoints): Feature {
  return { name: 'search', endpoints: serve(searchEndpoints, deps) };
}
