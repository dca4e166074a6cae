import { Router } from 'express';
import { Refusal } from '../../kernel/index.js';
import type { Store } from './store.js';

/** Pictures of published mail folders, by the hash of their bytes. Readers of emails fetch them without a key. */
export function assetRouter({ editions }: Store): Router {
  const router = Router();
  router.get('/:hash/:name', (request, response) => {
    const { hash } = request.params;
    const asset = /^[0-9a-f]{20}$/.test(hash) ? editions.asset(hash) : undefined;
    if (asset === undefined) throw new Refusal(404, 'not-found', 'There is no such picture');
    response
      .set({
        'Cache-Control': 'public, max-age=31536000, immutable',
        'X-Content-Type-Options': 'nosniff',
        'Content-Security-Policy': "default-src 'none'; style-src 'unsafe-inline'; sandbox",
        'Cross-Origin-Resource-Policy': 'cross-origin',
        'Content-Type': asset.type,
      })
      .send(asset.bytes);
  });
  return router;
}
