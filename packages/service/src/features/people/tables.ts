import { index, integer, primaryKey, sqliteTable, text, uniqueIndex } from 'drizzle-orm/sqlite-core';

// Times are milliseconds since the epoch. Ids sort by the time they were made.

export type Role = 'viewer' | 'member' | 'operator';

export const people = sqliteTable(
  'people',
  {
    id: text('id').primaryKey(),
    /** In small letters. */
    email: text('email').notNull().unique(),
    name: text('name').notNull(),
    createdAt: integer('created_at').notNull(),
    /** Who invited them, as that one was called then. */
    invitedBy: text('invited_by').notNull(),
    lastSignInAt: integer('last_sign_in_at'),
    /** Who they are to the OpenID provider that they signed in with first. */
    issuer: text('issuer'),
    subject: text('subject'),
  },
  (table) => [uniqueIndex('people_by_subject').on(table.issuer, table.subject)],
);

export const roles = sqliteTable(
  'roles',
  {
    personId: text('person_id')
      .notNull()
      .references(() => people.id, { onDelete: 'cascade' }),
    /** "*" for every space. */
    space: text('space').notNull(),
    role: text('role').$type<Role>().notNull(),
    /** Whether a viewer may read what emails say. */
    content: integer('content', { mode: 'boolean' }).notNull(),
  },
  (table) => [primaryKey({ columns: [table.personId, table.space] })],
);

/** Sessions of the console, and links that open one. */
export const sessions = sqliteTable(
  'sessions',
  {
    id: text('id').primaryKey(),
    hash: text('hash').notNull().unique(),
    kind: text('kind').$type<'link' | 'session'>().notNull(),
    /** Null: with the operator's secret. */
    personId: text('person_id').references(() => people.id, { onDelete: 'cascade' }),
    /** How the session was opened. */
    way: text('way').$type<'secret' | 'link' | 'openid'>().notNull(),
    createdAt: integer('created_at').notNull(),
    expiresAt: integer('expires_at').notNull(),
    lastSeenAt: integer('last_seen_at').notNull(),
    /** An IP address. */
    address: text('address').notNull(),
    /** What the browser calls itself. */
    agent: text('agent').notNull(),
  },
  (table) => [index('sessions_by_person').on(table.personId), index('sessions_by_end').on(table.expiresAt)],
);
