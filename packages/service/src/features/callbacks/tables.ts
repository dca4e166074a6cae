import { blob, integer, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** What providers have called with, kept until its events are read. */
export const callbackBatches = sqliteTable('callback_batches', {
  id: text('id').primaryKey(),
  provider: text('provider').notNull(),
  receivedAt: integer('received_at').notNull(),
  /** Where the body is a list of events that were found in a call before, one of which failed then. */
  extracted: integer('extracted', { mode: 'boolean' }).notNull().default(false),
  /** Not before. */
  tryAt: integer('try_at').notNull().default(0),
  body: blob('body', { mode: 'buffer' }).notNull(),
});
