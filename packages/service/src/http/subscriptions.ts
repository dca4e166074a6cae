import { typeOf } from '@verbalis/core/events';
import { readShape } from '@verbalis/core/shape';
import { Router, type Request } from 'express';
import type { z } from 'zod';
import type { Notifier } from '../notify/index.js';
import { invalid, Refusal } from '../refusal.js';
import type { NotificationRow, Store, SubscriptionRow } from '../store/index.js';
import { callerOf, needs } from './access.js';
import { filterOf } from './events.js';
import { parse } from './problem.js';
import {
  Again,
  NewSubscription,
  NotificationQuery,
  Replay,
  SubscriptionChange,
  type NotificationView,
  type SubscriptionView,
} from './tracking-schemas.js';

export interface SubscriptionsOptions {
  readonly store: Store;
  readonly notifying: Notifier;
}

/** Names that a shape's expressions may use. */
const SHAPE_NAMES = { event: undefined, events: undefined };

function iso(at: number | null | undefined): string | undefined {
  return at === null || at === undefined ? undefined : new Date(at).toISOString();
}

function checkedShape(shape: unknown): unknown {
  if (shape === undefined || shape === null) return undefined;
  const { problems } = readShape(shape, 'shape', SHAPE_NAMES);
  if (problems.length > 0) throw invalid(problems.map((one) => ({ path: 'shape', message: one.message, hint: one.hint })));
  return shape;
}

/** Where events are sent, and what became of each. */
export function subscriptionsRouter({ store, notifying }: SubscriptionsOptions): Router {
  const router = Router();

  const view = (row: SubscriptionRow, secret?: string): z.input<typeof SubscriptionView> => {
    const counts = store.subscriptions.counts(row.id);
    return {
      id: row.id,
      name: row.name,
      url: row.url,
      filter: row.filter,
      shape: row.shape ?? undefined,
      batch: row.batch,
      state: row.state,
      reason: row.reason ?? undefined,
      restingUntil: iso(notifying.restingUntil(row.id)),
      createdAt: new Date(row.createdAt).toISOString(),
      behind: Math.max(0, store.events.last() - row.cursor),
      waiting: counts.waiting,
      delivered: counts.delivered,
      setAside: counts['set-aside'],
      secret,
    };
  };
  const found = (request: Request): SubscriptionRow => {
    const id = String(request.params['id']);
    const { space } = callerOf(request);
    const row = store.subscriptions.find(space, id) ?? store.subscriptions.list(space).find((one) => one.name === id);
    if (row === undefined)
      throw new Refusal(404, 'unknown-subscription', 'There is no such subscription', {
        detail: `No subscription "${id}" in the space "${space}".`,
        hint: 'verbalis subscriptions list',
      });
    return row;
  };

  router.get('/', needs('read'), (request, response) => {
    response.json({ subscriptions: store.subscriptions.list(callerOf(request).space).map((row) => view(row)) });
  });

  router.post('/', needs('write'), async (request, response) => {
    const wanted = parse(NewSubscription, request.body);
    const caller = callerOf(request);
    if (!wanted.handshake && !caller.scopes.has('admin'))
      throw new Refusal(403, 'handshake-needed', 'This key may not leave the question out', {
        detail: 'Only the scope "admin" may subscribe an address that has not said that it wants this.',
        hint: 'Leave "handshake" out, or use the operator’s secret.',
      });
    filterOf(wanted.filter);
    const shape = checkedShape(wanted.shape);
    if (shape !== undefined && wanted.batch > 1 && !JSON.stringify(shape).includes('events'))
      throw invalid([
        {
          path: 'shape',
          message: 'uses one event only, but "batch" sends more together.',
          hint: 'Use {"$each": "one in events", "$value": …}, or batch: 1.',
        },
      ]);
    const { row, secret } = await notifying.add({
      ...wanted,
      shape,
      space: caller.space,
      name: wanted.name ?? new URL(wanted.url).host,
    });
    response.status(201).location(`/v1/subscriptions/${row.id}`).json(view(row, secret));
  });

  router.get('/:id', needs('read'), (request, response) => {
    response.json(view(found(request)));
  });

  router.patch('/:id', needs('write'), async (request, response) => {
    const { shape, ...rest } = parse(SubscriptionChange, request.body);
    const row = found(request);
    if (rest.filter !== undefined) filterOf(rest.filter);
    const set = Object.fromEntries(
      Object.entries({ ...rest, ...(shape === undefined ? {} : { shape: checkedShape(shape) }) }).filter(
        ([, value]) => value !== undefined,
      ),
    );
    response.json(view(await notifying.change(row, set)));
  });

  router.delete('/:id', needs('write'), async (request, response) => {
    await notifying.remove(found(request));
    response.status(204).end();
  });

  router.post('/:id/pause', needs('write'), async (request, response) => {
    response.json(view(await notifying.pause(found(request), true)));
  });
  router.post('/:id/resume', needs('write'), async (request, response) => {
    const row = found(request);
    const isAsked = row.state === 'unproven' || (row.state === 'gone' && row.handshake);
    response.json(view(isAsked ? await notifying.prove(row) : await notifying.pause(row, false)));
  });
  router.post('/:id/test', needs('write'), async (request, response) => {
    const { ok, status, problem, milliseconds } = await notifying.test(found(request));
    response.json({ ok, status, problem, milliseconds });
  });
  router.post('/:id/secret', needs('write'), async (request, response) => {
    const row = found(request);
    const secret = await notifying.rotate(row);
    response.json(view(row, secret));
  });
  router.post('/:id/replay', needs('write'), async (request, response) => {
    const { since } = parse(Replay, request.body);
    response.json(view(await notifying.replay(found(request), Date.parse(since))));
  });
  router.post('/:id/again', needs('write'), async (request, response) => {
    const { notifications } = parse(Again, request.body ?? {});
    const count = await notifying.again(
      found(request),
      notifications?.map((one) => Number.parseInt(one, 36)),
    );
    response.json({ count });
  });

  router.get('/:id/notifications', needs('read'), (request, response) => {
    const { limit, cursor, state } = parse(NotificationQuery, request.query);
    const row = found(request);
    const before = cursor === undefined ? undefined : Number.parseInt(cursor, 36);
    const rows = store.subscriptions.notifications(row.id, { limit: limit + 1, before, state });
    const shown = rows.slice(0, limit);
    const events = new Map(store.events.at(shown.map((one) => one.seq)).map((one) => [one.seq, one]));
    const told = (one: NotificationRow): z.input<typeof NotificationView> => {
      const event = events.get(one.seq);
      return {
        id: one.seq.toString(36),
        state: one.state,
        eventId: event?.id ?? '',
        type: event === undefined ? 'no longer kept' : typeOf(event.kind),
        deliveryId: event?.deliveryId,
        messageId: event?.fact?.messageId,
        address: event?.fact?.address,
        attempts: one.attempts,
        lastAt: iso(one.lastAt),
        nextAt: one.state === 'waiting' ? iso(one.nextAt) : undefined,
        status: one.status ?? undefined,
        problem: one.problem ?? undefined,
        milliseconds: one.milliseconds ?? undefined,
      };
    };
    response.json({ notifications: shown.map(told), nextCursor: rows.length > limit ? shown.at(-1)?.seq.toString(36) : undefined });
  });

  return router;
}
