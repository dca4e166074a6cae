import { and, count, desc, eq, gt, inArray, isNotNull, isNull, lt, sql } from 'drizzle-orm';
import type { AddressFact, SuppressionReason } from '@verbalis/core/delivery';
import { reading, type Reader, type Tx } from '../../kernel/index.js';
import { deliveries, facts } from '../messages/index.js';
import { suppressions } from './tables.js';

export type SuppressionRow = typeof suppressions.$inferSelect;
export interface SuppressionFilter {
  readonly space: string;
  readonly limit: number;
  readonly before?: string | undefined;
  /** Any of these, as addresses are compared. */
  readonly addresses?: readonly string[] | undefined;
  readonly topic?: string | undefined;
  readonly reason?: SuppressionReason | undefined;
  /** Also those that were lifted. */
  readonly lifted: boolean;
}

/** Facts that are looked at for one address; older ones say nothing of today. */
const MOST_FACTS = 1000;

/** Addresses that get no more mail. */
export function suppressionStore(reads: Reader) {
  const inForce = reading((db) =>
    db
      .select()
      .from(suppressions)
      .where(
        and(
          eq(suppressions.space, sql.placeholder('space')),
          eq(suppressions.address, sql.placeholder('address')),
          inArray(suppressions.topic, ['', sql.placeholder('topic')]),
          isNull(suppressions.liftedAt),
        ),
      )
      // Without a limit: `get` takes one row, and a bound limit costs SQLite six times the look-up.
      .orderBy(suppressions.topic)
      .prepare(),
  );
  return {
    /** What keeps mail of a topic from an address. */
    inForce(space: string, address: string, topic: string, from: Reader = reads): SuppressionRow | undefined {
      return inForce(from).get({ space, address, topic });
    },

    /** The one of exactly this topic. */
    exactly(space: string, address: string, topic: string, from: Reader = reads): SuppressionRow | undefined {
      return from.db
        .select()
        .from(suppressions)
        .where(
          and(
            eq(suppressions.space, space),
            eq(suppressions.address, address),
            eq(suppressions.topic, topic),
            isNull(suppressions.liftedAt),
          ),
        )
        .get();
    },

    /** @returns false when the address is suppressed so already */
    add(tx: Tx, row: SuppressionRow): boolean {
      return tx.db.insert(suppressions).values(row).onConflictDoNothing().run().changes > 0;
    },

    find(space: string, id: string, from: Reader = reads): SuppressionRow | undefined {
      return from.db
        .select()
        .from(suppressions)
        .where(and(eq(suppressions.space, space), eq(suppressions.id, id)))
        .get();
    },

    lift(tx: Tx, id: string, at: number, note: string): void {
      tx.db
        .update(suppressions)
        .set({ liftedAt: at, liftNote: note })
        .where(and(eq(suppressions.id, id), isNull(suppressions.liftedAt)))
        .run();
    },

    /** How many addresses have left each topic. */
    leftByTopic(space: string, from: Reader = reads): ReadonlyMap<string, number> {
      const rows = from.db
        .select({ topic: suppressions.topic, n: count() })
        .from(suppressions)
        .where(and(eq(suppressions.space, space), eq(suppressions.reason, 'unsubscribed'), isNull(suppressions.liftedAt)))
        .groupBy(suppressions.topic)
        .all();
      return new Map(rows.map(({ topic, n }) => [topic, n]));
    },

    /** When someone last lifted a suppression of an address: facts before say nothing any more. */
    liftedAt(space: string, address: string, from: Reader = reads): number | undefined {
      return (
        from.db
          .select({ at: sql<number | null>`max(${suppressions.liftedAt})` })
          .from(suppressions)
          .where(and(eq(suppressions.space, space), eq(suppressions.address, address), isNotNull(suppressions.liftedAt)))
          .get()?.at ?? undefined
      );
    },

    /** Newest first. */
    list({ space, limit, before, addresses, topic, reason, lifted }: SuppressionFilter, from: Reader = reads): SuppressionRow[] {
      const found = [eq(suppressions.space, space)];
      if (before !== undefined) found.push(lt(suppressions.id, before));
      if (addresses !== undefined) found.push(inArray(suppressions.address, [...addresses]));
      if (topic !== undefined) found.push(eq(suppressions.topic, topic));
      if (reason !== undefined) found.push(eq(suppressions.reason, reason));
      if (!lifted) found.push(isNull(suppressions.liftedAt));
      return from.db
        .select()
        .from(suppressions)
        .where(and(...found))
        .orderBy(desc(suppressions.id))
        .limit(limit)
        .all();
    },

    /** Facts about the deliveries to an address, those recorded after `since`. */
    factsAbout(space: string, addresses: readonly string[], since: number, from: Reader = reads): AddressFact[] {
      return from.db
        .select({ fact: facts })
        .from(deliveries)
        .innerJoin(facts, eq(facts.deliveryId, deliveries.id))
        .where(
          and(
            eq(deliveries.space, space),
            inArray(deliveries.address, [...addresses]),
            inArray(facts.kind, ['accepted', 'delivered', 'failed', 'complained']),
            gt(facts.recordedAt, since),
          ),
        )
        .orderBy(desc(facts.at))
        .limit(MOST_FACTS)
        .all()
        .map(({ fact }) => ({
          ...fact,
          cause: fact.cause ?? undefined,
          status: fact.status ?? undefined,
          replyCode: fact.replyCode ?? undefined,
          diagnostic: fact.diagnostic ?? undefined,
          details: fact.details ?? undefined,
        }));
    },
  };
}

/** The records of this feature, for the features above it. */
export interface SuppressionRecords {
  readonly suppressions: ReturnType<typeof suppressionStore>;
}
