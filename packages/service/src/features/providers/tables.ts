import { integer, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** What people have decided about providers, and which are in trouble. */
export const providerStates = sqliteTable('provider_states', {
  name: text('name').primaryKey(),
  paused: integer('paused', { mode: 'boolean' }).notNull().default(false),
  /** Since when it is in trouble, and why; null where it works. */
  troubleSince: integer('trouble_since'),
  troubleWhy: text('trouble_why'),
});
