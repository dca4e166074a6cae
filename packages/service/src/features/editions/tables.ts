import { blob, integer, primaryKey, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** Contents of editions, by SHA-256: a file that does not change is kept once. */
export const blobs = sqliteTable('blobs', {
  hash: text('hash').primaryKey(),
  bytes: blob('bytes', { mode: 'buffer' }).notNull(),
});

export const editions = sqliteTable(
  'editions',
  {
    space: text('space').notNull(),
    number: integer('number').notNull(),
    /** Of the manifest: the same files make the same hash. */
    hash: text('hash').notNull(),
    /** Path to hash of its contents. */
    manifest: text('manifest', { mode: 'json' }).$type<Record<string, string>>().notNull(),
    createdAt: integer('created_at').notNull(),
  },
  (table) => [primaryKey({ columns: [table.space, table.number] })],
);

/** Which edition of a space is in use. */
export const editionsInUse = sqliteTable('editions_in_use', {
  space: text('space').primaryKey(),
  number: integer('number').notNull(),
  /** The hash of the mail folder of the configuration when it was published last: only one that has changed is published again. */
  folderHash: text('folder_hash'),
});

/** Pictures that emails refer to, by the part of their hash that is in the address. Nothing else of a mail folder is public. */
export const assets = sqliteTable('assets', {
  address: text('address').primaryKey(),
  hash: text('hash').notNull(),
  type: text('type').notNull(),
});
