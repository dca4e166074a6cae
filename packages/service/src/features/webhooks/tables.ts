import { sql } from 'drizzle-orm';
import { blob, index, integer, primaryKey, sqliteTable, text } from 'drizzle-orm/sqlite-core';

export type SubscriptionState = 'unproven' | 'active' | 'paused' | 'gone';

/** Where events are sent. */
export const subscriptions = sqliteTable(
  'subscriptions',
  {
    id: text('id').primaryKey(),
    space: text('space').notNull(),
    name: text('name').notNull(),
    url: text('url').notNull(),
    filter: text('filter').notNull(),
    /** Secrets that sign, the newest first, and header fields of its own: encrypted with the service's master key. */
    encrypted: blob('encrypted', { mode: 'buffer' }).notNull(),
    /** A JSON template in place of the event. */
    payload: text('payload', { mode: 'json' }).$type<unknown>(),
    /** Events in one notification at most. */
    batch: integer('batch').notNull(),
    handshake: integer('handshake', { mode: 'boolean' }).notNull(),
    state: text('state').$type<SubscriptionState>().notNull(),
    /** Why it is in that state, where someone would ask. */
    reason: text('reason'),
    /** All events up to this one have been looked at. */
    cursor: integer('cursor').notNull(),
    createdAt: integer('created_at').notNull(),
  },
  (table) => [index('subscriptions_by_space').on(table.space, table.id)],
);

/** One event on its way to one subscription; written when its first try has ended. */
export const notifications = sqliteTable(
  'notifications',
  {
    subscriptionId: text('subscription_id').notNull(),
    seq: integer('seq').notNull(),
    state: text('state').$type<'waiting' | 'delivered' | 'dead-letter'>().notNull(),
    /** Notifications with the same key are sent in order: the delivery, or the event itself. */
    orderKey: text('order_key').notNull(),
    attempts: integer('attempts').notNull(),
    /** When the next try is due. */
    nextAt: integer('next_at'),
    lastAt: integer('last_at'),
    /** HTTP status of the last answer. */
    status: integer('status'),
    problem: text('problem'),
    milliseconds: integer('milliseconds'),
  },
  (table) => [
    primaryKey({ columns: [table.subscriptionId, table.seq] }),
    index('notifications_waiting')
      .on(table.subscriptionId, table.orderKey, table.seq)
      .where(sql`${table.state} = 'waiting'`),
    index('notifications_set_aside')
      .on(table.subscriptionId, table.seq)
      .where(sql`${table.state} = 'dead-letter'`),
  ],
);
