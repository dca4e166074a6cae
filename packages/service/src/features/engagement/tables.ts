import type { HitDetails } from '@verbalis/core/delivery';
import { index, integer, primaryKey, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** How often links were followed and pictures loaded, by the hour, without any tie to a person. */
export const engagement = sqliteTable(
  'engagement',
  {
    space: text('space').notNull(),
    /** The hour in which it happened. */
    at: integer('at').notNull(),
    template: text('template').notNull(),
    topic: text('topic').notNull(),
    /** The number of the link; 0 for the picture. */
    link: integer('link').notNull(),
    label: text('label').notNull(),
    by: text('by').$type<HitDetails['by']>().notNull(),
    /** Whole hours after the email was sent, up to LAST_HOUR. */
    age: integer('age').notNull(),
    n: integer('n').notNull(),
    /** Those that were the first of a person on the email or link; 0 where nothing is tied to a person. */
    firsts: integer('firsts').notNull(),
  },
  (table) => [
    primaryKey({ columns: [table.space, table.at, table.template, table.topic, table.link, table.label, table.by, table.age] }),
    index('engagement_by_age').on(table.at),
  ],
);

/** What happens later after an email was sent counts as this hour. */
export const LAST_HOUR = 72;
