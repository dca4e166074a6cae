import { eq } from 'drizzle-orm';
import type { Db } from './database.js';
import { signingKeys } from './schema.js';

export type SigningKeyRow = typeof signingKeys.$inferSelect;

/** Keys that sign mail, by the domain that they sign for. */
export function keyStore(db: Db) {
  return {
    all(): SigningKeyRow[] {
      return db.select().from(signingKeys).orderBy(signingKeys.domain, signingKeys.selector).all();
    },
    of(domain: string): SigningKeyRow[] {
      return db.select().from(signingKeys).where(eq(signingKeys.domain, domain)).orderBy(signingKeys.selector).all();
    },
    add(row: SigningKeyRow): void {
      db.insert(signingKeys).values(row).run();
    },
  };
}
