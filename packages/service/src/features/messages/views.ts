import { describeDelivery } from '@verbalis/core/delivery';
import type * as z from 'zod';
import { instant } from '../../kernel/index.js';
import type { DeliverySummary, DeliveryView, MessageSummary } from './model.js';
import type { Store } from './store.js';
import type { DeliveryRow, MessageRow } from './tables.js';

// Rows as the API shows them.

export interface ViewSources {
  readonly store: Store;
  /** What a delivery waits for that is due or under way. */
  readonly waitsFor: (delivery: DeliveryRow) => string | undefined;
}

/** Leaves out what is null, as the API does. */
function some<T>(value: T | null | undefined): T | undefined {
  return value ?? undefined;
}

function deliverySummary(row: DeliveryRow): z.input<typeof DeliverySummary> {
  return { id: row.id, address: row.address, state: row.state, cause: some(row.cause) };
}

export function messageFields(row: MessageRow) {
  return {
    id: row.id,
    createdAt: instant(row.createdAt),
    template: row.template,
    edition: row.edition,
    locale: row.locale,
    localeAsked: row.more.localeAsked,
    topic: some(row.topic),
    subject: row.subject,
    from: row.sender,
    to: row.to,
    cc: row.more.cc === undefined ? undefined : [...row.more.cc],
    reference: some(row.reference),
    labels: row.labels,
    dropped: row.more.dropped,
    tracking: row.more.tracking,
    traceparent: row.more.traceparent,
    repairs: row.more.repairs === undefined ? undefined : [...row.more.repairs],
  };
}

export function messageSummary(row: MessageRow, deliveries: readonly DeliveryRow[]): z.input<typeof MessageSummary> {
  return { ...messageFields(row), deliveries: deliveries.map(deliverySummary) };
}

export function deliveryView(row: DeliveryRow, { store, waitsFor }: ViewSources): z.input<typeof DeliveryView> {
  const facts = store.deliveries.facts(row.id);
  const { sentence, advice } = describeDelivery({
    address: row.address,
    createdAt: row.createdAt,
    facts,
    nextAttemptAt: some(row.nextAttemptAt),
  });
  return {
    ...deliverySummary(row),
    sentence,
    advice,
    intended: some(row.intended),
    nextAttemptAt: row.nextAttemptAt === null ? undefined : instant(row.nextAttemptAt),
    waitsFor: waitsFor(row),
    mayHaveBeenSent: row.unsettled === null ? undefined : true,
    attempts: store.deliveries.attempts(row.id).map((attempt) => ({
      number: attempt.number,
      provider: attempt.provider,
      startedAt: instant(attempt.startedAt),
      endedAt: attempt.endedAt === null ? undefined : instant(attempt.endedAt),
      outcome: some(attempt.outcome),
      phase: some(attempt.phase),
      replyCode: some(attempt.replyCode),
      status: some(attempt.status),
      diagnostic: some(attempt.diagnostic),
      providerId: some(attempt.providerId),
    })),
    facts: facts.map((fact) => ({
      kind: fact.kind,
      source: fact.source,
      at: instant(fact.at),
      cause: fact.cause,
      status: fact.status,
      replyCode: fact.replyCode,
      diagnostic: fact.diagnostic,
      returnId: some(fact.returnId),
      ...fact.details,
    })),
  };
}
