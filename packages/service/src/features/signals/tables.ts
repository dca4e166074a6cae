import { sql } from 'drizzle-orm';
import { index, integer, primaryKey, sqliteTable, text, uniqueIndex } from 'drizzle-orm/sqlite-core';

/** What happened in an app, as it came in. */
export const signals = sqliteTable(
  'signals',
  {
    id: text('id').primaryKey(),
    space: text('space').notNull(),
    /** Who says so, and the id that it has there: together they are one signal, however often it is sent. */
    source: text('source').notNull(),
    eventId: text('event_id').notNull(),
    type: text('type').notNull(),
    subject: text('subject'),
    /** When it happened; when it came in, where it does not say. */
    at: integer('at').notNull(),
    receivedAt: integer('received_at').notNull(),
    /** JSON; null when it is no longer kept. */
    data: text('data'),
    /** Whether some of the data is sensitive: here it is masked. */
    sensitive: integer('sensitive', { mode: 'boolean' }).notNull().default(false),
    /** The key that sent it: what follows from it is within the key's bounds. */
    keyId: text('key_id'),
    /** When it was seen which rules it fulfils. */
    matchedAt: integer('matched_at'),
  },
  (table) => [
    uniqueIndex('signals_by_event').on(table.space, table.source, table.eventId),
    index('signals_by_space').on(table.space, table.id),
    index('signals_by_type').on(table.space, table.type, table.id),
    index('signals_open')
      .on(table.id)
      .where(sql`${table.matchedAt} is null`),
    index('signals_by_time').on(table.receivedAt),
  ],
);

export type MatchState = 'waiting' | 'sending' | 'sent' | 'canceled' | 'limited' | 'refused' | 'ignored';

/** What a rule made of a signal. */
export const signalMatches = sqliteTable(
  'signal_matches',
  {
    signalId: text('signal_id').notNull(),
    rule: text('rule').notNull(),
    space: text('space').notNull(),
    state: text('state').$type<MatchState>().notNull(),
    /** Why it is in this state, in a sentence. */
    why: text('why'),
    /** When the email is due. */
    dueAt: integer('due_at').notNull(),
    /** What the signal is about: a canceling signal names the same. */
    key: text('key'),
    /** Signals of one text become one email; null where each is one of its own. */
    by: text('by'),
    /** The signal whose email this one goes into, from when it is being made. */
    group: text('group'),
    messageId: text('message_id'),
    changedAt: integer('changed_at').notNull(),
  },
  (table) => [
    primaryKey({ columns: [table.signalId, table.rule] }),
    index('signal_matches_due')
      .on(table.dueAt)
      .where(sql`${table.state} in ('waiting', 'sending')`),
    index('signal_matches_waiting')
      .on(table.space, table.rule, table.by)
      .where(sql`${table.state} = 'waiting'`),
    index('signal_matches_keyed')
      .on(table.space, table.rule, table.key)
      .where(sql`${table.state} = 'waiting' and ${table.key} is not null`),
    index('signal_matches_by_message')
      .on(table.messageId)
      .where(sql`${table.messageId} is not null`),
  ],
);

/** Signals that cancel what a rule would send, for those that they mean and that come in after them. */
export const signalCancels = sqliteTable(
  'signal_cancels',
  {
    space: text('space').notNull(),
    rule: text('rule').notNull(),
    key: text('key').notNull(),
    at: integer('at').notNull(),
    signalId: text('signal_id').notNull(),
  },
  (table) => [
    primaryKey({ columns: [table.space, table.rule, table.key, table.signalId] }),
    index('signal_cancels_by_signal').on(table.signalId),
  ],
);

/** Emails of rules that allow a recipient only so many. */
export const signalSends = sqliteTable(
  'signal_sends',
  {
    space: text('space').notNull(),
    rule: text('rule').notNull(),
    address: text('address').notNull(),
    at: integer('at').notNull(),
    signalId: text('signal_id').notNull(),
  },
  (table) => [
    primaryKey({ columns: [table.space, table.rule, table.address, table.signalId] }),
    index('signal_sends_by_time').on(table.at),
  ],
);
