import { and, asc, eq, gte, lt, sql } from 'drizzle-orm';
import type { Counted } from '@verbalis/core/events';
import { placeholders, writing, type Reader, type Tx } from '../../kernel/index.js';
import { counted, figures } from './tables.js';
import { deliveries, messages } from '../messages/index.js';

/** The dimensions of figures. */
export const DIMENSIONS = ['all', 'template', 'topic', 'provider', 'domain', 'cause'] as const;
export type Dimension = (typeof DIMENSIONS)[number];

/** A count that is to be added. */
export interface FigureChange {
  readonly space: string;
  readonly grain: 'hour' | 'day';
  readonly dimension: Dimension;
  readonly at: number;
  readonly value: string;
  readonly measure: string;
  readonly n: number;
}

/** A delivery as it is, and as what it was counted, in JSON. */
export interface DeliveryToCount extends Pick<typeof deliveries.$inferSelect, 'id' | 'space' | 'createdAt' | 'domain' | 'state' | 'cause'> {
  readonly template: string;
  readonly topic: string | null;
  readonly before: string | null;
  readonly provider: string | null;
}

export interface FigureRow {
  readonly at: number;
  readonly value: string;
  readonly measure: string;
  readonly n: number;
}

/** Counts by hour and day. */
export function figureStore(reads: Reader) {
  const add = writing((db) =>
    db
      .insert(figures)
      .values(placeholders(figures))
      .onConflictDoUpdate({
        target: [figures.space, figures.grain, figures.dimension, figures.at, figures.value, figures.measure],
        set: { n: sql`${figures.n} + excluded.n` },
      })
      .prepare(),
  );
  const remember = writing((db) =>
    db
      .insert(counted)
      .values({ deliveryId: sql.placeholder('deliveryId'), as: sql.placeholder('as') })
      .onConflictDoUpdate({ target: counted.deliveryId, set: { as: sql`excluded.counted_as` } })
      .prepare(),
  );
  const within = ({
    space,
    grain,
    dimension,
    from,
    to,
  }: {
    readonly space: string;
    readonly grain: 'hour' | 'day';
    readonly dimension: Dimension;
    readonly from: number;
    readonly to: number;
  }) =>
    and(eq(figures.space, space), eq(figures.grain, grain), eq(figures.dimension, dimension), gte(figures.at, from), lt(figures.at, to));

  return {
    add(tx: Tx, change: FigureChange): void {
      add(tx).run({ ...change });
    },

    /** By the hour or day, the values of a dimension together. */
    overTime(space: string, grain: 'hour' | 'day', from: number, to: number): FigureRow[] {
      return reads.db
        .select({ at: figures.at, value: sql<string>`''`, measure: figures.measure, n: figures.n })
        .from(figures)
        .where(within({ space, grain, dimension: 'all', from, to }))
        .orderBy(asc(figures.at))
        .all();
    },

    /** By value, the whole time together. */
    byValue({
      space,
      grain,
      dimension,
      from,
      to,
    }: {
      readonly space: string;
      readonly grain: 'hour' | 'day';
      readonly dimension: Dimension;
      readonly from: number;
      readonly to: number;
    }): FigureRow[] {
      return reads.db
        .select({ at: sql<number>`0`, value: figures.value, measure: figures.measure, n: sql<number>`sum(${figures.n})` })
        .from(figures)
        .where(within({ space, grain, dimension, from, to }))
        .groupBy(figures.value, figures.measure)
        .all();
    },

    /** Deliveries as they are, and as what they were counted (as JSON, which groups equal ones). */
    toCount(deliveryIds: readonly string[], from: Reader = reads): DeliveryToCount[] {
      const ids = JSON.stringify(deliveryIds);
      return from.db
        .select({
          id: deliveries.id,
          space: deliveries.space,
          createdAt: deliveries.createdAt,
          domain: deliveries.domain,
          state: deliveries.state,
          cause: deliveries.cause,
          template: messages.template,
          topic: messages.topic,
          before: sql<string | null>`${counted.as}`,
          provider: sql<
            string | null
          >`(select provider from attempts a where a.delivery_id = ${deliveries.id} order by a.number desc limit 1)`,
        })
        .from(deliveries)
        .innerJoin(messages, eq(messages.id, deliveries.messageId))
        .leftJoin(counted, eq(counted.deliveryId, deliveries.id))
        .where(sql`${deliveries.id} in (select value from json_each(${ids}))`)
        .all();
    },

    /** As what a delivery is counted from now on; with the counts, in one transaction. */
    setCounted(tx: Tx, deliveryId: string, as: Counted): void {
      remember(tx).run({ deliveryId, as });
    },

    /** Removes hours of before a time; days stay. @returns how many */
    forget(tx: Tx, before: number): number {
      return tx.db
        .delete(figures)
        .where(and(eq(figures.grain, 'hour'), lt(figures.at, before)))
        .run().changes;
    },

    /** Deliveries are removed: nothing has to be known of how they were counted. */
    forgetDeliveries(tx: Tx, deliveryIds: readonly string[]): void {
      for (const id of deliveryIds) tx.db.delete(counted).where(eq(counted.deliveryId, id)).run();
    },
  };
}

/** The records of this feature, for the features above it. */
export interface FigureRecords {
  readonly figures: ReturnType<typeof figureStore>;
}
