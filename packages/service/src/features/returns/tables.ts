import type { RecipientReport, ReturnKind } from '@verbalis/core/returns';
import { sql } from 'drizzle-orm';
import { blob, index, integer, sqliteTable, text } from 'drizzle-orm/sqlite-core';

export interface ReturnReadout {
  readonly recipients: readonly RecipientReport[];
  readonly subject?: string | undefined;
  readonly from?: string | undefined;
  readonly originalMessageId?: string | undefined;
  readonly feedbackType?: string | undefined;
  /** Addresses that a feedback report names. */
  readonly about?: readonly string[] | undefined;
  /** Why nothing came of it. */
  readonly problem?: string | undefined;
}

/** What came back, as it came back: an email, or an event that a provider has called about. */
export const returns = sqliteTable(
  'returns',
  {
    id: text('id').primaryKey(),
    /** SHA-256 of what makes it this one: the same mail or event twice is one return. */
    hash: text('hash').notNull().unique(),
    /** What it says, whichever way it came; null for what a provider calls about, and for what could not be read. */
    fingerprint: text('fingerprint'),
    /** Null where nobody knows whose it is. */
    space: text('space'),
    source: text('source').$type<'mail' | 'upload' | 'callback'>().notNull(),
    /** The provider that has called. */
    provider: text('provider'),
    receivedAt: integer('received_at').notNull(),
    /** Who brought it; null where that is not known. */
    broughtBy: text('brought_by', { mode: 'json' }).$type<{ readonly address: string; readonly hello: string }>(),
    envelopeFrom: text('envelope_from').notNull(),
    envelopeTo: text('envelope_to').notNull(),
    kind: text('kind').$type<ReturnKind>().notNull(),
    /** The delivery that it is about; null for one that nobody could match. */
    deliveryId: text('delivery_id'),
    /** What was read out of it, for people. */
    readout: text('readout', { mode: 'json' }).$type<ReturnReadout>().notNull(),
    bytes: blob('bytes', { mode: 'buffer' }).notNull(),
  },
  (table) => [
    index('returns_by_space').on(table.space, table.id),
    index('returns_by_kind').on(table.space, table.kind, table.id),
    index('returns_by_delivery').on(table.deliveryId),
    index('returns_by_fingerprint')
      .on(table.fingerprint)
      .where(sql`${table.fingerprint} is not null`),
    index('returns_unmatched')
      .on(table.space, table.id)
      .where(sql`${table.deliveryId} is null`),
  ],
);
