import { and, desc, eq, inArray, isNull, lt, or, sql, type SQL } from 'drizzle-orm';
import type { Cause } from '@verbalis/core/delivery';
import { ABOUT_NO_DELIVERY, EVENT_KINDS, type EventInput, type EventKind } from '@verbalis/core/events';
import { reading, type Reader } from '../../kernel/index.js';
import { deliveries, facts, messages } from '../messages/index.js';
import { events } from './tables.js';

/** An event with its place in the order of becoming known. */
export interface KnownEvent extends EventInput {
  readonly seq: number;
  readonly recordedAt: number;
  readonly deliveryId: string | undefined;
}

export interface EventFilter {
  readonly space: string;
  readonly limit: number;
  /** Only older ones. */
  readonly before?: number | undefined;
  /** Left out: all. */
  readonly kinds?: readonly EventKind[] | undefined;
  /** Of events about deliveries only those about these. */
  readonly deliveryIds?: readonly string[] | undefined;
  /** Of events about deliveries only those with one of these values. */
  readonly only?: EventValues | undefined;
}

/** What can be looked at without reading all of an event. */
export type EventValues = Partial<Record<'template' | 'topic' | 'domain' | 'cause', readonly string[]>>;

/** A page of events. */
export interface EventPage {
  readonly events: KnownEvent[];
  /** Go on before this one; undefined at the end. */
  readonly next: number | undefined;
  /** How many were looked at. */
  readonly looked: number;
}

/** What events are about; one of these is enough to find them. */
export interface EventSubject {
  readonly reference?: string | undefined;
  readonly address?: string | undefined;
  readonly messageId?: string | undefined;
}

const NO_DELIVERY: ReadonlySet<EventKind> = new Set(ABOUT_NO_DELIVERY);

// Places alone, out of an index, are cheap; the rows are read only for those that are shown.
const ofKind = reading((db) =>
  db
    .select({ seq: events.seq })
    .from(events)
    .where(
      and(eq(events.space, sql.placeholder('space')), eq(events.kind, sql.placeholder('kind')), lt(events.seq, sql.placeholder('before'))),
    )
    .orderBy(desc(events.seq))
    .limit(sql.placeholder('limit'))
    .prepare(),
);
const ofDelivery = reading((db) =>
  db
    .select({ seq: events.seq, kind: events.kind, space: events.space })
    .from(events)
    .where(and(eq(events.deliveryId, sql.placeholder('deliveryId')), lt(events.seq, sql.placeholder('before'))))
    .orderBy(desc(events.seq))
    .prepare(),
);

/** Those of some places whose delivery has the values; what is about no delivery is among them. */
function fitting(seqs: readonly number[], { template, topic, domain, cause }: EventValues, from: Reader): readonly number[] {
  const conditions = [
    ...(template === undefined ? [] : [inArray(messages.template, [...template])]),
    ...(topic === undefined ? [] : [inArray(messages.topic, [...topic])]),
    ...(domain === undefined ? [] : [inArray(deliveries.domain, [...domain])]),
    ...(cause === undefined ? [] : [inArray(facts.cause, [...cause] as Cause[])]),
  ];
  if (conditions.length === 0 || seqs.length === 0) return seqs;
  let query = from.db.select({ seq: events.seq }).from(events).$dynamic();
  if (cause !== undefined) query = query.leftJoin(facts, eq(facts.id, events.id));
  query = query.leftJoin(deliveries, eq(deliveries.id, events.deliveryId));
  if (template !== undefined || topic !== undefined) query = query.leftJoin(messages, eq(messages.id, deliveries.messageId));
  return query
    .where(
      and(sql`${events.seq} in (select value from json_each(${JSON.stringify(seqs)}))`, or(isNull(events.deliveryId), and(...conditions))),
    )
    .all()
    .map(({ seq }) => seq);
}

/** How events are found. @param at reads those of some places, oldest first */
export function eventLists(reads: Reader, at: (seqs: readonly number[], from: Reader) => KnownEvent[]) {
  return {
    /**
     * Newest first. Each kind has its own order in an index, so what is rare is found at once however many others there are.
     * @returns those of the newest `limit` that fit `only`, and where to go on; undefined at the end
     */
    list(
      { space, limit, before = Number.MAX_SAFE_INTEGER, kinds = EVENT_KINDS, deliveryIds, only = {} }: EventFilter,
      from: Reader = reads,
    ): EventPage {
      const ofKinds = deliveryIds === undefined ? kinds : kinds.filter((kind) => NO_DELIVERY.has(kind));
      const wanted = new Set(kinds);
      const found = [
        ...ofKinds.flatMap((kind) => ofKind(from).all({ space, kind, before, limit })),
        ...(deliveryIds ?? []).flatMap((deliveryId) =>
          ofDelivery(from)
            .all({ deliveryId, before })
            .filter((row) => row.space === space && wanted.has(row.kind)),
        ),
      ].map(({ seq }) => seq);
      const newest = found.sort((a, b) => b - a).slice(0, limit);
      return {
        events: at(fitting(newest, only, from), from).reverse(),
        next: newest.length < limit ? undefined : newest.at(-1),
        looked: newest.length,
      };
    },

    /** The deliveries that something is about; undefined where there are more than `most`, or where all may be meant. */
    deliveriesOf(space: string, { reference, address, messageId }: EventSubject, most: number, from: Reader = reads): string[] | undefined {
      const conditions: SQL[] = [];
      if (messageId !== undefined) conditions.push(eq(deliveries.messageId, messageId));
      if (address !== undefined) conditions.push(eq(deliveries.address, address));
      if (reference !== undefined)
        conditions.push(
          inArray(
            deliveries.messageId,
            from.db
              .select({ id: messages.id })
              .from(messages)
              .where(and(eq(messages.space, space), eq(messages.reference, reference))),
          ),
        );
      if (conditions.length === 0) return undefined;
      const ids = from.db
        .select({ id: deliveries.id })
        .from(deliveries)
        .where(and(eq(deliveries.space, space), ...conditions))
        .limit(most + 1)
        .all()
        .map(({ id }) => id);
      return ids.length > most ? undefined : ids;
    },
  };
}
