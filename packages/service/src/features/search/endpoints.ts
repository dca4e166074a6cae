import { endpointsOf, instant, json } from '../../kernel/index.js';
import { SearchQuery, SearchResult } from './model.js';
import { SUBJECTS_SEARCHED } from './queries.js';
import type { Store } from './store.js';

const endpoint = endpointsOf<{ readonly store: Store }>();

const find = endpoint({
  name: 'search.find',
  method: 'get',
  path: '/v1/search',
  summary: 'Messages, captured mail, returns and suppressions by address, id, reference or subject',
  scope: 'read',
  query: SearchQuery,
  answers: { 200: json('What matches.', SearchResult) },
  run({ caller: { space }, query: { q } }, { store }) {
    const hits = store.search.find(space, q).map(({ at, ...hit }) => ({ ...hit, at: instant(at) }));
    return { hits, subjectsOf: SUBJECTS_SEARCHED };
  },
});

/** One search over everything of a space. */
export const searchEndpoints = [find];
