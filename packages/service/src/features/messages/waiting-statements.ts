import { and, asc, eq, gt, isNotNull, isNull, lte, or, sql } from 'drizzle-orm';
import { reading, writing } from '../../kernel/index.js';
import { deliveries } from './tables.js';

/** It waits or is held, no attempt has begun, and it has a deadline. */
const CAN_EXPIRE = and(
  sql`coalesce(${deliveries.nextAttemptAt}, ${deliveries.heldFrom}) is not null`,
  isNotNull(deliveries.expiresAt),
  isNull(deliveries.owner),
);
const EXPIRED_AT_ONCE = 500;
const IN_ORDER = [asc(deliveries.nextAttemptAt), asc(deliveries.id)] as const;
/** What the order and the choice of a provider look at; the rest is read of what begins. */
const ROW = {
  id: deliveries.id,
  at: sql<number>`${deliveries.nextAttemptAt}`,
  address: deliveries.address,
  fairnessKey: deliveries.fairnessKey,
  domain: deliveries.domain,
  senderDomain: deliveries.senderDomain,
  avoid: deliveries.avoid,
  unfit: deliveries.unfit,
  unsettled: deliveries.unsettled,
  unsettledAt: deliveries.unsettledAt,
};
const IN_LINE = and(eq(deliveries.fairnessKey, sql.placeholder('fairnessKey')), lte(deliveries.nextAttemptAt, sql.placeholder('now')));

/** The statements about deliveries that wait. */
export function waitingStatements() {
  const byId = reading((db) =>
    db
      .select()
      .from(deliveries)
      .where(eq(deliveries.id, sql.placeholder('id')))
      .prepare(),
  );
  const postpone = writing((db) =>
    db
      .update(deliveries)
      .set({ owner: null, nextAttemptAt: sql`${sql.placeholder('at')}` })
      .where(eq(deliveries.id, sql.placeholder('id')))
      .prepare(),
  );
  const dueIn = reading((db) =>
    db
      .select(ROW)
      .from(deliveries)
      .where(IN_LINE)
      .orderBy(...IN_ORDER)
      .limit(sql.placeholder('most'))
      .prepare(),
  );
  const dueAfter = reading((db) =>
    db
      .select(ROW)
      .from(deliveries)
      .where(
        and(
          IN_LINE,
          // As two conditions on the leading column, so that the index is entered at the position.
          sql`${deliveries.nextAttemptAt} >= ${sql.placeholder('at')}`,
          or(gt(deliveries.nextAttemptAt, sql.placeholder('at')), gt(deliveries.id, sql.placeholder('id'))),
        ),
      )
      .orderBy(...IN_ORDER)
      .limit(sql.placeholder('most'))
      .prepare(),
  );
  const dueTo = reading((db) =>
    db
      .select(ROW)
      .from(deliveries)
      .where(and(IN_LINE, eq(deliveries.domain, sql.placeholder('domain'))))
      .orderBy(...IN_ORDER)
      .limit(sql.placeholder('most'))
      .prepare(),
  );
  const nextIn = reading((db) =>
    db
      .select({ at: sql<number | null>`min(${deliveries.nextAttemptAt})` })
      .from(deliveries)
      .where(and(eq(deliveries.fairnessKey, sql.placeholder('fairnessKey')), gt(deliveries.nextAttemptAt, sql.placeholder('now'))))
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
  const lines = reading((db) =>
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
  return { byId, postpone, dueIn, dueAfter, dueTo, nextIn, nextDeadline, overdue, lines };
}
