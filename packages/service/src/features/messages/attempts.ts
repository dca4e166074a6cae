import { isSettled, stateOf } from '@verbalis/core/delivery';
import { and, count, eq, gte, inArray, isNull, sql } from 'drizzle-orm';
import { idSince, writing, type Reader, type Tx } from '../../kernel/index.js';
import { ownFact, type FactStore, type NewFact } from './facts.js';
import { attempts, deliveries } from './tables.js';

export type AttemptRow = typeof attempts.$inferSelect;

type AttemptEnd = Pick<AttemptRow, 'endedAt' | 'outcome' | 'phase' | 'replyCode' | 'status' | 'diagnostic' | 'providerId'>;

/** How an attempt ended, with the fact that follows. */
export interface EndedAttempt {
  readonly end: AttemptEnd;
  readonly fact: NewFact;
  /** When to try again, and which provider to avoid then. */
  readonly next: { readonly at: number | undefined; readonly avoid: string | undefined };
  readonly recordedAt: number;
}

/** An attempt as whoever makes it knows it: what is written about it compares all of this, and does nothing when the lease was lost. */
export interface HeldAttempt {
  readonly id: string;
  readonly deliveryId: string;
  readonly owner: string;
  readonly number: number;
}

export type AttemptStore = ReturnType<typeof attemptStore>;

/** Attempts: how each began and ended. */
export function attemptStore(reads: Reader, facts: FactStore) {
  const begin = writing((db) =>
    db
      .insert(attempts)
      .values({
        id: sql.placeholder('id'),
        deliveryId: sql.placeholder('deliveryId'),
        number: sql.placeholder('number'),
        provider: sql.placeholder('provider'),
        startedAt: sql.placeholder('startedAt'),
      })
      .prepare(),
  );
  const finish = writing((db) =>
    db
      .update(attempts)
      .set({
        endedAt: sql`${sql.placeholder('endedAt')}`,
        outcome: sql`${sql.placeholder('outcome')}`,
        phase: sql`${sql.placeholder('phase')}`,
        replyCode: sql`${sql.placeholder('replyCode')}`,
        status: sql`${sql.placeholder('status')}`,
        diagnostic: sql`${sql.placeholder('diagnostic')}`,
        providerId: sql`${sql.placeholder('providerId')}`,
      })
      .where(eq(attempts.id, sql.placeholder('id')))
      .prepare(),
  );
  const isHeld = and(
    eq(deliveries.id, sql.placeholder('id')),
    eq(deliveries.owner, sql.placeholder('owner')),
    eq(deliveries.attempts, sql.placeholder('number')),
  );
  const leave = writing((db) =>
    db
      .update(deliveries)
      .set({ leaseUntil: null, owner: null, nextAttemptAt: sql`${sql.placeholder('at')}`, avoid: sql`${sql.placeholder('avoid')}` })
      .where(isHeld)
      .prepare(),
  );
  /** The first fact of a delivery: the attempt's end and what follows from it in one, since most have no other. */
  const leaveDecided = writing((db) =>
    db
      .update(deliveries)
      .set({
        state: sql`${sql.placeholder('state')}`,
        cause: sql`${sql.placeholder('cause')}`,
        decidedBy: sql`${sql.placeholder('decidedBy')}`,
        nextAttemptAt: sql`${sql.placeholder('at')}`,
        leaseUntil: null,
        owner: null,
        avoid: sql`${sql.placeholder('avoid')}`,
      })
      .where(and(isHeld, isNull(deliveries.decidedBy)))
      .prepare(),
  );

  return {
    /** An attempt begins; written before anything is sent, so that a crash leaves a trace. */
    begin(tx: Tx, attempt: Pick<AttemptRow, 'id' | 'deliveryId' | 'number' | 'provider' | 'startedAt'>): void {
      begin(tx).run({ ...attempt });
    },

    /** Attempts of deliveries whose worker is gone: nobody knows how far they came. */
    doubt(tx: Tx, ids: readonly string[], now: number): void {
      tx.db
        .update(attempts)
        .set({ outcome: 'uncertain', endedAt: now, diagnostic: 'The service ended while this attempt was under way.' })
        .where(and(inArray(attempts.deliveryId, [...ids]), isNull(attempts.outcome)))
        .run();
    },

    /** Writes how an attempt ended, with the fact that follows. @returns false when the lease was lost: nothing was written */
    endAttempt(tx: Tx, { id, deliveryId, owner, number }: HeldAttempt, { end, fact, next, recordedAt }: EndedAttempt): boolean {
      const left = { id: deliveryId, owner, number, at: next.at ?? null, avoid: next.avoid ?? null };
      const first = { state: stateOf([fact]), cause: fact.cause ?? null, decidedBy: fact.id };
      const decided = leaveDecided(tx).run({ ...left, ...first, at: isSettled([fact]) ? null : left.at }).changes > 0;
      if (!decided && leave(tx).run(left).changes === 0) return false;
      finish(tx).run({ ...end, id });
      if (!facts.insert(tx, fact, recordedAt)) return true;
      if (!decided) facts.decide(tx, fact);
      facts.pass(tx, fact, recordedAt);
      return true;
    },

    /** An attempt came to nothing before anything was sent: it was not made. @param again when to try again; undefined to hold the delivery */
    unmade(
      tx: Tx,
      attempt: HeldAttempt,
      { diagnostic, again, now }: { readonly diagnostic: string; readonly again: number | undefined; readonly now: number },
    ): void {
      const { id, deliveryId, owner, number } = attempt;
      if (leave(tx).run({ id: deliveryId, owner, number, at: again ?? null, avoid: null }).changes === 0) return;
      tx.db.delete(attempts).where(eq(attempts.id, id)).run();
      tx.db
        .update(deliveries)
        .set({ attempts: number - 1 })
        .where(eq(deliveries.id, deliveryId))
        .run();
      if (again !== undefined) return;
      facts.record(tx, ownFact({ id: `held:${id}`, deliveryId, kind: 'delayed', cause: 'system', at: now, diagnostic }), now);
    },

    /** Attempts by provider and outcome since a time. */
    outcomes(since: number, from: Reader = reads): { provider: string; outcome: string | null; n: number }[] {
      return from.db
        .select({ provider: attempts.provider, outcome: attempts.outcome, n: count() })
        .from(attempts)
        .where(gte(attempts.id, idSince('a', since)))
        .groupBy(attempts.provider, attempts.outcome)
        .all();
    },

    attempts(deliveryId: string, from: Reader = reads): AttemptRow[] {
      return from.db.select().from(attempts).where(eq(attempts.deliveryId, deliveryId)).orderBy(attempts.number).all();
    },
  };
}
