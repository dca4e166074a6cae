import { filterText, type EmailFilter } from '@verbalis/core/delivery';
import type * as z from 'zod';
import { endpointsOf, instant, json, jsonBody, optionalInstant, pageOf, Refusal, Reply } from '../../kernel/index.js';
import type { Holding } from './holding.js';
import type { HeldRow } from '../messages/index.js';
import { HeldList, HeldQuery, HoldList, HoldView, NewHold, Release, ReleaseView } from './model.js';
import type { HoldRow } from './queries.js';
import type { Store } from './store.js';

export interface HoldEndpoints {
  readonly store: Store;
  readonly holding: Holding;
}

const endpoint = endpointsOf<HoldEndpoints>();

function view({ id, filter, reason, createdAt, restoredAsOf }: HoldRow, held: number): z.input<typeof HoldView> {
  return { id, ...filter, reason: reason ?? undefined, restoredAsOf: optionalInstant(restoredAsOf), createdAt: instant(createdAt), held };
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

/** Why a delivery is held, in a sentence. */
function whyHeld({ heldFrom, lastOutcome }: Pick<HeldRow, 'heldFrom' | 'lastOutcome'>, hold: HoldRow): string {
  const { restoredAsOf, createdAt, reason, filter } = hold;
  if (restoredAsOf === null) return reason ?? `Held: ${filterText(filter)}.`;
  const copy = `the copy (${new Date(restoredAsOf).toISOString()})`;
  if (lastOutcome === 'uncertain' || lastOutcome === 'under way')
    return `It was being sent when ${copy} was made, and its outcome is not known: it may have been sent.`;
  if (heldFrom === null || heldFrom > createdAt)
    return `Its time had not come. It may have been canceled or changed after ${copy} was made.`;
  return `It was due by the time of the restore: it may have been sent after ${copy} was made.`;
}

const held = endpoint({
  name: 'holds.held',
  method: 'get',
  path: '/v1/holds/held',
  summary: 'Deliveries that are held, and why',
  scope: 'read',
  query: HeldQuery,
  answers: { 200: json('Oldest first.', HeldList) },
  run({ caller: { space }, query: { hold, cursor, limit } }, { store, holding }) {
    const holds = new Map(holding.all(space).flatMap((row) => (hold === undefined || row.id === hold ? [[row.id, row]] : [])));
    const rows = store.deliveries.heldOf([...holds.keys()], { after: cursor ?? '', limit: limit + 1 });
    const page = pageOf(rows, limit, ({ id }) => id);
    return {
      deliveries: page.rows.map(({ id, messageId, address, template, subject, hold: of, createdAt, heldFrom, lastOutcome }) => ({
        id,
        messageId,
        address,
        template,
        subject,
        hold: of,
        createdAt: instant(createdAt),
        dueAt: optionalInstant(heldFrom),
        why: whyHeld({ heldFrom, lastOutcome }, holds.get(of) as HoldRow),
      })),
      nextCursor: page.nextCursor,
    };
  },
});

const add = endpoint({
  name: 'holds.add',
  method: 'post',
  path: '/v1/holds',
  summary: 'Hold the deliveries that match a filter until they are released',
  description: 'Applies to waiting and to later deliveries. An email whose transfer has begun is not stopped.',
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
  description:
    'A filter ends every hold that names all that the filter names: `template: booking` ends a hold of edition 12 of it. Of what is held after a restore, it lets go what it means.',
  scope: 'write',
  body: jsonBody(Release),
  answers: { 200: json('What was released.', ReleaseView) },
  refusals: { 404: 'There is no such hold.', 409: 'A part is named of a hold that ends as a whole.' },
  async run({ caller: { space }, body }, { holding }) {
    const filter = filterOf(body);
    const isFiltered = Object.values(filter).some((value) => value !== undefined);
    const meant = holding.meant(space, body.id === undefined ? { filter } : { id: body.id });
    // What a restore holds is released in parts, by a filter.
    const parts = isFiltered ? holding.restored(space).filter(({ id }) => body.id === undefined || body.id === id) : [];
    const rows = isFiltered ? meant.filter(({ restoredAsOf }) => restoredAsOf === null) : meant;
    if (isFiltered && body.id !== undefined && rows.length > 0)
      throw new Refusal(409, 'not-in-part', 'A hold like this ends as a whole', {
        detail: 'It would hold the released part again: only what a restore holds can be released by a filter.',
      });
    if (rows.length === 0 && parts.length === 0)
      throw new Refusal(404, 'unknown-hold', 'There is no such hold', {
        detail: body.id === undefined ? 'No hold names all of that.' : `No hold "${body.id}" is in force in the space "${space}".`,
        hint: 'verbalis queue holds lists those in force.',
      });
    let deliveries = rows.length === 0 ? 0 : await holding.release(rows);
    for (const part of parts) deliveries += await holding.releasePart(part, filter);
    return { released: rows.map(({ id }) => id), deliveries };
  },
});

/** Holds: what is not sent until a person lets it go. */
export const holdEndpoints = [list, held, add, release];
