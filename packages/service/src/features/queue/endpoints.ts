import { readFairnessKey } from '@verbalis/core/delivery';
import { endpointsOf, instant, json, jsonBody, numberCursor, pageOf, type Clock } from '../../kernel/index.js';
import { filterOf, type Holding } from '../holds/index.js';
import type { PassPosition } from '../messages/index.js';
import type { QueueCounts } from './counts.js';
import { Cancellation, CanceledView, PlanList, PlanQuery, QueueView } from './model.js';
import type { Store } from './store.js';

export interface QueueEndpoints {
  readonly store: Store;
  readonly clock: Clock;
  readonly counts: QueueCounts;
  readonly holding: Pick<Holding, 'endEmpty'>;
}

/** A fairness key for people: what is kept in the service waits with what is sent. */
export function shownKey(key: string): { priority: 'essential' | 'optional'; space: string; topic: string | undefined } {
  const { urgent, space, topic } = readFairnessKey(key);
  return { priority: urgent ? 'essential' : 'optional', space, topic };
}

const endpoint = endpointsOf<QueueEndpoints>();

const get = endpoint({
  name: 'queue.get',
  method: 'get',
  path: '/v1/queue',
  summary: 'Deliveries that wait, by topic and state, and the attempts of the last hour',
  scope: 'read',
  answers: { 200: json('By topic and state.', QueueView) },
  async run({ caller: { space, operator } }, { counts }) {
    const [all, lastHour] = [await counts.queue(), operator ? await counts.lastHour() : undefined];
    const rows = all.map((row) => ({ ...row, ...shownKey(row.fairnessKey) })).filter((row) => row.space === space);
    const oldest = rows.map((row) => row.oldest);
    return {
      waiting: rows.reduce((sum, row) => sum + row.n, 0),
      due: rows.reduce((sum, row) => sum + row.due, 0),
      held: rows.reduce((sum, row) => sum + row.held, 0),
      oldest: oldest.length === 0 ? undefined : instant(Math.min(...oldest)),
      topics: rows.map(({ priority, topic, state, n, due, held, oldest: at }) => ({
        priority,
        topic,
        state,
        waiting: n,
        due,
        held,
        oldest: instant(at),
      })),
      lastHour: lastHour?.map(({ provider, outcome, n }) => ({ provider, outcome: outcome ?? 'under way', attempts: n })),
    };
  },
});

const planned = endpoint({
  name: 'queue.planned',
  method: 'get',
  path: '/v1/queue/planned',
  summary: 'Deliveries that wait for the date that the app named, the next one first',
  scope: 'read',
  query: PlanQuery,
  answers: { 200: json('A page.', PlanList) },
  run({ caller: { space }, query: { limit, cursor } }, { store, clock }) {
    const [at = '', id = ''] = cursor?.split('.') ?? [];
    const after = cursor === undefined ? undefined : { at: parseInt(at, 36), id };
    const rows = store.deliveries.planned(space, { now: clock.now(), after, limit: limit + 1 });
    const page = pageOf(rows, limit, (row) => `${numberCursor(row.notBefore)}.${row.id}`);
    return {
      deliveries: page.rows.map(({ notBefore, isHeld, reference, ...row }) => ({
        ...row,
        notBefore: instant(notBefore),
        held: isHeld,
        reference: reference ?? undefined,
      })),
      nextCursor: page.nextCursor,
    };
  },
});

/** Deliveries that are canceled in one transaction, and in one call. */
const [AT_ONCE, IN_ONE_CALL] = [200, 10_000];

const cancel = endpoint({
  name: 'queue.cancel',
  method: 'post',
  path: '/v1/queue/cancel',
  summary: 'Cancel the waiting deliveries that match a filter',
  description:
    'Held deliveries are included. Sending that has begun is not canceled. With `check`, nothing is canceled: the answer says how many would be.',
  scope: 'write',
  body: jsonBody(Cancellation),
  answers: { 200: json('How many were canceled, and whether to call again for the rest.', CanceledView) },
  isRepeatable: true,
  async run({ caller: { space }, body: { check = false, hold, ...given } }, { store, clock, holding }) {
    const filter = filterOf(given);
    let canceled = 0;
    for (let at: PassPosition | undefined, isFirst = true; isFirst || at !== undefined; isFirst = false) {
      if (canceled >= IN_ONE_CALL && !check) return { deliveries: canceled, more: true };
      const { ids, next } = await store.deliveries.waitingPart(space, filter, { at, most: AT_ONCE, heldBy: hold });
      canceled += check ? ids.length : await store.write((tx) => store.deliveries.cancelAll(tx, ids, clock.now()));
      at = next;
    }
    if (!check) await holding.endEmpty(space);
    return { deliveries: canceled, more: false };
  },
});

/** What waits. */
export const queueEndpoints = [get, planned, cancel];
