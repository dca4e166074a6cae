import type { DmarcPolicy } from '@verbalis/core/authentication';
import { blob, index, integer, primaryKey, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** Domains that mail is sent as. */
export const domains = sqliteTable('domains', {
  name: text('name').primaryKey(),
  /** The host of its return paths. */
  returnHost: text('return_host').notNull(),
  /** The host of links and pages in its emails; null for that of the service. */
  linkHost: text('link_host'),
  /** What receivers should be asked to do with email that is not authentic. */
  policy: text('policy').$type<DmarcPolicy>().notNull(),
  /** How often its shared pages were ended: those of before show nothing. */
  sharedPages: integer('shared_pages').notNull().default(0),
  createdAt: integer('created_at').notNull(),
});

/** Keys that sign mail for a domain (DKIM); the private half encrypted with the service's master key. */
export const signingKeys = sqliteTable(
  'signing_keys',
  {
    domain: text('domain').notNull(),
    selector: text('selector').notNull(),
    algorithm: text('algorithm').$type<'rsa-sha256' | 'ed25519-sha256'>().notNull(),
    /** Empty for a retired key. */
    encrypted: blob('encrypted', { mode: 'buffer' }).notNull(),
    /** The text to publish in the DNS. */
    record: text('record').notNull(),
    createdAt: integer('created_at').notNull(),
    /** core/domains/lifecycle.ts */
    publishedAt: integer('published_at'),
    signsFrom: integer('signs_from'),
    lostAt: integer('lost_at'),
    retiredAt: integer('retired_at'),
  },
  (table) => [primaryKey({ columns: [table.domain, table.selector] })],
);

/** Hosts of links in emails. They are never removed: links in emails that were sent lead there. */
export const linkHosts = sqliteTable('link_hosts', {
  host: text('host').primaryKey(),
  domain: text('domain').notNull(),
  /** Since when it leads to the service, so that it is used; null where it does not. */
  liveFrom: integer('live_from'),
});

/** Hosts of return paths. */
export const returnHosts = sqliteTable(
  'return_hosts',
  {
    host: text('host').primaryKey(),
    /** The domain that it is for; empty for the one of all others. */
    domain: text('domain').notNull(),
    /** Since when its records are published, so that it is used; null where they are not. */
    liveFrom: integer('live_from'),
    /** Since when another is used; what comes back to it is still accepted for a while. */
    retiredAt: integer('retired_at'),
  },
  (table) => [index('return_hosts_by_domain').on(table.domain)],
);
