import { eq } from 'drizzle-orm';
import { reading, type Reader, type Tx } from '../../kernel/index.js';
import { providerStates } from './tables.js';

/** What people have decided about providers. */
export function providerStore(reads: Reader) {
  const pausedNames = reading((db) =>
    db.select({ name: providerStates.name }).from(providerStates).where(eq(providerStates.paused, true)).prepare(),
  );
  return {
    /** Names of the providers that people have paused. */
    paused(from: Reader = reads): Set<string> {
      return new Set(
        pausedNames(from)
          .all()
          .map((row) => row.name),
      );
    },

    setPaused(tx: Tx, name: string, { paused }: { readonly paused: boolean }): void {
      tx.db.insert(providerStates).values({ name, paused }).onConflictDoUpdate({ target: providerStates.name, set: { paused } }).run();
    },
  };
}

/** The records of this feature, for the features above it. */
export interface ProviderRecords {
  readonly providers: ReturnType<typeof providerStore>;
}
