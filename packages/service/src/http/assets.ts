import { Router } from 'express';
import { typeOfName } from '@verbalis/core/program';
import type { Editions } from '../editions/index.js';
import { Refusal } from '../refusal.js';

/** Pictures of published mail folders, by what they contain: whoever reads a mail fetches them, without a key. */
export function assetsRouter(editions: Editions): Router {
  const router = Router();
  router.get('/:hash/:name', (request, response) => {
    const { hash, name } = request.params;
    const bytes = /^[0-9a-f]{20}$/.test(hash) ? editions.asset(hash) : undefined;
    const type = typeOfName(name);
    // Only pictures: templates and data schemas are nobody's business.
    if (bytes === undefined || !type.startsWith('image/')) throw new Refusal(404, 'not-found', 'There is no such picture');
    response
      .set({
        'Cache-Control': 'public, max-age=31536000, immutable',
        'X-Content-Type-Options': 'nosniff',
        'Content-Security-Policy': "default-src 'none'; style-src 'unsafe-inline'; sandbox",
        'Cross-Origin-Resource-Policy': 'cross-origin',
      })
      .type(type)
      .send(Buffer.from(bytes));
  });
  return router;
}
