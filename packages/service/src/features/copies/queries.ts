import type { Reader, Tx } from '../../kernel/index.js';
import { copyState } from './tables.js';

/** What is known of the continuous copies. */
export function copyStore(reads: Reader) {
  return {
    /** Where copies were begun last. */
    folder(from: Reader = reads): string | undefined {
      return from.db.select().from(copyState).get()?.folder;
    },

    begun(tx: Tx, folder: string): void {
      tx.db.insert(copyState).values({ id: 1, folder }).onConflictDoUpdate({ target: copyState.id, set: { folder } }).run();
    },
  };
}

/** The records of this feature. */
export interface CopyRecords {
  readonly copies: ReturnType<typeof copyStore>;
}
