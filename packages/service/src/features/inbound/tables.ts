import type { Authentication, InboundReading, Suspicion } from '@verbalis/core/inbound';
import { sql } from 'drizzle-orm';
import { blob, index, integer, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** What was read of an email, beside what has a column of its own. */
export interface InboundContent extends Omit<InboundReading, 'suspicious' | 'subject' | 'headerId' | 'from'> {
  readonly fromName: string;
}

/** What people have written to us. */
export const inbound = sqliteTable(
  'inbound',
  {
    id: text('id').primaryKey(),
    /** Null for what only operators see. */
    space: text('space'),
    /** Its inbox: as the configuration calls it; "reply" for an answer to a message, "postmaster", "abuse". */
    inbox: text('inbox').notNull(),
    /** What it says, whichever way it came. */
    fingerprint: text('fingerprint').notNull(),
    /** `arrived`: kept, and not read yet; `unread`: it cannot be read, and waits in quarantine. */
    state: text('state').$type<'arrived' | 'read' | 'unread'>().notNull(),
    source: text('source').$type<'mail' | 'upload'>().notNull(),
    receivedAt: integer('received_at').notNull(),
    envelopeFrom: text('envelope_from').notNull(),
    /** Addresses of ours that it came to. */
    envelopeTo: text('envelope_to', { mode: 'json' }).$type<readonly string[]>().notNull(),
    hello: text('hello').notNull(),
    /** The IP address that brought it; empty for an upload. */
    address: text('address').notNull(),
    /** Which of our deliveries it answers, where that is known, and its message. */
    deliveryId: text('delivery_id'),
    messageId: text('message_id'),
    headerId: text('header_id'),
    from: text('from').notNull(),
    subject: text('subject').notNull(),
    content: text('content', { mode: 'json' }).$type<InboundContent>(),
    authentication: text('authentication', { mode: 'json' }).$type<Authentication>(),
    suspicious: text('suspicious', { mode: 'json' }).$type<readonly Suspicion[]>().notNull(),
    size: integer('size').notNull(),
    bytes: blob('bytes', { mode: 'buffer' }).notNull(),
  },
  (table) => [
    index('inbound_by_space').on(table.space, table.id),
    index('inbound_by_inbox').on(table.space, table.inbox, table.id),
    index('inbound_by_delivery').on(table.deliveryId),
    index('inbound_by_message').on(table.messageId),
    index('inbound_by_from').on(table.space, table.from, table.id),
    index('inbound_by_envelope').on(table.envelopeFrom, table.receivedAt),
    index('inbound_by_fingerprint').on(table.fingerprint),
    index('inbound_arrived')
      .on(table.id)
      .where(sql`${table.state} = 'arrived'`),
  ],
);

/** Answers that were given. */
export const inboundAnswers = sqliteTable(
  'inbound_answers',
  {
    id: integer('id').primaryKey({ autoIncrement: true }),
    inboundId: text('inbound_id').notNull(),
    messageId: text('message_id').notNull(),
    space: text('space').notNull(),
    address: text('address').notNull(),
    isAutomatic: integer('is_automatic', { mode: 'boolean' }).notNull(),
    at: integer('at').notNull(),
  },
  (table) => [
    index('inbound_answers_by_inbound').on(table.inboundId),
    index('inbound_answers_by_message').on(table.messageId),
    index('inbound_answers_by_address').on(table.space, table.address, table.at),
  ],
);
