import { and, eq, isNull, lt, sql } from 'drizzle-orm';
import type { Reader, Tx } from '../../kernel/index.js';
import { senderFaults } from './tables.js';

export type SenderFaultRow = typeof senderFaults.$inferSelect;

/** One fault, one day: what operators are notified of once. */
export type SenderFaultKey = Pick<SenderFaultRow, 'space' | 'cause' | 'day'>;

const MOST = 100;

/** What senders did wrong, by day. */
export function senderFaultStore(reads: Reader) {
  const of = ({ space, cause, day }: SenderFaultKey) =>
    and(eq(senderFaults.space, space), eq(senderFaults.cause, cause), eq(senderFaults.day, day));
  return {
    /** Counts a fault; the first evidence of a day stays. */
    count(tx: Tx, fault: SenderFaultKey, evidence: string): void {
      tx.db
        .insert(senderFaults)
        .values({ ...fault, count: 1, evidence, reportedAt: null })
        .onConflictDoUpdate({
          target: [senderFaults.space, senderFaults.cause, senderFaults.day],
          set: { count: sql`${senderFaults.count} + 1` },
        })
        .run();
    },

    unreported(from: Reader = reads): SenderFaultRow[] {
      return from.db.select().from(senderFaults).where(isNull(senderFaults.reportedAt)).limit(MOST).all();
    },

    /** @param at when the operator was notified; null where that must be done again */
    setReported(tx: Tx, fault: SenderFaultKey, at: number | null): void {
      tx.db.update(senderFaults).set({ reportedAt: at }).where(of(fault)).run();
    },

    /** Removes faults that were reported before a time. @returns how many */
    forget(tx: Tx, before: number): number {
      return tx.db.delete(senderFaults).where(lt(senderFaults.reportedAt, before)).run().changes;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface OperatorNoteRecords {
  readonly senderFaults: ReturnType<typeof senderFaultStore>;
}
