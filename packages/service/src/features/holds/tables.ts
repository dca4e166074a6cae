import type { EmailFilter } from '@verbalis/core/delivery';
import { integer, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** Holds that are in force, or whose deliveries are being released. */
export const holds = sqliteTable('holds', {
  id: text('id').primaryKey(),
  space: text('space').notNull(),
  filter: text('filter', { mode: 'json' }).$type<EmailFilter>().notNull(),
  reason: text('reason'),
  createdAt: integer('created_at').notNull(),
  /** Where a copy was restored: the date of the copy. It holds what waited in the copy, and nothing that comes. */
  restoredAsOf: integer('restored_as_of'),
  /** Whether it is over, and only its deliveries are still to be released. */
  isReleased: integer('is_released', { mode: 'boolean' }).notNull().default(false),
});
