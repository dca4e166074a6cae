import { Router, type Request } from 'express';
import type { z } from 'zod';
import type { QuarantinedRow } from '../kernel/index.js';
import { Refusal } from '../refusal.js';
import type { Store } from '../store/index.js';
import { callerOf, needs } from './access.js';
import { parse } from './problem.js';
import { QuarantineQuery, type QuarantinedItem, type QuarantinedItemFull } from './tracking-schemas.js';

function view({ id, worker, space, title, error, quarantinedAt }: QuarantinedRow): z.input<typeof QuarantinedItem> {
  return { id, worker, space: space ?? undefined, title, error, quarantinedAt: new Date(quarantinedAt).toISOString() };
}

/** Items that could not be processed: looked at, retried, dropped. Those of nobody are shown to the operator only. */
export function quarantineRouter({ store }: { readonly store: Store }): Router {
  const router = Router();
  const scope = (request: Request) => {
    const { space, operator } = callerOf(request);
    return { space, unowned: operator };
  };
  const found = (request: Request): QuarantinedRow => {
    const id = String(request.params['id']);
    const row = store.quarantine.find(scope(request), id);
    if (row === undefined)
      throw new Refusal(404, 'unknown-item', 'There is no such item in quarantine', {
        detail: `Nothing "${id}" waits in quarantine for this space.`,
        hint: 'It may have been retried or dropped meanwhile: verbalis quarantine list',
      });
    return row;
  };

  router.get('/', needs('read'), (request, response) => {
    const { limit, cursor } = parse(QuarantineQuery, request.query);
    const rows = store.quarantine.list({ ...scope(request), limit: limit + 1, before: cursor });
    const page = rows.slice(0, limit);
    response.json({ items: page.map(view), nextCursor: rows.length > limit ? page.at(-1)?.id : undefined });
  });

  router.get('/:id', needs('read'), (request, response) => {
    const row = found(request);
    const full: z.input<typeof QuarantinedItemFull> = { ...view(row), stack: row.stack, payload: row.payload };
    response.json(full);
  });

  router.post('/:id/retry', needs('write'), async (request, response) => {
    const row = found(request);
    try {
      await store.write((tx) => {
        store.quarantine.retry(tx, row);
      });
    } catch (error) {
      if (error instanceof Refusal || !(error instanceof Error) || error.name === 'StoreUnavailable') throw error;
      throw new Refusal(409, 'still-failing', 'The item cannot be processed yet', {
        detail: error.message,
        hint: 'It stays in quarantine. Drop it if it is of no use: verbalis quarantine drop ID',
      });
    }
    response.status(202).json(view(row));
  });

  router.delete('/:id', needs('write'), async (request, response) => {
    const row = found(request);
    await store.write((tx) => {
      store.quarantine.drop(tx, row);
    });
    response.status(204).end();
  });

  return router;
}
