import type { Cause, SuppressionReason } from '@verbalis/core/delivery';
import { sql } from 'drizzle-orm';
import { index, integer, sqliteTable, text, uniqueIndex } from 'drizzle-orm/sqlite-core';

/** Addresses that get no more mail. A lifted one stays, as a record. */
export const suppressions = sqliteTable(
  'suppressions',
  {
    id: text('id').primaryKey(),
    space: text('space').notNull(),
    /** As addresses are compared. */
    address: text('address').notNull(),
    /** Only mail of this topic; empty: none at all. */
    topic: text('topic').notNull().default(''),
    reason: text('reason').$type<SuppressionReason>().notNull(),
    cause: text('cause').$type<Cause>(),
    /** What the other side said. */
    evidence: text('evidence'),
    deliveryId: text('delivery_id'),
    note: text('note'),
    createdAt: integer('created_at').notNull(),
    liftedAt: integer('lifted_at'),
    liftNote: text('lift_note'),
  },
  (table) => [
    uniqueIndex('suppressions_in_force')
      .on(table.space, table.address, table.topic)
      .where(sql`${table.liftedAt} is null`),
    index('suppressions_by_space').on(table.space, table.id),
    index('suppressions_by_address').on(table.space, table.address, table.id),
    index('suppressions_by_reason').on(table.space, table.reason, table.id),
    index('suppressions_by_topic').on(table.space, table.topic, table.id),
  ],
);
