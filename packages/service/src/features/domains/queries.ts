import { eq } from 'drizzle-orm';
import type { Reader, Tx } from '../../kernel/index.js';
import { signingKeys } from './tables.js';

export type SigningKeyRow = typeof signingKeys.$inferSelect;

/** Keys that sign mail, by the domain that they sign for. */
export function keyStore(reads: Reader) {
  return {
    all(from: Reader = reads): SigningKeyRow[] {
      return from.db.select().from(signingKeys).orderBy(signingKeys.domain, signingKeys.selector).all();
    },
    of(domain: string, from: Reader = reads): SigningKeyRow[] {
      return from.db.select().from(signingKeys).where(eq(signingKeys.domain, domain)).orderBy(signingKeys.selector).all();
    },
    add(tx: Tx, row: SigningKeyRow): void {
      tx.db.insert(signingKeys).values(row).run();
    },
  };
}

/** The records of this feature, for the features above it. */
export interface DomainRecords {
  readonly signingKeys: ReturnType<typeof keyStore>;
}
