import { index, integer, sqliteTable, text, uniqueIndex } from 'drizzle-orm/sqlite-core';

/** What the kernel knows of the file: one row. */
export const kernelState = sqliteTable('kernel_state', {
  id: integer('id').primaryKey(),
  /** How many times a service has started on it. */
  epoch: integer('epoch').notNull(),
  /** What its secrets are known by, so that no others are used with it. */
  secrets: text('secrets'),
  /** Names one unbroken run of changes in the change log; null where changes are not captured. */
  lineage: text('lineage'),
});

/** Where a file is in the log that it shares with other services: one row, or none where it is used by one service alone. */
export const logPosition = sqliteTable('log_position', {
  id: integer('id').primaryKey(),
  /** What names the log. */
  log: text('log').notNull(),
  /** The last record that is in the file. */
  seq: integer('seq').notNull(),
  /** What names the group that it ends. */
  group: text('group_id').notNull(),
});

/** Row changes of each group of transactions, until all who follow them have them. */
export const changeLog = sqliteTable('change_log', {
  seq: integer('seq').primaryKey({ autoIncrement: true }),
  at: integer('at').notNull(),
  /** Whether it has bytes that rows had, and that records before it refer to. */
  hasOld: integer('has_old', { mode: 'boolean' }).notNull(),
  /** A JSON array, see change-log.ts. */
  changes: text('changes').notNull(),
});

/** Items that a worker could not process. */
export const quarantine = sqliteTable(
  'quarantine',
  {
    id: text('id').primaryKey(),
    worker: text('worker').notNull(),
    /** What makes the item this one among the worker's. */
    key: text('key').notNull(),
    /** Null where nobody knows whose it is. */
    space: text('space'),
    /** What it is, for people. */
    title: text('title').notNull(),
    error: text('error').notNull(),
    stack: text('stack').notNull(),
    /** All that is needed to try it again. */
    payload: text('payload', { mode: 'json' }).$type<unknown>().notNull(),
    quarantinedAt: integer('quarantined_at').notNull(),
  },
  (table) => [uniqueIndex('quarantine_by_item').on(table.worker, table.key), index('quarantine_by_space').on(table.space, table.id)],
);
