import { index, integer, sqliteTable, text } from 'drizzle-orm/sqlite-core';
import type { Actor } from '../../kernel/index.js';

/** Who did what. Rows are only added. */
export const auditEntries = sqliteTable(
  'audit_entries',
  {
    seq: integer('seq').primaryKey({ autoIncrement: true }),
    /** Milliseconds since the epoch. */
    at: integer('at').notNull(),
    actorKind: text('actor_kind').$type<Actor['kind']>().notNull(),
    /** Of a person or a key. */
    actorId: text('actor_id'),
    /** As it was called then. */
    actor: text('actor').notNull(),
    /** The name of the endpoint. */
    action: text('action').notNull(),
    /** Null for what concerns the whole service. */
    space: text('space'),
    target: text('target'),
    /** What was asked for, as JSON, without secrets and without the contents of emails. */
    change: text('change'),
    /** An IP address. */
    address: text('address').notNull(),
  },
  (table) => [
    index('audit_by_space').on(table.space, table.seq),
    index('audit_by_actor').on(table.actorId, table.seq),
    index('audit_by_target').on(table.target, table.seq),
    index('audit_by_time').on(table.at),
  ],
);
