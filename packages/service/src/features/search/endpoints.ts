import { endpointsOf, json, optionalInstant } from '../../kernel/index.js';
import type { Editions } from '../editions/index.js';
import { SearchQuery, SearchResult } from './model.js';
import { SUBJECTS_SEARCHED, type SearchHit } from './queries.js';
import type { Store } from './store.js';

export interface SearchEndpoints {
  readonly store: Store;
  readonly editions: Pick<Editions, 'current'>;
}

const endpoint = endpointsOf<SearchEndpoints>();
const LEAST_NAME = 3;

const find = endpoint({
  name: 'search.find',
  method: 'get',
  path: '/v1/search',
  summary: 'Everything of a space by address, id, reference, subject, domain, template, cause or code of an error',
  scope: 'read',
  query: SearchQuery,
  answers: { 200: json('What matches.', SearchResult) },
  async run({ caller: { space, operator }, query: { q } }, { store, editions }) {
    const wanted = q.trim().toLowerCase();
    const named = wanted.length >= LEAST_NAME;
    const templates = named ? [...((await editions.current(space))?.templates.keys() ?? [])].filter((name) => name.includes(wanted)) : [];
    const found: SearchHit[] = [
      ...templates.map((name): SearchHit => ({
        kind: 'template',
        id: name,
        address: undefined,
        title: 'template',
        state: undefined,
        at: undefined,
      })),
      ...store.search.find(space, q),
      ...(operator && named ? store.search.people(q) : []),
    ];
    return { hits: found.map(({ at, ...hit }) => ({ ...hit, at: optionalInstant(at ?? null) })), subjectsOf: SUBJECTS_SEARCHED };
  },
});

/** One search over everything of a space. */
export const searchEndpoints = [find];
