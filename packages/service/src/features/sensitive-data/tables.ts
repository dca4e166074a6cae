import { blob, index, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** Sensitive values, encrypted. */
export const sensitiveBoxes = sqliteTable(
  'sensitive_boxes',
  {
    /** The message or signal that they belong to. */
    ownerId: text('owner_id').primaryKey(),
    /** The day whose key opens it, as "2026-06-04" (UTC). */
    day: text('day').notNull(),
    box: blob('box', { mode: 'buffer' }).notNull(),
  },
  (table) => [index('sensitive_boxes_by_day').on(table.day)],
);
