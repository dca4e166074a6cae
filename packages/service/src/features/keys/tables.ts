import { index, integer, primaryKey, sqliteTable, text } from 'drizzle-orm/sqlite-core';
import type { KeyBounds, Scope } from '../../kernel/index.js';

// Times are milliseconds since the epoch. Ids sort by the time they were made.

export const keys = sqliteTable(
  'keys',
  {
    id: text('id').primaryKey(),
    space: text('space').notNull(),
    name: text('name').notNull(),
    scopes: text('scopes', { mode: 'json' }).$type<Scope[]>().notNull(),
    hash: text('hash').notNull().unique(),
    /** The first characters of its secret, so that people can tell which it is. */
    start: text('start').notNull(),
    /** What it may be used for beside its scopes. */
    bounds: text('bounds', { mode: 'json' }).$type<KeyBounds>(),
    createdAt: integer('created_at').notNull(),
    /** From then on it is refused. */
    expiresAt: integer('expires_at'),
    revokedAt: integer('revoked_at'),
    /** The secret that it had before it was rotated, and until when that one stays valid. */
    oldHash: text('old_hash').unique(),
    oldUntil: integer('old_until'),
    lastUsedAt: integer('last_used_at'),
    /** An IP address. */
    lastUsedFrom: text('last_used_from'),
  },
  (table) => [index('keys_by_space').on(table.space, table.id)],
);

/** How many emails were accepted with a key that has a bound of them, in each span of five minutes. */
export const keySpending = sqliteTable(
  'key_spending',
  {
    key: text('key').notNull(),
    /** When the span began. */
    spanAt: integer('span_at').notNull(),
    emails: integer('emails').notNull(),
  },
  (table) => [primaryKey({ columns: [table.key, table.spanAt] })],
);
