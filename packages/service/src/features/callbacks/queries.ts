import { asc, count, eq, sql } from 'drizzle-orm';
import { reading, type Reader, type Tx } from '../../kernel/index.js';
import { callbackBatches } from './tables.js';

export type CallbackBatchRow = typeof callbackBatches.$inferSelect;

/** Calls of providers that are stored and not read yet. */
export function callbackStore(reads: Reader) {
  const oldest = reading((db) =>
    db.select({ id: callbackBatches.id }).from(callbackBatches).orderBy(asc(callbackBatches.id)).limit(sql.placeholder('limit')).prepare(),
  );
  return {
    add(tx: Tx, row: CallbackBatchRow): void {
      tx.db.insert(callbackBatches).values(row).run();
    },

    /** Ids of the oldest calls that are not read yet. */
    oldest(limit: number, from: Reader = reads): string[] {
      return oldest(from)
        .all({ limit })
        .map((row) => row.id);
    },

    find(id: string, from: Reader = reads): CallbackBatchRow | undefined {
      return from.db.select().from(callbackBatches).where(eq(callbackBatches.id, id)).get();
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
