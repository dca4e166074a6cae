import type { EmailFilter } from '@verbalis/core/delivery';
import type { z } from 'zod';
import { endpointsOf, instant, json, jsonBody, Refusal, Reply } from '../../kernel/index.js';
import type { Holding } from './holding.js';
import { HoldList, HoldView, NewHold, Release, ReleaseView } from './model.js';
import type { HoldRow } from './queries.js';
import type { Store } from './store.js';

export interface HoldEndpoints {
  readonly store: Store;
  readonly holding: Holding;
}

const endpoint = endpointsOf<HoldEndpoints>();

function view({ id, filter, reason, createdAt }: HoldRow, held: number): z.input<typeof HoldView> {
  return { id, ...filter, reason: reason ?? undefined, createdAt: instant(createdAt), held };
}

/** The filter among what was given. */
export function filterOf({ template, edition, topic, domain, labels }: EmailFilter): EmailFilter {
  return { template, edition, topic, domain, labels };
}

const list = endpoint({
  name: 'holds.list',
  method: 'get',
  path: '/v1/holds',
  summary: 'Holds in force',
  scope: 'read',
  answers: { 200: json('All of them, oldest first.', HoldList) },
  async run({ caller: { space } }, { store, holding }) {
    const rows = holding.all(space);
    const held = rows.length === 0 ? new Map<string, number>() : await store.deliveries.heldCounts();
    return { holds: rows.map((row) => view(row, held.get(row.id) ?? 0)) };
  },
});

const add = endpoint({
  name: 'holds.add',
  method: 'post',
  path: '/v1/holds',
  summary: 'Send nothing that a filter means, until it is let go',
  description: 'For what waits and for what comes. What has begun to leave is not stopped.',
  scope: 'write',
  body: jsonBody(NewHold),
  answers: { 201: json('The hold.', HoldView) },
  async run({ caller: { space }, body }, { holding }) {
    const { row, held } = await holding.hold(space, filterOf(body), body.reason);
    return new Reply(view(row, held), { status: 201 });
  },
});

const release = endpoint({
  name: 'holds.release',
  method: 'post',
  path: '/v1/holds/release',
  summary: 'End holds, and let their deliveries go',
  description: 'A filter ends every hold that names all that the filter names: `template: booking` ends a hold of edition 12 of it.',
  scope: 'write',
  body: jsonBody(Release),
  answers: { 200: json('What was let go.', ReleaseView) },
  refusals: { 404: 'There is no such hold.' },
  async run({ caller: { space }, body }, { holding }) {
    const rows = holding.meant(space, body.id === undefined ? { filter: filterOf(body) } : { id: body.id });
    if (rows.length === 0)
      throw new Refusal(404, 'unknown-hold', 'There is no such hold', {
        detail: body.id === undefined ? 'No hold names all of that.' : `No hold "${body.id}" is in force in the space "${space}".`,
        hint: 'verbalis queue holds lists those in force.',
      });
    return { released: rows.map(({ id }) => id), deliveries: await holding.release(rows) };
  },
});

/** Holds: what is not sent until a person lets it go. */
export const holdEndpoints = [list, add, release];
