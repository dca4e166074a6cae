import type { DmarcPolicy } from '@verbalis/core/authentication';
import { integer, sqliteTable, text, uniqueIndex } from 'drizzle-orm/sqlite-core';

/** Addresses that a space may send as beside the domains of its configuration. */
export const senders = sqliteTable(
  'senders',
  {
    id: text('id').primaryKey(),
    space: text('space').notNull(),
    /** In small letters. */
    address: text('address').notNull(),
    /** The display name of emails that name none; empty for none. */
    name: text('name').notNull(),
    addedAt: integer('added_at').notNull(),
    /** When its owner was asked last, and by which message; null where nobody has to be asked. */
    askedAt: integer('asked_at'),
    messageId: text('message_id'),
    confirmedAt: integer('confirmed_at'),
    /** What its domain asks receivers to do with email of others in its name; null where that is not known. */
    policy: text('policy').$type<DmarcPolicy>(),
  },
  (table) => [uniqueIndex('senders_by_address').on(table.space, table.address)],
);
