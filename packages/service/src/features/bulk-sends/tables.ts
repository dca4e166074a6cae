import { sql } from 'drizzle-orm';
import { index, integer, primaryKey, sqliteTable, text, uniqueIndex } from 'drizzle-orm/sqlite-core';

/** What all messages of a bulk send have in common. */
export interface BulkCommon {
  readonly template: string;
  readonly data?: Readonly<Record<string, unknown>> | undefined;
  readonly locale?: string | undefined;
  readonly timeZone?: string | undefined;
  readonly reference?: string | undefined;
  readonly labels?: Readonly<Record<string, string>> | undefined;
}

/** Where recipients come from. */
export type BulkSource =
  /** Rows as NDJSON, among the contents. */
  | { readonly kind: 'rows'; readonly contentId: string }
  /** An address of the app that gives them page by page. */
  | { readonly kind: 'url'; readonly url: string };

/** Where reading goes on. */
export type BulkCursor =
  | { readonly kind: 'rows'; readonly piece: number; readonly at: number }
  /** @property page what the app gave for this page; null for the first. `skip`: rows of it that are done */
  | { readonly kind: 'url'; readonly page: string | null; readonly skip: number };

/** The run of a schedule that a bulk send is. */
export interface BulkRun {
  readonly schedule: string;
  /** When it was planned; milliseconds since the epoch. */
  readonly plannedAt: number;
}

export type BulkState = 'running' | 'paused' | 'done' | 'canceled' | 'failed';

/** One template to many recipients. */
export const bulkSends = sqliteTable(
  'bulk_sends',
  {
    id: text('id').primaryKey(),
    space: text('space').notNull(),
    name: text('name').notNull(),
    state: text('state').$type<BulkState>().notNull(),
    common: text('common', { mode: 'json' }).$type<BulkCommon>().notNull(),
    source: text('source', { mode: 'json' }).$type<BulkSource>().notNull(),
    cursor: text('cursor', { mode: 'json' }).$type<BulkCursor>().notNull(),
    perMinute: integer('per_minute'),
    /** Only so many of the first recipients. */
    first: integer('first'),
    keyId: text('key_id'),
    run: text('run', { mode: 'json' }).$type<BulkRun>(),
    /** Rows that were read, and what came of them. */
    read: integer('read').notNull().default(0),
    accepted: integer('accepted').notNull().default(0),
    refused: integer('refused').notNull().default(0),
    /** What keeps it from going on, in a sentence. */
    problem: text('problem'),
    failures: integer('failures').notNull().default(0),
    createdAt: integer('created_at').notNull(),
    /** When it goes on; null where nothing is to be done. */
    nextAt: integer('next_at'),
    endedAt: integer('ended_at'),
  },
  (table) => [
    index('bulk_sends_by_space').on(table.space, table.id),
    index('bulk_sends_due')
      .on(table.nextAt)
      .where(sql`${table.nextAt} is not null`),
  ],
);

/** What came of each recipient. */
export const bulkRows = sqliteTable(
  'bulk_rows',
  {
    bulkId: text('bulk_id').notNull(),
    n: integer('n').notNull(),
    /** Identifies the recipient without revealing them. */
    key: text('key').notNull(),
    messageId: text('message_id'),
    /** Of one that was refused: who, as far as it can be read, and why. */
    who: text('who'),
    problem: text('problem'),
  },
  (table) => [
    primaryKey({ columns: [table.bulkId, table.n] }),
    uniqueIndex('bulk_rows_by_recipient')
      .on(table.bulkId, table.key)
      .where(sql`${table.messageId} is not null`),
    index('bulk_rows_refused')
      .on(table.bulkId, table.n)
      .where(sql`${table.messageId} is null`),
    index('bulk_rows_by_message')
      .on(table.messageId)
      .where(sql`${table.messageId} is not null`),
  ],
);
