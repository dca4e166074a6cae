import type { EventKind } from '@verbalis/core/events';
import { sql } from 'drizzle-orm';
import { index, integer, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** Everything that is made public, in the order of becoming known: facts, and what has no fact (alerts, tests). */
export const events = sqliteTable(
  'events',
  {
    seq: integer('seq').primaryKey({ autoIncrement: true }),
    /** The fact's id, where it is one. */
    id: text('id').notNull(),
    space: text('space').notNull(),
    kind: text('kind').$type<EventKind>().notNull(),
    deliveryId: text('delivery_id'),
    at: integer('at').notNull(),
    recordedAt: integer('recorded_at').notNull(),
    /** What an alert or a test says. */
    data: text('data', { mode: 'json' }).$type<Record<string, unknown>>(),
  },
  (table) => [
    index('events_by_kind').on(table.space, table.kind, table.seq),
    index('events_by_delivery')
      .on(table.deliveryId, table.seq)
      .where(sql`${table.deliveryId} is not null`),
  ],
);

/** How far those have come who go through all events. */
export const cursors = sqliteTable('cursors', { name: text('name').primaryKey(), seq: integer('seq').notNull() });
