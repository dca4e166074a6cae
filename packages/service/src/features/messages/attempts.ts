import { isSettled, stateOf } from '@verbalis/core/delivery';
import { and, count, eq, gt, inArray, isNotNull, isNull, or, sql } from 'drizzle-orm';
import { placeholders, writing, type Reader, type Tx } from '../../kernel/index.js';
import type { DueReports } from './due-reports.js';
import { ownFact, type FactStore, type NewFact } from './facts.js';
import { attempts, deliveries, type DeliveryRow } from './tables.js';

export type AttemptRow = typeof attempts.$inferSelect;

type AttemptEnd = Pick<AttemptRow, 'endedAt' | 'outcome' | 'phase' | 'replyCode' | 'status' | 'diagnostic' | 'providerId'>;

/** What is known for the next attempt of a delivery. */
export interface NextAttempt {
  /** When it is due; undefined when none follows. */
  readonly at: number | undefined;
  /** The provider that has just failed it. */
  readonly avoid?: string | undefined;
  /** Providers that cannot accept it. */
  readonly unfit?: readonly string[] | undefined;
  /** The provider that may have it already. */
  readonly unsettled?: string | undefined;
}

/** How an attempt ended, with the fact that follows. */
export interface EndedAttempt {
  readonly end: AttemptEnd;
  /** What follows for the delivery; undefined where no recipient is at fault, so that its state stays as it is. */
  readonly fact: NewFact | undefined;
  readonly next: NextAttempt;
  readonly recordedAt: number;
}

/** An attempt as its worker knows it: updates compare all of this, and do nothing if it has changed. */
export interface HeldAttempt {
  readonly id: string;
  readonly deliveryId: string;
  /** The run of the service. */
  readonly owner: string;
  readonly number: number;
  readonly provider: string;
  readonly startedAt: number;
  /** Whether it was recorded as begun: from then on its content may have left. */
  readonly hasBegun: boolean;
}

export type AttemptStore = ReturnType<typeof attemptStore>;

/** Outcomes that count towards the limit of attempts: what was said of the recipient, and what may have been sent. */
const COUNTED = ['deferred', 'uncertain'] as const;

