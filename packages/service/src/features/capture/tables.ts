import { sql } from 'drizzle-orm';
import { blob, index, integer, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** Emails that were kept to be looked at, each for one recipient. */
export const captured = sqliteTable(
  'captured',
  {
    /** In the order of coming in, for those who follow it live. */
    seq: integer('seq').primaryKey({ autoIncrement: true }),
    id: text('id').notNull().unique(),
    space: text('space').notNull(),
    /** Null for a test that was no message. */
    deliveryId: text('delivery_id').unique(),
    messageId: text('message_id'),
    /** The envelope's recipient, as addresses are compared. */
    address: text('address').notNull(),
    /** The From field, as people read it. */
    sender: text('sender').notNull(),
    subject: text('subject').notNull(),
    receivedAt: integer('received_at').notNull(),
    size: integer('size').notNull(),
    attachments: integer('attachments').notNull(),
    /** The likeliest one-time code in it. */
    code: text('code'),
    /** Where the bytes are that an app handed in; null where they stand here. */
    contentId: text('content_id'),
    bytes: blob('bytes', { mode: 'buffer' }),
  },
  (table) => [
    index('captured_by_space').on(table.space, table.seq),
    index('captured_by_address').on(table.space, table.address, table.seq),
    index('captured_by_content')
      .on(table.contentId)
      .where(sql`${table.contentId} is not null`),
  ],
);
