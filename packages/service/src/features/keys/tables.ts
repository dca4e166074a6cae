import { integer, sqliteTable, text } from 'drizzle-orm/sqlite-core';

// Times are milliseconds since the epoch. Ids sort by the time they were made.

export const keys = sqliteTable('keys', {
  id: text('id').primaryKey(),
  space: text('space').notNull(),
  name: text('name').notNull(),
  scopes: text('scopes', { mode: 'json' }).$type<string[]>().notNull(),
  hash: text('hash').notNull().unique(),
  createdAt: integer('created_at').notNull(),
});

/** One-time sign-in tokens and sessions of the console, hashed. */
export const sessions = sqliteTable('sessions', {
  hash: text('hash').primaryKey(),
  kind: text('kind').$type<'sign-in' | 'session'>().notNull(),
  createdAt: integer('created_at').notNull(),
  expiresAt: integer('expires_at').notNull(),
});
