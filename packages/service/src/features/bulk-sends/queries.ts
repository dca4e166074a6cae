import { and, asc, count, desc, eq, gt, inArray, isNotNull, isNull, lt, lte, or, sql } from 'drizzle-orm';
import { placeholders, writing, type Reader, type Tx } from '../../kernel/index.js';
import { deliveries } from '../messages/index.js';
import { bulkRows, bulkSends } from './tables.js';

export type BulkRow = typeof bulkSends.$inferSelect;
export type BulkRecipientRow = typeof bulkRows.$inferSelect;

/** No bulk send waits longer, in milliseconds. */
const LONGEST_WAIT = 3_600_000;
/** Rows that one step of retention removes. */
const STEP = 500;

/** Bulk sends, and what came of each of their recipients. */
export function bulkStore(reads: Reader) {
  const insertRow = writing((db) => db.insert(bulkRows).values(placeholders(bulkRows)).prepare());
  const find = (space: string, id: string, from: Reader): BulkRow | undefined =>
    from.db
      .select()
      .from(bulkSends)
      .where(and(eq(bulkSends.space, space), eq(bulkSends.id, id)))
      .get();

  return {
    add(tx: Tx, row: BulkRow): void {
      tx.db.insert(bulkSends).values(row).run();
    },

    find(space: string, id: string, from: Reader = reads): BulkRow | undefined {
      return find(space, id, from);
    },

    /** Newest first. */
    list(space: string, limit: number, before: string | undefined, from: Reader = reads): BulkRow[] {
      return from.db
        .select()
        .from(bulkSends)
        .where(and(eq(bulkSends.space, space), before === undefined ? undefined : lt(bulkSends.id, before)))
        .orderBy(desc(bulkSends.id))
        .limit(limit)
        .all();
    },

    /** Those that are to go on, the longest due first. A time that lies further ahead than any wait was set before the clock was set back. */
    due(now: number, limit: number, from: Reader = reads): BulkRow[] {
      const isDue = or(lte(bulkSends.nextAt, now), gt(bulkSends.nextAt, now + LONGEST_WAIT));
      return from.db.select().from(bulkSends).where(isDue).orderBy(asc(bulkSends.nextAt)).limit(limit).all();
    },

    nextDue(from: Reader = reads): number | undefined {
      const isWaiting = isNotNull(bulkSends.nextAt);
      return (
        from.db.select({ nextAt: bulkSends.nextAt }).from(bulkSends).where(isWaiting).orderBy(asc(bulkSends.nextAt)).limit(1).get()
          ?.nextAt ?? undefined
      );
    },

    set(tx: Tx, id: string, change: Partial<BulkRow>): void {
      tx.db.update(bulkSends).set(change).where(eq(bulkSends.id, id)).run();
    },

    addRecipient(tx: Tx, row: BulkRecipientRow): void {
      insertRow(tx).run({ ...row });
    },

    /** Which of these recipients have a message of it already. */
    known(bulkId: string, keys: readonly string[], from: Reader = reads): Set<string> {
      const rows = from.db
        .select({ key: bulkRows.key })
        .from(bulkRows)
        .where(and(eq(bulkRows.bulkId, bulkId), inArray(bulkRows.key, [...keys]), isNotNull(bulkRows.messageId)))
        .all();
      return new Set(rows.map(({ key }) => key));
    },

    refusals(bulkId: string, limit: number, after: number, from: Reader = reads): BulkRecipientRow[] {
      return from.db
        .select()
        .from(bulkRows)
        .where(and(eq(bulkRows.bulkId, bulkId), isNull(bulkRows.messageId), gt(bulkRows.n, after)))
        .orderBy(asc(bulkRows.n))
        .limit(limit)
        .all();
    },

    /** How its deliveries stand. */
    states(bulkId: string, from: Reader = reads): { state: (typeof deliveries.$inferSelect)['state']; n: number }[] {
      return from.db
        .select({ state: deliveries.state, n: count() })
        .from(bulkRows)
        .innerJoin(deliveries, eq(deliveries.messageId, bulkRows.messageId))
        .where(eq(bulkRows.bulkId, bulkId))
        .groupBy(deliveries.state)
        .all();
    },

    /** How many of its last rows have not been tried yet. @param after the row after which they are */
    untried(bulkId: string, after: number, from: Reader = reads): number {
      return (
        from.db
          .select({ n: count() })
          .from(bulkRows)
          .innerJoin(deliveries, eq(deliveries.messageId, bulkRows.messageId))
          .where(and(eq(bulkRows.bulkId, bulkId), gt(bulkRows.n, after), eq(deliveries.state, 'queued')))
          .get()?.n ?? 0
      );
    },

    /** Deliveries of it that wait. */
    waiting(bulkId: string, limit: number, from: Reader = reads): string[] {
      return from.db
        .select({ id: deliveries.id })
        .from(bulkRows)
        .innerJoin(deliveries, eq(deliveries.messageId, bulkRows.messageId))
        .where(and(eq(bulkRows.bulkId, bulkId), inArray(deliveries.state, ['queued', 'delayed']), isNull(deliveries.owner)))
        .limit(limit)
        .all()
        .map(({ id }) => id);
    },

    /** Whether one that has not ended reads contents. */
    uses(tx: Tx, contentId: string): boolean {
      const isOpen = and(isNull(bulkSends.endedAt), sql`json_extract(${bulkSends.source}, '$.contentId') = ${contentId}`);
      return tx.db.select({ id: bulkSends.id }).from(bulkSends).where(isOpen).limit(1).get() !== undefined;
    },

    /** Those that ended before a time, a step at a time. */
    forget(tx: Tx, before: number): number {
      const old = tx.db.select({ id: bulkSends.id }).from(bulkSends).where(lt(bulkSends.endedAt, before)).limit(1).get();
      if (old === undefined) return 0;
      const ns = tx.db.select({ n: bulkRows.n }).from(bulkRows).where(eq(bulkRows.bulkId, old.id)).limit(STEP);
      const removed = tx.db
        .delete(bulkRows)
        .where(and(eq(bulkRows.bulkId, old.id), inArray(bulkRows.n, ns)))
        .run().changes;
      if (removed > 0) return removed;
      return tx.db.delete(bulkSends).where(eq(bulkSends.id, old.id)).run().changes;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface BulkRecords {
  readonly bulkSends: ReturnType<typeof bulkStore>;
}
