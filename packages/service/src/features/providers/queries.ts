import { eq, isNotNull } from 'drizzle-orm';
import { reading, type Reader, type Tx } from '../../kernel/index.js';
import { providerStates } from './tables.js';

/** A provider that is in trouble. */
export interface ProviderTrouble {
  readonly name: string;
  /** In milliseconds since the epoch. */
  readonly since: number;
  readonly why: string;
}

/** What people have decided about providers, and which are in trouble. */
export function providerStore(reads: Reader) {
  const pausedNames = reading((db) =>
    db.select({ name: providerStates.name }).from(providerStates).where(eq(providerStates.paused, true)).prepare(),
  );
  const troubled = reading((db) =>
    db.select().from(providerStates).where(isNotNull(providerStates.troubleSince)).orderBy(providerStates.name).prepare(),
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

    /** A provider gets into trouble, or works again. */
    setTrouble(tx: Tx, name: string, trouble: Omit<ProviderTrouble, 'name'> | undefined): void {
      const set = { troubleSince: trouble?.since ?? null, troubleWhy: trouble?.why ?? null };
      tx.db
        .insert(providerStates)
        .values({ name, ...set })
        .onConflictDoUpdate({ target: providerStates.name, set })
        .run();
    },

    /** The providers that are in trouble. */
    inTrouble(from: Reader = reads): ProviderTrouble[] {
      return troubled(from)
        .all()
        .map(({ name, troubleSince, troubleWhy }) => ({ name, since: troubleSince ?? 0, why: troubleWhy ?? '' }));
    },
  };
}

/** The records of this feature, for the features above it. */
export interface ProviderRecords {
  readonly providers: ReturnType<typeof providerStore>;
}
