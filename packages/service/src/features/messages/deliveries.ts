import { count, eq, isNotNull, sql } from 'drizzle-orm';
import { reading, type Reader } from '../../kernel/index.js';
import { attemptStore } from './attempts.js';
import { claimStore } from './claims.js';
import { factStore } from './facts.js';
import type { DeliveryRow } from './tables.js';
import { deliveries } from './tables.js';

/** Deliveries on their way: claims, attempts, facts and the state that follows from them. */
export function deliveryStore(reads: Reader) {
  const byId = reading((db) =>
    db
      .select()
      .from(deliveries)
      .where(eq(deliveries.id, sql.placeholder('id')))
      .prepare(),
  );
  const facts = factStore(reads);
  const attempts = attemptStore(reads, facts);
  const claims = claimStore(reads, facts, attempts);

  return {
    ...facts,
    ...attempts,
    ...claims,

    find(id: string, from: Reader = reads): DeliveryRow | undefined {
      return byId(from).get({ id });
    },

    /** What waits, by fairness key and state. */
    queue(now: number, from: Reader = reads): { fairnessKey: string; state: string; n: number; due: number; oldest: number }[] {
      return from.db
        .select({
          fairnessKey: deliveries.fairnessKey,
          state: deliveries.state,
          n: count(),
          due: sql<number>`sum(${deliveries.nextAttemptAt} <= ${now})`,
          oldest: sql<number>`min(${deliveries.createdAt})`,
        })
        .from(deliveries)
        .where(isNotNull(deliveries.nextAttemptAt))
        .groupBy(deliveries.fairnessKey, deliveries.state)
        .all();
    },

    /** How many deliveries of a space are in which state. */
    counts(space: string, from: Reader = reads): Record<string, number> {
      const rows = from.db
        .select({ state: deliveries.state, n: count() })
        .from(deliveries)
        .where(eq(deliveries.space, space))
        .groupBy(deliveries.state)
        .all();
      return Object.fromEntries(rows.map((row) => [row.state, row.n]));
    },
  };
}
