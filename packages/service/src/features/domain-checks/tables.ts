import type { Finding, Purpose, RecordState, TestResult } from '@verbalis/core/domains';
import { index, integer, sqliteTable, text } from 'drizzle-orm/sqlite-core';

/** What a check has found about one record. */
export interface CheckedRecord {
  readonly purpose: Purpose;
  readonly type: string;
  readonly name: string;
  readonly isRequired: boolean;
  readonly state: RecordState;
  /** The last state that name servers have answered with. */
  readonly known: RecordState;
  readonly findings: readonly Finding[];
}

/** What one name server answered to one question, as text. */
export interface KeptAnswer {
  /** Empty for the resolver. */
  readonly server: string;
  readonly question: string;
  readonly answer: string;
}

export type DomainState = 'open' | 'right' | 'unknown';

/** How each domain is, by its last check. */
export const domainStates = sqliteTable('domain_states', {
  domain: text('domain').primaryKey(),
  state: text('state').$type<DomainState>().notNull(),
  checkedAt: integer('checked_at').notNull(),
  nextCheckAt: integer('next_check_at').notNull(),
  /** Since when something is open; null where all is right. */
  openSince: integer('open_since'),
  /** Since when all was right for the first time; null where it never was. */
  rightSince: integer('right_since'),
  records: text('records', { mode: 'json' }).$type<readonly CheckedRecord[]>().notNull(),
});

/** The checks of each domain: those that found the same, one after the other, are one row. */
export const domainChecks = sqliteTable(
  'domain_checks',
  {
    id: text('id').primaryKey(),
    domain: text('domain').notNull(),
    firstAt: integer('first_at').notNull(),
    lastAt: integer('last_at').notNull(),
    times: integer('times').notNull(),
    /** What was found, without what changes with time: SHA-256. */
    hash: text('hash').notNull(),
    state: text('state').$type<DomainState>().notNull(),
    records: text('records', { mode: 'json' }).$type<readonly CheckedRecord[]>().notNull(),
    answers: text('answers', { mode: 'json' }).$type<readonly KeptAnswer[]>().notNull(),
  },
  (table) => [index('domain_checks_by_domain').on(table.domain, table.id), index('domain_checks_by_age').on(table.lastAt)],
);

/** Test emails that were sent to ourselves. */
export const domainVerifications = sqliteTable(
  'domain_verifications',
  {
    /** In the address that it is sent to: nobody guesses it. */
    token: text('token').primaryKey(),
    domain: text('domain').notNull(),
    /** The domain of its author: the same, or one within it. */
    from: text('from').notNull(),
    space: text('space').notNull(),
    messageId: text('message_id').notNull(),
    startedAt: integer('started_at').notNull(),
    arrivedAt: integer('arrived_at'),
    results: text('results', { mode: 'json' }).$type<readonly TestResult[]>().notNull(),
  },
  (table) => [index('domain_verifications_by_domain').on(table.domain, table.startedAt)],
);
