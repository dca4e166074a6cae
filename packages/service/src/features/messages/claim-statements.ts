import { and, asc, eq, isNotNull, isNull, lte, sql } from 'drizzle-orm';
import { reading, writing } from '../../kernel/index.js';
import { deliveries } from './tables.js';

/** Nobody has it, and it has a deadline. */
const CAN_EXPIRE = and(isNotNull(deliveries.nextAttemptAt), isNotNull(deliveries.expiresAt), isNull(deliveries.owner));
const EXPIRED_AT_ONCE = 500;

/** The statements of claims. */
export function claimStatements() {
  const byId = reading((db) =>
    db
      .select()
      .from(deliveries)
      .where(eq(deliveries.id, sql.placeholder('id')))
      .prepare(),
  );
  const leaseOne = writing((db) =>
    db
      .update(deliveries)
      .set({
        leaseUntil: sql`${sql.placeholder('until')}`,
        nextAttemptAt: sql`${sql.placeholder('until')}`,
        owner: sql`${sql.placeholder('owner')}`,
        attempts: sql`${sql.placeholder('number')}`,
      })
      .where(eq(deliveries.id, sql.placeholder('id')))
      .prepare(),
  );
  const renewOne = writing((db) =>
    db
      .update(deliveries)
      .set({ leaseUntil: sql`${sql.placeholder('until')}`, nextAttemptAt: sql`${sql.placeholder('until')}` })
      .where(eq(deliveries.id, sql.placeholder('id')))
      .prepare(),
  );
  const postpone = writing((db) =>
    db
      .update(deliveries)
      .set({ leaseUntil: null, owner: null, nextAttemptAt: sql`${sql.placeholder('at')}` })
      .where(eq(deliveries.id, sql.placeholder('id')))
      .prepare(),
  );
  const dueIn = reading((db) =>
    db
      .select()
      .from(deliveries)
      .where(and(eq(deliveries.fairnessKey, sql.placeholder('fairnessKey')), lte(deliveries.nextAttemptAt, sql.placeholder('now'))))
      .orderBy(asc(deliveries.nextAttemptAt), asc(deliveries.id))
      .limit(sql.placeholder('most'))
      .prepare(),
  );
  const nextDueIn = reading((db) =>
    db
      .select({ at: sql<number | null>`min(${deliveries.nextAttemptAt})` })
      .from(deliveries)
      .where(and(eq(deliveries.fairnessKey, sql.placeholder('fairnessKey')), isNotNull(deliveries.nextAttemptAt)))
      .prepare(),
  );
  const nextDeadline = reading((db) =>
    db
      .select({ at: sql<number | null>`min(${deliveries.expiresAt})` })
      .from(deliveries)
      .where(CAN_EXPIRE)
      .prepare(),
  );
  const overdue = reading((db) =>
    db
      .select()
      .from(deliveries)
      .where(and(CAN_EXPIRE, lte(deliveries.expiresAt, sql.placeholder('now'))))
      .limit(EXPIRED_AT_ONCE)
      .prepare(),
  );
  // Each step jumps to the next key in the index: the cost is by key, not by delivery.
  const keysThatWait = reading((db) =>
    db
      .select({ fairnessKey: sql<string>`key` })
      .from(
        sql`(with recursive l(key) as (
        select min(fairness_key) from deliveries where next_attempt_at is not null
        union all
        select (select min(fairness_key) from deliveries where next_attempt_at is not null and fairness_key > l.key) from l where l.key is not null
      ) select key from l where key is not null)`,
      )
      .prepare(),
  );
  return { byId, leaseOne, renewOne, postpone, dueIn, nextDueIn, nextDeadline, overdue, keysThatWait };
}
