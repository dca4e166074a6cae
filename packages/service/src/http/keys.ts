import { Router } from 'express';
import type { Clock } from '../kernel/index.js';
import { newId, type Store } from '../store/index.js';
import { callerOf, needs } from './access.js';
import { parse } from './problem.js';
import { NewKey } from './schemas.js';

export function keysRouter(store: Store, clock: Clock): Router {
  const router = Router();
  router.post('/', needs('admin'), async (request, response) => {
    const { name, scopes } = parse(NewKey, request.body);
    const now = clock.now();
    const id = newId('k', now);
    const { space } = callerOf(request);
    const key = await store.write((tx) => store.access.addKey(tx, { id, space, name, scopes, createdAt: now }));
    response.status(201).json({ id, name, scopes, key });
  });
  return router;
}