/** Attempts: how each began and ended. */
export function attemptStore(reads: Reader, facts: FactStore, due: DueReports) {
  const insert = writing((db) => db.insert(attempts).values(placeholders(attempts)).prepare());
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
  /** Nobody has it, it waits, and this attempt would be the next. */
  const isFree = and(
    eq(deliveries.id, sql.placeholder('id')),
    isNull(deliveries.owner),
    isNotNull(deliveries.nextAttemptAt),
    eq(deliveries.attempts, sql.placeholder('before')),
  );
  const isHeld = and(
    eq(deliveries.id, sql.placeholder('id')),
    eq(deliveries.owner, sql.placeholder('owner')),
    eq(deliveries.attempts, sql.placeholder('number')),
  );
  const take = writing((db) =>
    db
      .update(deliveries)
      .set({ owner: sql`${sql.placeholder('owner')}`, attempts: sql`${sql.placeholder('number')}`, nextAttemptAt: null })
      .where(and(isFree, or(isNull(deliveries.expiresAt), gt(deliveries.expiresAt, sql.placeholder('now')))))
      .prepare(),
  );
  const LEFT = {
    owner: null,
    attempts: sql`${sql.placeholder('number')}`,
    nextAttemptAt: sql`${sql.placeholder('at')}`,
    avoid: sql`${sql.placeholder('avoid')}`,
    unfit: sql`${sql.placeholder('unfit')}`,
    unsettled: sql`coalesce(${sql.placeholder('unsettled')}, ${deliveries.unsettled})`,
    // Since when this provider may have it.
    unsettledAt: sql`case
      when ${sql.placeholder('unsettled')} is null then ${deliveries.unsettledAt}
      when ${deliveries.unsettled} is ${sql.placeholder('unsettled')} then coalesce(${deliveries.unsettledAt}, ${sql.placeholder('unsettledAt')})
      else ${sql.placeholder('unsettledAt')} end`,
  };
  const STATE = {
    state: sql`${sql.placeholder('state')}`,
    cause: sql`${sql.placeholder('cause')}`,
    decidedBy: sql`${sql.placeholder('decidedBy')}`,
  };
  const leave = (where: typeof isHeld) => writing((db) => db.update(deliveries).set(LEFT).where(where).prepare());
  /** The first fact of a delivery: the attempt's end and what follows from it in one, since most have no other. */
  const leaveDecided = (where: typeof isHeld) =>
    writing((db) =>
      db
        .update(deliveries)
        .set({ ...LEFT, ...STATE })
        .where(and(where, isNull(deliveries.decidedBy)))
        .prepare(),
    );
  const leaving = {
    held: { plain: leave(isHeld), decided: leaveDecided(isHeld) },
    free: { plain: leave(isFree), decided: leaveDecided(isFree) },
  };
  const NOT_ENDED = {
    endedAt: null,
    outcome: null,
    phase: null,
    replyCode: null,
    status: null,
    diagnostic: null,
    providerId: null,
  } satisfies Partial<AttemptRow>;

  return {
    /**
     * An attempt begins: its content may leave from now on, so it is written before that.
     * @returns false where it must not: canceled, held, suspended, past its deadline, or no longer this run's
     */
    begin(tx: Tx, { id, deliveryId, owner, number, provider, startedAt }: HeldAttempt, now: number): boolean {
      if (take(tx).run({ id: deliveryId, owner, number, before: number - 1, now }).changes === 0) return false;
      insert(tx).run({ id, deliveryId, number, provider, startedAt, ...NOT_ENDED });
      return true;
    },

    /** Attempts that had begun when an earlier run of the service ended: nobody knows how far they came. */
    doubt(tx: Tx, ids: readonly string[], now: number): void {
      const open = and(inArray(attempts.deliveryId, [...ids]), isNull(attempts.outcome));
      for (const { deliveryId, provider } of tx.db.select().from(attempts).where(open).all())
        tx.db
          .update(deliveries)
          .set({ unsettled: provider, unsettledAt: sql`coalesce(${deliveries.unsettledAt}, ${now})` })
          .where(eq(deliveries.id, deliveryId))
          .run();
      tx.db
        .update(attempts)
        .set({ outcome: 'uncertain', phase: 'content', endedAt: now, diagnostic: 'The service ended while this attempt was under way.' })
        .where(open)
        .run();
    },

    /** Writes how an attempt ended, with the fact that follows. @returns false where it is no longer so: nothing was written */
    endAttempt(tx: Tx, attempt: HeldAttempt, { end, fact, next, recordedAt }: EndedAttempt): boolean {
      const { id, deliveryId, owner, number, provider, startedAt, hasBegun } = attempt;
      const at = fact !== undefined && isSettled([fact]) ? null : (next.at ?? null);
      const left = {
        id: deliveryId,
        number,
        at,
        avoid: next.avoid ?? null,
        unfit: next.unfit === undefined || next.unfit.length === 0 ? null : next.unfit.join(' '),
        unsettled: next.unsettled ?? null,
        unsettledAt: next.unsettled === undefined ? null : recordedAt,
        ...(hasBegun ? { owner } : { before: number - 1 }),
      };
      const statement = hasBegun ? leaving.held : leaving.free;
      const first = fact === undefined ? undefined : { state: stateOf([fact]), cause: fact.cause ?? null, decidedBy: fact.id };
      const isDecided = first !== undefined && statement.decided(tx).run({ ...left, ...first }).changes > 0;
      if (!isDecided && statement.plain(tx).run(left).changes === 0) return false;
      if (hasBegun) finish(tx).run({ ...end, id });
      else insert(tx).run({ id, deliveryId, number, provider, startedAt, ...end });
      if (fact === undefined || !facts.insert(tx, fact, recordedAt)) return true;
      if (!isDecided) facts.decide(tx, fact);
      facts.pass(tx, fact, recordedAt);
      return true;
    },

    /** An email came to nothing before an attempt: when it is looked at again, or why it is suspended. */
    defer(tx: Tx, { id, fairnessKey }: Pick<DeliveryRow, 'id' | 'fairnessKey'>, at: number): void {
      const isWaiting = and(eq(deliveries.id, id), isNull(deliveries.owner), isNotNull(deliveries.nextAttemptAt));
      if (tx.db.update(deliveries).set({ nextAttemptAt: at }).where(isWaiting).run().changes > 0) due.report(tx, fairnessKey, at);
    },

    /** A delivery that waits is not sent until someone decides about what is wrong with it. @returns whether it waited */
    suspend(
      tx: Tx,
      deliveryId: string,
      { diagnostic, factId, now }: { readonly diagnostic: string; readonly factId: string; readonly now: number },
    ): boolean {
      const isWaiting = and(eq(deliveries.id, deliveryId), isNull(deliveries.owner), isNotNull(deliveries.nextAttemptAt));
      if (tx.db.update(deliveries).set({ nextAttemptAt: null }).where(isWaiting).run().changes === 0) return false;
      facts.record(tx, ownFact({ id: `held:${factId}`, deliveryId, kind: 'delayed', cause: 'system', at: now, diagnostic }), now);
      return true;
    },

    /** How many attempts of a delivery count towards the limit. */
    countedAttempts(deliveryId: string, from: Reader = reads): number {
      return (
        from.db
          .select({ n: count() })
          .from(attempts)
          .where(and(eq(attempts.deliveryId, deliveryId), inArray(attempts.outcome, [...COUNTED])))
          .get()?.n ?? 0
      );
    },

    attempts(deliveryId: string, from: Reader = reads): AttemptRow[] {
      return from.db.select().from(attempts).where(eq(attempts.deliveryId, deliveryId)).orderBy(attempts.number).all();
    },
  };
}
