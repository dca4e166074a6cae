import { and, desc, eq, inArray, isNull, lt } from 'drizzle-orm';
import { reading, type Reader, type Tx } from '../../kernel/index.js';
import type { TestResult } from '@verbalis/core/domains';
import { domainChecks, domainStates, domainVerifications } from './tables.js';

export type DomainStateRow = typeof domainStates.$inferSelect;
export type DomainCheckRow = typeof domainChecks.$inferSelect;
export type VerificationRow = typeof domainVerifications.$inferSelect;

/** Rows that are removed at once. */
const STEP = 200;

/** How domains are, and the checks that found it. */
export function domainCheckStore(reads: Reader) {
  // The alerts ask with every event.
  const allStates = reading((db) => db.select().from(domainStates).orderBy(domainStates.domain).prepare());
  return {
    state(domain: string, from: Reader = reads): DomainStateRow | undefined {
      return from.db.select().from(domainStates).where(eq(domainStates.domain, domain)).get();
    },
    states(from: Reader = reads): DomainStateRow[] {
      return allStates(from).all();
    },
    setState(tx: Tx, row: DomainStateRow): void {
      tx.db.insert(domainStates).values(row).onConflictDoUpdate({ target: domainStates.domain, set: row }).run();
    },
    remove(tx: Tx, domain: string): void {
      tx.db.delete(domainStates).where(eq(domainStates.domain, domain)).run();
      tx.db.delete(domainChecks).where(eq(domainChecks.domain, domain)).run();
      tx.db.delete(domainVerifications).where(eq(domainVerifications.domain, domain)).run();
    },

    /** Keeps a check: as one more of the last row where it found the same. */
    keep(tx: Tx, row: Omit<DomainCheckRow, 'times' | 'lastAt'>): void {
      const last = this.log({ domain: row.domain, limit: 1 }, tx)[0];
      if (last?.hash === row.hash)
        tx.db
          .update(domainChecks)
          .set({ lastAt: Math.max(last.lastAt, row.firstAt), times: last.times + 1 })
          .where(eq(domainChecks.id, last.id))
          .run();
      else
        tx.db
          .insert(domainChecks)
          .values({ ...row, lastAt: row.firstAt, times: 1 })
          .run();
    },
    /** Newest first. */
    log({ domain, limit, before }: { domain: string; limit: number; before?: string | undefined }, from: Reader = reads): DomainCheckRow[] {
      return from.db
        .select()
        .from(domainChecks)
        .where(and(eq(domainChecks.domain, domain), before === undefined ? undefined : lt(domainChecks.id, before)))
        .orderBy(desc(domainChecks.id))
        .limit(limit)
        .all();
    },
    verification(token: string, from: Reader = reads): VerificationRow | undefined {
      return from.db.select().from(domainVerifications).where(eq(domainVerifications.token, token)).get();
    },
    lastVerification(domain: string, from: Reader = reads): VerificationRow | undefined {
      return from.db
        .select()
        .from(domainVerifications)
        .where(eq(domainVerifications.domain, domain))
        .orderBy(desc(domainVerifications.startedAt))
        .limit(1)
        .get();
    },
    addVerification(tx: Tx, row: VerificationRow): void {
      tx.db.insert(domainVerifications).values(row).run();
    },
    setVerifyingMessage(tx: Tx, token: string, messageId: string): void {
      tx.db.update(domainVerifications).set({ messageId }).where(eq(domainVerifications.token, token)).run();
    },
    /** The first that arrives counts. */
    arrived(tx: Tx, token: string, at: number, results: readonly TestResult[]): void {
      tx.db
        .update(domainVerifications)
        .set({ arrivedAt: at, results })
        .where(and(eq(domainVerifications.token, token), isNull(domainVerifications.arrivedAt)))
        .run();
    },
    /** @returns how many */
    forgetVerifications(tx: Tx, before: number): number {
      return tx.db.delete(domainVerifications).where(lt(domainVerifications.startedAt, before)).run().changes;
    },

    /** @returns how many */
    forget(tx: Tx, before: number): number {
      const old = tx.db.select({ id: domainChecks.id }).from(domainChecks).where(lt(domainChecks.lastAt, before)).limit(STEP);
      return tx.db.delete(domainChecks).where(inArray(domainChecks.id, old)).run().changes;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface DomainCheckRecords {
  readonly domainChecks: ReturnType<typeof domainCheckStore>;
}
