import { eq, inArray, sql } from 'drizzle-orm';
import { placeholders, reading, writing, type Reader, type Tx } from '../../kernel/index.js';
import { sensitiveBoxes } from './tables.js';

export type BoxRow = typeof sensitiveBoxes.$inferSelect;

/** Sensitive values, encrypted. */
export function boxStore(reads: Reader) {
  const insert = writing((db) => db.insert(sensitiveBoxes).values(placeholders(sensitiveBoxes)).prepare());
  const byOwner = reading((db) =>
    db
      .select()
      .from(sensitiveBoxes)
      .where(eq(sensitiveBoxes.ownerId, sql.placeholder('ownerId')))
      .prepare(),
  );

  return {
    add(tx: Tx, row: BoxRow): void {
      insert(tx).run({ ...row });
    },

    find(ownerId: string, from: Reader = reads): BoxRow | undefined {
      return byOwner(from).get({ ownerId });
    },

    /** Whether a value of a day is left. */
    isUsed(day: string, from: Reader = reads): boolean {
      return (
        from.db.select({ day: sensitiveBoxes.day }).from(sensitiveBoxes).where(eq(sensitiveBoxes.day, day)).limit(1).get() !== undefined
      );
    },

    /** @returns how many there were */
    drop(tx: Tx, ownerIds: readonly string[]): number {
      return tx.db
        .delete(sensitiveBoxes)
        .where(inArray(sensitiveBoxes.ownerId, [...ownerIds]))
        .run().changes;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface BoxRecords {
  readonly boxes: ReturnType<typeof boxStore>;
}
