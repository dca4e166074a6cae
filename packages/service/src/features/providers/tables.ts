import { integer, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** What people have decided about providers. */
export const providerStates = sqliteTable('provider_states', {
  name: text('name').primaryKey(),
  paused: integer('paused', { mode: 'boolean' }).notNull(),
});
