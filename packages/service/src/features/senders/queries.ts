import { and, eq } from 'drizzle-orm';
import type { Reader, Tx } from '../../kernel/index.js';
import { senders } from './tables.js';

export type SenderRow = typeof senders.$inferSelect;

/** Addresses that spaces may send as. */
export function senderStore(reads: Reader) {
  return {
    of(space: string, from: Reader = reads): SenderRow[] {
      return from.db.select().from(senders).where(eq(senders.space, space)).orderBy(senders.address).all();
    },
    find(space: string, address: string, from: Reader = reads): SenderRow | undefined {
      return from.db
        .select()
        .from(senders)
        .where(and(eq(senders.space, space), eq(senders.address, address.toLowerCase())))
        .get();
    },
    byId(id: string, from: Reader = reads): SenderRow | undefined {
      return from.db.select().from(senders).where(eq(senders.id, id)).get();
    },
    insert(tx: Tx, row: SenderRow): void {
      tx.db.insert(senders).values(row).run();
    },
    change(tx: Tx, id: string, change: Partial<Pick<SenderRow, 'name' | 'askedAt' | 'messageId' | 'confirmedAt' | 'policy'>>): void {
      tx.db.update(senders).set(change).where(eq(senders.id, id)).run();
    },
    remove(tx: Tx, id: string): void {
      tx.db.delete(senders).where(eq(senders.id, id)).run();
    },
  };
}

/** The records of this feature, for the features above it. */
export interface SenderRecords {
  readonly senders: ReturnType<typeof senderStore>;
}
