import { stateOf, deciding, isSettled, type Fact } from '@verbalis/core/delivery';
import { and, asc, count, eq, isNotNull, isNull, lte, or, sql } from 'drizzle-orm';
import type { Db } from './database.js';
import type { DeliveryRow } from './messages.js';
import { attempts, deliveries, facts } from './schema.js';

export type AttemptRow = typeof attempts.$inferSelect;
export type FactRow = typeof facts.$inferSelect;

/** A fact to be recorded; whether it is new is found out by its id. */
export interface NewFact extends Fact {
  readonly deliveryId: string;
  readonly returnId?: string | undefined;
}

export type DeliveryStore = ReturnType<typeof deliveryStore>;

/** Deliveries on their way: claims, attempts, facts and the state that follows from them. */
export function deliveryStore(db: Db) {
  const factsOf = db
    .select()
    .from(facts)
    .where(eq(facts.deliveryId, sql.placeholder('id')))
    .orderBy(facts.at, facts.id)
    .prepare();
  const byId = db
    .select()
    .from(deliveries)
    .where(eq(deliveries.id, sql.placeholder('id')))
    .prepare();
  const claimOne = db
    .update(deliveries)
    .set({ leaseUntil: sql`${sql.placeholder('until')}` })
    .where(eq(deliveries.id, sql.placeholder('id')))
    .prepare();
  const dueRows = db
    .select()
    .from(deliveries)
    .where(
      and(
        lte(deliveries.nextAttemptAt, sql.placeholder('now')),
        or(isNull(deliveries.leaseUntil), lte(deliveries.leaseUntil, sql.placeholder('now'))),
      ),
    )
    .orderBy(asc(deliveries.nextAttemptAt))
    .limit(sql.placeholder('most'))
    .prepare();
  const nextDue = db
    .select({ at: sql<number | null>`min(max(${deliveries.nextAttemptAt}, coalesce(${deliveries.leaseUntil}, 0)))` })
    .from(deliveries)
    .where(isNotNull(deliveries.nextAttemptAt))
    .prepare();

  function toFact(row: FactRow): FactRow & Fact {
    return {
      ...row,
      cause: row.cause ?? undefined,
      status: row.status ?? undefined,
      replyCode: row.replyCode ?? undefined,
      diagnostic: row.diagnostic ?? undefined,
    } as FactRow & Fact;
  }

  return {
    find(id: string): DeliveryRow | undefined {
      return byId.get({ id });
    },

    /** Takes up to `most` due deliveries for as long as `leaseMs`; whoever crashes meanwhile gives them back by then. */
    claim(now: number, most: number, leaseMs: number): DeliveryRow[] {
      return db.transaction(
        () => {
          const rows = dueRows.all({ now, most });
          for (const row of rows) claimOne.run({ id: row.id, until: now + leaseMs });
          return rows;
        },
        { behavior: 'immediate' },
      );
    },

    /** When something is due next, in milliseconds since the epoch. */
    nextDueAt(): number | undefined {
      return nextDue.get()?.at ?? undefined;
    },

    /** At the start of the only process: what was under way when the last one ended is free again, its attempts uncertain. */
    recover(now: number): number {
      return db.transaction(
        () => {
          const open = db.select().from(attempts).where(isNull(attempts.outcome)).all();
          for (const attempt of open) {
            db.update(attempts)
              .set({ outcome: 'uncertain', endedAt: now, diagnostic: 'The service ended while this attempt was under way.' })
              .where(eq(attempts.id, attempt.id))
              .run();
          }
          db.update(deliveries).set({ leaseUntil: null }).where(isNotNull(deliveries.leaseUntil)).run();
          return open.length;
        },
        { behavior: 'immediate' },
      );
    },

    /** Writes that an attempt begins; before anything is sent, so that a crash leaves a trace. */
    beginAttempt(row: { id: string; deliveryId: string; number: number; provider: string; startedAt: number }): void {
      db.transaction(
        () => {
          db.insert(attempts).values(row).run();
          db.update(deliveries).set({ attempts: row.number }).where(eq(deliveries.id, row.deliveryId)).run();
        },
        { behavior: 'immediate' },
      );
    },

    /** Writes how an attempt ended, with the facts that follow, in one transaction. */
    endAttempt(
      id: string,
      end: Pick<AttemptRow, 'endedAt' | 'outcome' | 'phase' | 'replyCode' | 'status' | 'diagnostic' | 'providerId'>,
      fact: NewFact,
      nextAttemptAt: number | undefined,
      recordedAt: number,
    ): void {
      db.transaction(
        () => {
          db.update(attempts).set(end).where(eq(attempts.id, id)).run();
          db.update(deliveries)
            .set({ leaseUntil: null, nextAttemptAt: nextAttemptAt ?? null })
            .where(eq(deliveries.id, fact.deliveryId))
            .run();
          this.record(fact, recordedAt);
        },
        { behavior: 'immediate' },
      );
    },

    /**
     * Records a fact and sets the delivery's state from all its facts. The same fact again changes nothing.
     * @returns whether it was new
     */
    record(fact: NewFact, recordedAt: number): boolean {
      const { id, deliveryId, kind, source, at, cause, status, replyCode, diagnostic, returnId } = fact;
      const inserted = db
        .insert(facts)
        .values({ id, deliveryId, kind, source, at, recordedAt, cause, status, replyCode, diagnostic, returnId })
        .onConflictDoNothing()
        .run();
      if (inserted.changes === 0) return false;
      const all = factsOf.all({ id: deliveryId }).map(toFact);
      const settled = isSettled(all);
      db.update(deliveries)
        .set({ state: stateOf(all), cause: deciding(all)?.cause ?? null, ...(settled ? { nextAttemptAt: null } : {}) })
        .where(eq(deliveries.id, deliveryId))
        .run();
      return true;
    },

    facts(deliveryId: string): (FactRow & Fact)[] {
      return factsOf.all({ id: deliveryId }).map(toFact);
    },

    attempts(deliveryId: string): AttemptRow[] {
      return db.select().from(attempts).where(eq(attempts.deliveryId, deliveryId)).orderBy(attempts.number).all();
    },

    /** How many deliveries of a space are in which state. */
    counts(space: string): Record<string, number> {
      const rows = db
        .select({ state: deliveries.state, n: count() })
        .from(deliveries)
        .where(eq(deliveries.space, space))
        .groupBy(deliveries.state)
        .all();
      return Object.fromEntries(rows.map((row) => [row.state, row.n]));
    },
  };
}
