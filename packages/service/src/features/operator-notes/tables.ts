import type { Cause } from '@verbalis/core/delivery';
import { integer, primaryKey, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** What the sender did wrong, by day: told to the operator once. */
export const senderFaults = sqliteTable(
  'sender_faults',
  {
    space: text('space').notNull(),
    cause: text('cause').$type<Cause>().notNull(),
    day: text('day').notNull(),
    count: integer('count').notNull(),
    /** What was said first. */
    evidence: text('evidence').notNull(),
    reportedAt: integer('reported_at'),
  },
  (table) => [primaryKey({ columns: [table.space, table.cause, table.day] })],
);
