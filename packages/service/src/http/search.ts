import { Router } from 'express';
import { SUBJECTS_SEARCHED, type Store } from '../store/index.js';
import { callerOf, needs } from './access.js';
import { parse } from './problem.js';
import { SearchQuery } from './schemas.js';

/** One search over everything of a space. */
export function searchRouter(store: Store): Router {
  const router = Router();
  router.get('/', needs('read'), (request, response) => {
    const { q } = parse(SearchQuery, request.query);
    const hits = store.search.find(callerOf(request).space, q);
    response.json({
      hits: hits.map(({ at, ...hit }) => ({ ...hit, at: new Date(at).toISOString() })),
      subjectsOf: SUBJECTS_SEARCHED,
    });
  });
  return router;
}
