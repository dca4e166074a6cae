import { and, desc, eq, isNotNull } from 'drizzle-orm';
import type { Reader, Tx } from '../../kernel/index.js';
import { consents } from './tables.js';

export type ConsentRow = typeof consents.$inferSelect;

/** How addresses left topics and joined them again. */
export function consentStore(reads: Reader) {
  return {
    /** @returns whether it is new */
    add(tx: Tx, row: ConsentRow): boolean {
      return tx.db.insert(consents).values(row).onConflictDoNothing().run().changes > 0;
    },
    /** What is known of one topic. */
    about(space: string, address: string, topic: string, from: Reader = reads): ConsentRow[] {
      return from.db
        .select()
        .from(consents)
        .where(and(eq(consents.space, space), eq(consents.address, address), eq(consents.topic, topic)))
        .all();
    },
    /** Newest first. */
    of(space: string, address: string, from: Reader = reads): ConsentRow[] {
      return from.db
        .select()
        .from(consents)
        .where(and(eq(consents.space, space), eq(consents.address, address)))
        .orderBy(desc(consents.at), desc(consents.id))
        .all();
    },
    /** Pauses that are over, the first first; and the next one that will be. */
    pauses(from: Reader, limit: number): ConsentRow[] {
      return from.db.select().from(consents).where(isNotNull(consents.until)).orderBy(consents.until).limit(limit).all();
    },
    /** A pause is over, or something came after it: it ends nothing any more. */
    endPause(tx: Tx, id: string): void {
      tx.db.update(consents).set({ until: null }).where(eq(consents.id, id)).run();
    },
    /** @returns how many */
    forget(tx: Tx, space: string, address: string): number {
      return tx.db
        .delete(consents)
        .where(and(eq(consents.space, space), eq(consents.address, address)))
        .run().changes;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface ConsentRecords {
  readonly consents: ReturnType<typeof consentStore>;
}
