import { deciding, stateOf, type Fact } from '@verbalis/core/delivery';
import { asc, getTableColumns, gt, notInArray, sql } from 'drizzle-orm';
import { auditing, type Auditor } from '../../kernel/index.js';
import { deliveries, emails, facts } from './tables.js';

/** Deliveries that are looked at in one query. */
const STEP = 1000;

/** Whether the state of each delivery is that of its facts. */
export const statesByFacts: Auditor = (from) => {
  const audit = auditing('states of deliveries, by their facts');
  for (let after = ''; ;) {
    const rows = from.db
      .select({ id: deliveries.id, state: deliveries.state, cause: deliveries.cause, decidedBy: deliveries.decidedBy })
      .from(deliveries)
      .where(gt(deliveries.id, after))
      .orderBy(asc(deliveries.id))
      .limit(STEP)
      .all();
    const [first, last] = [rows[0]?.id, rows.at(-1)?.id];
    if (first === undefined || last === undefined) return audit.result();
    const found = from.db
      .select(getTableColumns(facts))
      .from(facts)
      .where(sql`${facts.deliveryId} >= ${first} and ${facts.deliveryId} <= ${last}`)
      .all();
    const byDelivery = grouped(found);
    for (const { id, state, cause, decidedBy } of rows) {
      audit.looked();
      const own = (byDelivery.get(id) ?? []) as unknown as Fact[];
      const should = stateOf(own);
      const winner = deciding(own);
      if (should !== state) audit.wrong(`${id} is ${state}, but by its facts it is ${should}.`);
      else if ((winner?.cause ?? null) !== cause)
        audit.wrong(`${id} has the cause ${cause ?? '(none)'}, but its facts give ${winner?.cause ?? '(none)'}.`);
      else if ((winner?.id ?? null) !== decidedBy)
        audit.wrong(`${id} is decided by ${decidedBy ?? '(nothing)'}, but by its facts by ${winner?.id ?? '(nothing)'}.`);
    }
    after = last;
  }
};

function grouped<T extends { readonly deliveryId: string }>(rows: readonly T[]): Map<string, T[]> {
  const all = new Map<string, T[]>();
  for (const row of rows) {
    const own = all.get(row.deliveryId);
    if (own === undefined) all.set(row.deliveryId, [row]);
    else own.push(row);
  }
  return all;
}

/** Whether each delivery counts the attempts that it has. */
export const attemptsCounted: Auditor = (from) => {
  const audit = auditing('attempts of deliveries');
  const counted = sql<number>`(select coalesce(max(a.number), 0) from attempts a where a.delivery_id = deliveries.id)`;
  for (const { id, n, found } of from.db.select({ id: deliveries.id, n: deliveries.attempts, found: counted }).from(deliveries).all()) {
    audit.looked();
    if (n < found) audit.wrong(`${id} counts ${n} attempts, and has an attempt ${found}.`);
  }
  return audit.result();
};

/** Whether something is kept of deliveries that are gone. */
export const emailsOwned: Auditor = (from) => {
  const audit = auditing('emails that were put together');
  const known = from.db.select({ id: deliveries.id }).from(deliveries);
  audit.looked(
    from.db
      .select({ n: sql<number>`count(*)` })
      .from(emails)
      .get()?.n ?? 0,
  );
  for (const { id } of from.db.select({ id: emails.deliveryId }).from(emails).where(notInArray(emails.deliveryId, known)).all())
    audit.wrong(`An email is kept of the delivery ${id}, which does not exist.`);
  return audit.result();
};
