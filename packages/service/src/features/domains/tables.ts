import { blob, integer, primaryKey, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** Keys that sign mail for a domain (DKIM); the private half encrypted with the service's master key. */
export const signingKeys = sqliteTable(
  'signing_keys',
  {
    domain: text('domain').notNull(),
    selector: text('selector').notNull(),
    algorithm: text('algorithm').$type<'rsa-sha256' | 'ed25519-sha256'>().notNull(),
    encrypted: blob('encrypted', { mode: 'buffer' }).notNull(),
    /** The text to publish in the DNS. */
    record: text('record').notNull(),
    createdAt: integer('created_at').notNull(),
  },
  (table) => [primaryKey({ columns: [table.domain, table.selector] })],
);
