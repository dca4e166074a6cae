import { typeOf } from '@verbalis/core/events';
import type * as z from 'zod';
import { instant, numberCursor, optionalInstant } from '../../kernel/index.js';
import type { KnownEvent } from '../events/index.js';
import type { NotificationView, SubscriptionView } from './model.js';
import type { Notifier } from './notifier.js';
import type { NotificationRow, SubscriptionRow } from './queries.js';
import type { Store } from './store.js';

// Rows as the API shows them.

interface Sources {
  readonly store: Store;
  readonly notifying: Notifier;
}

/** @param secret what signs; given in the answer that makes it, and nowhere else */
export function subscriptionView({ store, notifying }: Sources, row: SubscriptionRow, secret?: string): z.input<typeof SubscriptionView> {
  const counts = store.subscriptions.counts(row.id);
  const { id, name, url, filter, payload, batch, state, reason, createdAt, cursor } = row;
  return {
    id,
    name,
    url,
    filter,
    payload: payload ?? undefined,
    batch,
    state,
    reason: reason ?? undefined,
    restingUntil: optionalInstant(notifying.restingUntil(id)),
    createdAt: instant(createdAt),
    behind: Math.max(0, store.events.last() - cursor),
    waiting: counts.waiting,
    delivered: counts.delivered,
    deadLetters: counts['dead-letter'],
    secret,
  };
}

/** @param event what it is about; undefined where that is no longer kept */
export function notificationView(row: NotificationRow, event: KnownEvent | undefined): z.input<typeof NotificationView> {
  const { seq, state, attempts, lastAt, nextAt, status, problem, milliseconds } = row;
  return {
    id: numberCursor(seq),
    state,
    eventId: event?.id ?? '',
    type: event === undefined ? 'no longer kept' : typeOf(event.kind),
    deliveryId: event?.deliveryId,
    messageId: event?.fact?.messageId,
    address: event?.fact?.address,
    attempts,
    lastAt: optionalInstant(lastAt),
    nextAt: state === 'waiting' ? optionalInstant(nextAt) : undefined,
    status: status ?? undefined,
    problem: problem ?? undefined,
    milliseconds: milliseconds ?? undefined,
  };
}
