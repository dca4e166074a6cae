import type { ConsentWay } from '@verbalis/core/consent';
import { sql } from 'drizzle-orm';
import { index, integer, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** How addresses left topics and joined them again. */
export const consents = sqliteTable(
  'consents',
  {
    id: text('id').primaryKey(),
    space: text('space').notNull(),
    /** As addresses are compared. */
    address: text('address').notNull(),
    topic: text('topic').notNull(),
    kind: text('kind').$type<'left' | 'rejoined'>().notNull(),
    how: text('how').$type<ConsentWay>().notNull(),
    /** What an app or operator says of it. */
    source: text('source'),
    at: integer('at').notNull(),
    recordedAt: integer('recorded_at').notNull(),
    /** Whose link or field was used. */
    deliveryId: text('delivery_id'),
    /** Left for a while: until when. */
    until: integer('until'),
  },
  (table) => [
    index('consents_by_address').on(table.space, table.address, table.topic),
    index('consents_by_until')
      .on(table.until)
      .where(sql`${table.until} is not null`),
  ],
);
