import { asc, count, eq, gt, lte, min, or, sql } from 'drizzle-orm';
import { reading, type Reader, type Tx } from '../../kernel/index.js';
import { callbackBatches } from './tables.js';

export type CallbackBatchRow = typeof callbackBatches.$inferSelect;

/** After so long an event whose delivery was not known is read once more; what waits for longer was written before the clock was set back. */
export const SECOND_LOOK_MS = 5_000;

/** Calls of providers that are stored and not read yet. */
export function callbackStore(reads: Reader) {
  const oldest = reading((db) =>
    db
      .select({ id: callbackBatches.id })
      .from(callbackBatches)
      .where(or(lte(callbackBatches.tryAt, sql.placeholder('now')), gt(callbackBatches.tryAt, sql.placeholder('last'))))
      .orderBy(asc(callbackBatches.id))
      .limit(sql.placeholder('limit'))
      .prepare(),
  );
  return {
    add(tx: Tx, row: CallbackBatchRow): void {
      tx.db.insert(callbackBatches).values(row).run();
    },

    /** Ids of the oldest calls that may be read now. */
    oldest(now: number, limit: number, from: Reader = reads): string[] {
      return oldest(from)
        .all({ now, limit, last: now + SECOND_LOOK_MS })
        .map((row) => row.id);
    },

    find(id: string, from: Reader = reads): CallbackBatchRow | undefined {
      return from.db.select().from(callbackBatches).where(eq(callbackBatches.id, id)).get();
    },

    /** When the first of all calls that wait may be read; undefined where none waits. */
    nextAt(from: Reader = reads): number | undefined {
      return (
        from.db
          .select({ at: min(callbackBatches.tryAt) })
          .from(callbackBatches)
          .get()?.at ?? undefined
      );
    },

    remove(tx: Tx, id: string): void {
      tx.db.delete(callbackBatches).where(eq(callbackBatches.id, id)).run();
    },

    waiting(from: Reader = reads): number {
      return from.db.select({ n: count() }).from(callbackBatches).get()?.n ?? 0;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface CallbackRecords {
  readonly callbacks: ReturnType<typeof callbackStore>;
}
