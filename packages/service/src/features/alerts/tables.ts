import type { EventKind } from '@verbalis/core/events';
import { sql } from 'drizzle-orm';
import { index, integer, primaryKey, real, sqliteTable, text, uniqueIndex } from 'drizzle-orm/sqlite-core';

/** A rule over what happens, as it is written down. */
export interface StoredAlertRule {
  readonly of: EventKind[];
  readonly where: string;
  readonly by?: 'topic' | 'template' | 'provider' | 'domain' | 'cause' | undefined;
  readonly percent?: number | undefined;
  readonly count?: number | undefined;
  readonly queueSeconds?: number | undefined;
  readonly minutes: number;
  readonly least: number;
}

/** Alerts that fire, or have fired. */
export const alerts = sqliteTable(
  'alerts',
  {
    id: text('id').primaryKey(),
    space: text('space').notNull(),
    rule: text('rule').notNull(),
    /** The value of what the rule groups by; empty where it does not. */
    group: text('group').notNull(),
    since: integer('since').notNull(),
    resolvedAt: integer('resolved_at'),
    /** What was measured when it began, and the same in a sentence. */
    value: real('value').notNull(),
    text: text('text').notNull(),
    /** How much of it the operator has been notified. */
    notified: integer('notified').$type<0 | 1 | 2>().notNull().default(0),
  },
  (table) => [
    uniqueIndex('alerts_firing')
      .on(table.space, table.rule, table.group)
      .where(sql`${table.resolvedAt} is null`),
    index('alerts_by_space').on(table.space, table.id),
    index('alerts_by_end')
      .on(table.resolvedAt)
      .where(sql`${table.resolvedAt} is not null`),
  ],
);

/** Rules that people have set beside those of the configuration. */
export const alertRules = sqliteTable(
  'alert_rules',
  {
    space: text('space').notNull(),
    name: text('name').notNull(),
    rule: text('rule', { mode: 'json' }).$type<StoredAlertRule>().notNull(),
    createdAt: integer('created_at').notNull(),
  },
  (table) => [primaryKey({ columns: [table.space, table.name] })],
);
