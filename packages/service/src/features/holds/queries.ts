import { asc, eq } from 'drizzle-orm';
import type { Reader, Tx } from '../../kernel/index.js';
import { holds } from './tables.js';

export type HoldRow = typeof holds.$inferSelect;

/** Holds, as they are written down. */
export function holdStore(reads: Reader) {
  return {
    all(from: Reader = reads): HoldRow[] {
      return from.db.select().from(holds).orderBy(asc(holds.id)).all();
    },

    add(tx: Tx, row: HoldRow): void {
      tx.db.insert(holds).values(row).run();
    },

    /** A hold is over; its deliveries are released after that. */
    release(tx: Tx, id: string): void {
      tx.db.update(holds).set({ isReleased: true }).where(eq(holds.id, id)).run();
    },

    remove(tx: Tx, id: string): void {
      tx.db.delete(holds).where(eq(holds.id, id)).run();
    },
  };
}

/** The records of this feature, for the features above it. */
export interface HoldRecords {
  readonly holds: ReturnType<typeof holdStore>;
}
