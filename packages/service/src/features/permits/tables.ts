import { index, integer, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** What all messages of a permit have in common. */
export interface PermitCommon {
  readonly template: string;
  /** Undefined: the address in the token of who is signed in. */
  readonly to?: readonly (string | { readonly name?: string | undefined; readonly address: string })[] | undefined;
  readonly data?: Readonly<Record<string, unknown>> | undefined;
  /** A JSON Schema of what the browser may add. */
  readonly mayAdd?: Readonly<Record<string, unknown>> | undefined;
  readonly locale?: string | undefined;
  readonly timeZone?: string | undefined;
  readonly reference?: string | undefined;
  readonly labels?: Readonly<Record<string, string>> | undefined;
}

/** What a browser may ask for. */
export const permits = sqliteTable(
  'permits',
  {
    id: text('id').primaryKey(),
    space: text('space').notNull(),
    /** SHA-256 of the permit. */
    hash: text('hash').notNull(),
    common: text('common', { mode: 'json' }).$type<PermitCommon>().notNull(),
    keyId: text('key_id'),
    times: integer('times').notNull(),
    used: integer('used').notNull().default(0),
    createdAt: integer('created_at').notNull(),
    expiresAt: integer('expires_at').notNull(),
    revokedAt: integer('revoked_at'),
  },
  (table) => [index('permits_by_space').on(table.space, table.id), index('permits_by_end').on(table.expiresAt)],
);
