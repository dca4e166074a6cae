import { and, desc, eq, inArray, isNull, lt, sql } from 'drizzle-orm';
import type { Reader, Tx } from '../../kernel/index.js';
import { permits } from './tables.js';

export type PermitRow = typeof permits.$inferSelect;

/** Rows that one step of retention removes. */
const STEP = 500;

/** What browsers may ask for. */
export function permitStore(reads: Reader) {
  return {
    add(tx: Tx, row: PermitRow): void {
      tx.db.insert(permits).values(row).run();
    },

    find(id: string, from: Reader = reads): PermitRow | undefined {
      return from.db.select().from(permits).where(eq(permits.id, id)).get();
    },

    /** Newest first. */
    list(space: string, limit: number, before: string | undefined): PermitRow[] {
      return reads.db
        .select()
        .from(permits)
        .where(and(eq(permits.space, space), before === undefined ? undefined : lt(permits.id, before)))
        .orderBy(desc(permits.id))
        .limit(limit)
        .all();
    },

    /** Uses it once. @returns whether it could be used */
    use(tx: Tx, id: string, now: number): boolean {
      const isOpen = and(
        eq(permits.id, id),
        isNull(permits.revokedAt),
        lt(permits.used, permits.times),
        sql`${permits.expiresAt} > ${now}`,
      );
      return (
        tx.db
          .update(permits)
          .set({ used: sql`${permits.used} + 1` })
          .where(isOpen)
          .run().changes > 0
      );
    },

    revoke(tx: Tx, space: string, id: string, now: number): void {
      tx.db
        .update(permits)
        .set({ revokedAt: now })
        .where(and(eq(permits.space, space), eq(permits.id, id), isNull(permits.revokedAt)))
        .run();
    },

    /** Those that ended before a time. */
    forget(tx: Tx, before: number): number {
      const old = tx.db.select({ id: permits.id }).from(permits).where(lt(permits.expiresAt, before)).limit(STEP);
      return tx.db.delete(permits).where(inArray(permits.id, old)).run().changes;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface PermitRecords {
  readonly permits: ReturnType<typeof permitStore>;
}
