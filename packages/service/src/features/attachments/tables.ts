import { sql } from 'drizzle-orm';
import { blob, index, integer, primaryKey, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** Bytes that came with messages, in pieces, so that a file is never completely in memory. */
export const contents = sqliteTable('contents', {
  id: text('id').primaryKey(),
  /** SHA-256 in hex; null while it is still coming in. */
  hash: text('hash'),
  size: integer('size').notNull(),
  createdAt: integer('created_at').notNull(),
});
export const contentPieces = sqliteTable(
  'content_pieces',
  {
    contentId: text('content_id').notNull(),
    n: integer('n').notNull(),
    bytes: blob('bytes', { mode: 'buffer' }).notNull(),
  },
  (table) => [primaryKey({ columns: [table.contentId, table.n] })],
);

/** What apps have handed in to be attached later. */
export const uploads = sqliteTable(
  'uploads',
  {
    id: text('id').primaryKey(),
    space: text('space').notNull(),
    name: text('name').notNull(),
    type: text('type').notNull(),
    contentId: text('content_id').notNull(),
    createdAt: integer('created_at').notNull(),
  },
  (table) => [index('uploads_by_content').on(table.contentId)],
);

export const attachments = sqliteTable(
  'attachments',
  {
    messageId: text('message_id').notNull(),
    n: integer('n').notNull(),
    name: text('name').notNull(),
    type: text('type').notNull(),
    /** Where it is fetched from when the mail is made. */
    url: text('url'),
    /** Null until it is fetched. */
    contentId: text('content_id'),
  },
  (table) => [
    primaryKey({ columns: [table.messageId, table.n] }),
    index('attachments_by_content')
      .on(table.contentId)
      .where(sql`${table.contentId} is not null`),
  ],
);
