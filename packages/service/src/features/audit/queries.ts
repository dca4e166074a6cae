import { and, desc, eq, gte, lt, or, sql } from 'drizzle-orm';
import type { Reader, Tx } from '../../kernel/index.js';
import { auditEntries } from './tables.js';

export type AuditRow = typeof auditEntries.$inferSelect;

export interface AuditFilter {
  /** Undefined for all spaces, and what belongs to none. */
  readonly space: string | undefined;
  /** A name or an id. */
  readonly who?: string | undefined;
  /** "keys.revoke", or "keys." for all that begin so. */
  readonly action?: string | undefined;
  readonly target?: string | undefined;
  /** Milliseconds since the epoch; `to` is not included. */
  readonly from?: number | undefined;
  readonly to?: number | undefined;
}

const STEP = 1000;

/** The audit log: rows are added, and removed when their time is over. */
export function auditStore(reads: Reader) {
  const matching = ({ space, who, action, target, from, to }: AuditFilter) =>
    and(
      space === undefined ? undefined : eq(auditEntries.space, space),
      who === undefined ? undefined : or(eq(auditEntries.actorId, who), sql`lower(${auditEntries.actor}) = ${who.toLowerCase()}`),
      action === undefined
        ? undefined
        : action.endsWith('.')
          ? sql`substr(${auditEntries.action}, 1, ${action.length}) = ${action}`
          : eq(auditEntries.action, action),
      target === undefined ? undefined : eq(auditEntries.target, target),
      from === undefined ? undefined : gte(auditEntries.at, from),
      to === undefined ? undefined : lt(auditEntries.at, to),
    );
  return {
    /** @returns its number */
    add(tx: Tx, row: Omit<AuditRow, 'seq'>): number {
      return Number(tx.db.insert(auditEntries).values(row).run().lastInsertRowid);
    },

    /** An entry gets its target once. */
    setTarget(tx: Tx, seq: number, target: string): void {
      tx.db
        .update(auditEntries)
        .set({ target })
        .where(and(eq(auditEntries.seq, seq), sql`${auditEntries.target} is null`))
        .run();
    },

    /** Newest first. @param before only entries with a smaller number */
    list(filter: AuditFilter, limit: number, before?: number, from: Reader = reads): AuditRow[] {
      const older = before === undefined ? undefined : lt(auditEntries.seq, before);
      return from.db
        .select()
        .from(auditEntries)
        .where(and(matching(filter), older))
        .orderBy(desc(auditEntries.seq))
        .limit(limit)
        .all();
    },

    /** Removes entries of before a time. @returns how many */
    forget(tx: Tx, before: number): number {
      const old = tx.db.select({ seq: auditEntries.seq }).from(auditEntries).where(lt(auditEntries.at, before)).limit(STEP);
      return tx.db
        .delete(auditEntries)
        .where(sql`${auditEntries.seq} in ${old}`)
        .run().changes;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface AuditRecords {
  readonly audit: ReturnType<typeof auditStore>;
}
