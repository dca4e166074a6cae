import { sql } from 'drizzle-orm';
import { index, integer, primaryKey, sqliteTable, text, uniqueIndex } from 'drizzle-orm/sqlite-core';

/** The edition whose schedules are in `schedules`. */
export const scheduledEditions = sqliteTable('scheduled_editions', {
  space: text('space').primaryKey(),
  edition: integer('edition').notNull(),
});

/** Schedules of the editions in use, and those that were. */
export const schedules = sqliteTable(
  'schedules',
  {
    space: text('space').notNull(),
    name: text('name').notNull(),
    /** Its times as they are written: when they change, the next one is looked for again. */
    times: text('times').notNull(),
    isPresent: integer('is_present', { mode: 'boolean' }).notNull(),
    isPaused: integer('is_paused', { mode: 'boolean' }).notNull().default(false),
    /** Its next time; null where there is none, or it is paused. Milliseconds since the epoch. */
    nextAt: integer('next_at'),
  },
  (table) => [
    primaryKey({ columns: [table.space, table.name] }),
    index('schedules_due')
      .on(table.nextAt)
      .where(sql`${table.nextAt} is not null`),
  ],
);

export type RunState = 'started' | 'skipped' | 'failed';

/** What came of the times of schedules; one time has one run, whatever the clock does. */
export const scheduleRuns = sqliteTable(
  'schedule_runs',
  {
    id: text('id').primaryKey(),
    space: text('space').notNull(),
    schedule: text('schedule').notNull(),
    plannedAt: integer('planned_at').notNull(),
    state: text('state').$type<RunState>().notNull(),
    /** Whether a person asked for it, out of turn. */
    isManual: integer('is_manual', { mode: 'boolean' }).notNull(),
    why: text('why'),
    bulkId: text('bulk_id'),
    at: integer('at').notNull(),
  },
  (table) => [
    index('schedule_runs_by_schedule').on(table.space, table.schedule, table.id),
    uniqueIndex('schedule_runs_planned')
      .on(table.space, table.schedule, table.plannedAt)
      .where(sql`${table.isManual} = 0`),
  ],
);
