import { eq } from 'drizzle-orm';
import type { Db } from './database.js';
import { returns } from './schema.js';

export type ReturnRow = typeof returns.$inferSelect;
export type ReturnStore = ReturnType<typeof returnStore>;

/** What came back, as it came back. */
export function returnStore(db: Db) {
  return {
    /** @returns false when this very return is there already */
    insert(row: ReturnRow): boolean {
      return db.insert(returns).values(row).onConflictDoNothing().run().changes > 0;
    },
    find(id: string): ReturnRow | undefined {
      return db.select().from(returns).where(eq(returns.id, id)).get();
    },
  };
}
