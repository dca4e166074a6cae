import { integer, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** What is known of the continuous copies: one row. */
export const copyState = sqliteTable('copy_state', {
  id: integer('id').primaryKey(),
  /** Where copies were begun last: a folder that is empty there is not theirs, but that of a disk that is not mounted. */
  folder: text('folder').notNull(),
});
