import type * as z from 'zod';
import {
  empty,
  endpointsOf,
  instant,
  json,
  pageOf,
  Refusal,
  textParams,
  type Caller,
  type Kernel,
  type QuarantinedRow,
} from '../../kernel/index.js';
import { QuarantinedItem, QuarantinedItemFull, QuarantineList, QuarantineQuery } from './model.js';

export interface QuarantineEndpoints {
  readonly store: Kernel;
}

const endpoint = endpointsOf<QuarantineEndpoints>();

function view({ id, worker, space, title, error, quarantinedAt }: QuarantinedRow): z.input<typeof QuarantinedItem> {
  return { id, worker, space: space ?? undefined, title, error, quarantinedAt: instant(quarantinedAt) };
}

/** Items of nobody are shown to the operator only. */
const visibleTo = ({ space, operator }: Caller) => ({ space, unowned: operator });

function found({ quarantine }: Kernel, caller: Caller, id: string): QuarantinedRow {
  const row = quarantine.find(visibleTo(caller), id);
  if (row !== undefined) return row;
  throw new Refusal(404, 'unknown-item', 'There is no such item in quarantine', {
    detail: `No item "${id}" waits in quarantine for this space.`,
    hint: 'It may have been retried or dropped: verbalis quarantine list',
  });
}

const list = endpoint({
  name: 'quarantine.list',
  method: 'get',
  path: '/v1/quarantine',
  summary: 'Items that could not be processed, newest first',
  scope: 'read',
  query: QuarantineQuery,
  answers: { 200: json('A page.', QuarantineList) },
  run({ caller, query: { limit, cursor } }, { store: { quarantine } }) {
    const rows = quarantine.list({ ...visibleTo(caller), limit: limit + 1, before: cursor });
    const page = pageOf(rows, limit, (row) => row.id);
    return { items: page.rows.map(view), nextCursor: page.nextCursor };
  },
});

const get = endpoint({
  name: 'quarantine.get',
  method: 'get',
  path: '/v1/quarantine/{id}',
  summary: 'One item, with its payload',
  scope: 'read',
  showsContent: true,
  params: textParams('id'),
  answers: { 200: json('The item.', QuarantinedItemFull) },
  run({ caller, params: { id } }, { store }) {
    const row = found(store, caller, id);
    return { ...view(row), stack: row.stack, payload: row.payload };
  },
});

const retry = endpoint({
  name: 'quarantine.retry',
  method: 'post',
  path: '/v1/quarantine/{id}/retry',
  summary: 'Put an item back into the queue of its worker',
  scope: 'write',
  params: textParams('id'),
  answers: { 202: json('It is tried again.', QuarantinedItem) },
  refusals: { 409: 'The item cannot be processed yet; it stays in quarantine.' },
  async run({ caller, params: { id } }, { store }) {
    const row = found(store, caller, id);
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
    return view(row);
  },
});

const drop = endpoint({
  name: 'quarantine.drop',
  method: 'delete',
  path: '/v1/quarantine/{id}',
  summary: 'Remove an item; it is not processed',
  scope: 'write',
  params: textParams('id'),
  answers: { 204: empty('Removed.') },
  async run({ caller, params: { id } }, { store }) {
    const row = found(store, caller, id);
    await store.write((tx) => {
      store.quarantine.drop(tx, row);
    });
    return undefined;
  },
});

/** Items that could not be processed: looked at, retried, dropped. */
export const quarantineEndpoints = [list, get, retry, drop];
