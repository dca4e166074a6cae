import { and, desc, eq, gte, inArray, lt, ne, sql } from 'drizzle-orm';
import { idSince, type Reader, type Tx } from '../../kernel/index.js';
import { returns } from '../returns/index.js';
import { dmarcRows, domainReports } from './tables.js';

export type DomainReportRow = typeof domainReports.$inferSelect;
export type DmarcRow = Omit<typeof dmarcRows.$inferSelect, 'id'>;

/** An email to a report address that was not read yet. */
export interface UnreadReport {
  readonly id: string;
  readonly envelopeFrom: string;
  readonly envelopeTo: string;
  readonly broughtBy: { readonly address: string; readonly hello: string } | null;
  readonly bytes: Buffer;
  readonly receivedAt: number;
}

/** Rows that are removed at once. */
const STEP = 500;

/** Reports of receivers, and their totals. */
export function reportStore(reads: Reader) {
  return {
    /** Emails to report addresses of the last days that were not read, oldest first. */
    unread(
      { addresses, since, limit }: { readonly addresses: readonly string[]; readonly since: number; readonly limit: number },
      from: Reader = reads,
    ): UnreadReport[] {
      const local = sql`lower(substr(${returns.envelopeTo}, 1, instr(${returns.envelopeTo}, '@') - 1))`;
      return from.db
        .select({
          id: returns.id,
          envelopeFrom: returns.envelopeFrom,
          envelopeTo: returns.envelopeTo,
          broughtBy: returns.broughtBy,
          bytes: returns.bytes,
          receivedAt: returns.receivedAt,
        })
        .from(returns)
        .where(
          and(
            sql`${returns.space} is null and ${returns.kind} = 'other' and ${returns.id} >= ${idSince('r', since)}`,
            inArray(local, [...addresses]),
            sql`not exists (select 1 from domain_reports d where d.return_id = ${returns.id})`,
          ),
        )
        .orderBy(returns.id)
        .limit(limit)
        .all();
    },
    /** @returns whether it is new: the same report may come twice */
    add(tx: Tx, row: DomainReportRow): boolean {
      return tx.db.insert(domainReports).values(row).onConflictDoNothing().run().changes > 0;
    },
    addRows(tx: Tx, rows: readonly DmarcRow[]): void {
      for (let at = 0; at < rows.length; at += 200)
        tx.db
          .insert(dmarcRows)
          .values(rows.slice(at, at + 200))
          .run();
    },
    /** Whether email from this address was reported before. */
    isKnown(tx: Tx, domain: string, source: string): boolean {
      const row = tx.db
        .select({ id: dmarcRows.id })
        .from(dmarcRows)
        .where(and(eq(dmarcRows.domain, domain), eq(dmarcRows.source, source)))
        .limit(1)
        .get();
      return row !== undefined;
    },

    /** Who sent in the name of a domain, and how much of it was aligned; most first. */
    sources(domain: string, since: number, limit: number, from: Reader = reads) {
      const aligned = sql`(${dmarcRows.dkim} or ${dmarcRows.spf})`;
      return from.db
        .select({
          source: dmarcRows.source,
          count: sql<number>`sum(${dmarcRows.count})`,
          aligned: sql<number>`sum(case when ${aligned} then ${dmarcRows.count} else 0 end)`,
          dkim: sql<number>`sum(case when ${dmarcRows.dkim} then ${dmarcRows.count} else 0 end)`,
          spf: sql<number>`sum(case when ${dmarcRows.spf} then ${dmarcRows.count} else 0 end)`,
          refused: sql<number>`sum(case when ${ne(dmarcRows.disposition, 'none')} then ${dmarcRows.count} else 0 end)`,
          unproven: sql<number>`sum(case when ${dmarcRows.unproven} then ${dmarcRows.count} else 0 end)`,
          reporters: sql<number>`count(distinct ${dmarcRows.reporter})`,
          envelopeFrom: sql<string | null>`max(${dmarcRows.envelopeFrom})`,
          last: sql<number>`max(${dmarcRows.end})`,
        })
        .from(dmarcRows)
        .where(and(eq(dmarcRows.domain, domain), gte(dmarcRows.end, since)))
        .groupBy(dmarcRows.source)
        .orderBy(sql`2 desc`, dmarcRows.source)
        .limit(limit)
        .all();
    },
    /** All of it, and from how many addresses email came that was not aligned. */
    total(
      domain: string,
      since: number,
      from: Reader = reads,
    ): { readonly count: number; readonly aligned: number; readonly unproven: number; readonly sources: number } {
      const isAligned = sql`(${dmarcRows.dkim} or ${dmarcRows.spf})`;
      const row = from.db
        .select({
          count: sql<number>`coalesce(sum(${dmarcRows.count}), 0)`,
          aligned: sql<number>`coalesce(sum(case when ${isAligned} then ${dmarcRows.count} else 0 end), 0)`,
          unproven: sql<number>`coalesce(sum(case when ${dmarcRows.unproven} then ${dmarcRows.count} else 0 end), 0)`,
          sources: sql<number>`count(distinct case when ${isAligned} then null else ${dmarcRows.source} end)`,
        })
        .from(dmarcRows)
        .where(and(eq(dmarcRows.domain, domain), gte(dmarcRows.end, since)))
        .get();
      return row ?? { count: 0, aligned: 0, unproven: 0, sources: 0 };
    },
    /** The same by day (UTC). */
    days(domain: string, since: number, from: Reader = reads) {
      const day = sql<string>`date(${dmarcRows.end} / 1000, 'unixepoch')`;
      return from.db
        .select({
          day,
          count: sql<number>`sum(${dmarcRows.count})`,
          aligned: sql<number>`sum(case when ${dmarcRows.dkim} or ${dmarcRows.spf} then ${dmarcRows.count} else 0 end)`,
        })
        .from(dmarcRows)
        .where(and(eq(dmarcRows.domain, domain), gte(dmarcRows.end, since)))
        .groupBy(day)
        .orderBy(day)
        .all();
    },
    reports(domain: string, since: number, limit: number, from: Reader = reads): DomainReportRow[] {
      return from.db
        .select()
        .from(domainReports)
        .where(and(inArray(domainReports.domain, [domain, '']), gte(domainReports.receivedAt, since)))
        .orderBy(desc(domainReports.receivedAt), desc(domainReports.returnId))
        .limit(limit)
        .all();
    },
    /** @returns how many */
    forget(tx: Tx, before: number): number {
      const rows = tx.db.select({ id: dmarcRows.id }).from(dmarcRows).where(lt(dmarcRows.end, before)).limit(STEP);
      const removed = tx.db.delete(dmarcRows).where(inArray(dmarcRows.id, rows)).run().changes;
      return removed + tx.db.delete(domainReports).where(lt(domainReports.receivedAt, before)).run().changes;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface ReportRecords {
  readonly reports: ReturnType<typeof reportStore>;
}
