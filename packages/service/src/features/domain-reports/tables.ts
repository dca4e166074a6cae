import type { ReporterProof, TlsFailure } from '@verbalis/core/reports';
import { index, integer, primaryKey, sqliteTable, text, uniqueIndex } from 'drizzle-orm/sqlite-core';

/** Reports as they were read, one row each; also of those that could not be read. */
export const domainReports = sqliteTable(
  'domain_reports',
  {
    /** The return that it came as. */
    returnId: text('return_id').notNull(),
    /** One email may hold several. */
    number: integer('number').notNull(),
    kind: text('kind').$type<'dmarc' | 'tls' | 'unread'>().notNull(),
    /** The domain of ours; empty for one that could not be read. */
    domain: text('domain').notNull(),
    /** As the reporter calls itself. */
    reporter: text('reporter').notNull(),
    /** Whether the email that held it is from whom it names; null for what was not asked about. */
    proof: text('proof', { mode: 'json' }).$type<ReporterProof>(),
    reportId: text('report_id').notNull(),
    begin: integer('begin').notNull(),
    end: integer('end').notNull(),
    receivedAt: integer('received_at').notNull(),
    /** Why it could not be read. */
    problem: text('problem'),
    /** Of TLS: connections. */
    successful: integer('successful').notNull(),
    failed: integer('failed').notNull(),
    failures: text('failures', { mode: 'json' }).$type<readonly TlsFailure[]>().notNull(),
  },
  (table) => [
    primaryKey({ columns: [table.returnId, table.number] }),
    uniqueIndex('domain_reports_once').on(table.kind, table.domain, table.reporter, table.reportId),
    index('domain_reports_by_domain').on(table.domain, table.end),
    index('domain_reports_by_age').on(table.receivedAt),
  ],
);

/** Rows of DMARC reports. */
export const dmarcRows = sqliteTable(
  'dmarc_rows',
  {
    id: integer('id').primaryKey({ autoIncrement: true }),
    returnId: text('return_id').notNull(),
    domain: text('domain').notNull(),
    /** The end of what its report is about. */
    end: integer('end').notNull(),
    reporter: text('reporter').notNull(),
    /** Its report is not from whom it names. */
    unproven: integer('unproven', { mode: 'boolean' }).notNull().default(false),
    source: text('source').notNull(),
    count: integer('count').notNull(),
    dkim: integer('dkim', { mode: 'boolean' }).notNull(),
    spf: integer('spf', { mode: 'boolean' }).notNull(),
    disposition: text('disposition').$type<'none' | 'quarantine' | 'reject'>().notNull(),
    from: text('from').notNull(),
    envelopeFrom: text('envelope_from'),
    signers: text('signers', { mode: 'json' }).$type<readonly string[]>().notNull(),
  },
  (table) => [
    index('dmarc_rows_by_domain').on(table.domain, table.end),
    index('dmarc_rows_by_source').on(table.domain, table.source),
    index('dmarc_rows_by_age').on(table.end),
  ],
);
