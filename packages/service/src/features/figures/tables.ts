import type { Counted } from '@verbalis/core/events';
import { integer, primaryKey, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** Counts by hour and day: how many deliveries of a time came to which state, and how long it took. */
export const figures = sqliteTable(
  'figures',
  {
    space: text('space').notNull(),
    /** 'hour' or 'day' (UTC). */
    grain: text('grain').$type<'hour' | 'day'>().notNull(),
    dimension: text('dimension').notNull(),
    /** When the span begins, in milliseconds since the epoch. */
    at: integer('at').notNull(),
    value: text('value').notNull(),
    /** A state, "image-loaded", "link-followed", or a bucket of time: "to-accepted:31". */
    measure: text('measure').notNull(),
    n: integer('n').notNull(),
  },
  (table) => [primaryKey({ columns: [table.space, table.grain, table.dimension, table.at, table.value, table.measure] })],
);

/** As what a delivery is in the figures. */
export const counted = sqliteTable('counted', {
  deliveryId: text('delivery_id').primaryKey(),
  as: text('counted_as', { mode: 'json' }).$type<Counted>().notNull(),
});
