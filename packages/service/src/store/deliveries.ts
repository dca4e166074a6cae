import { stateOf, deciding, isSettled, type Fact } from '@verbalis/core/delivery';
import { and, asc, count, eq, getTableColumns, gte, inArray, isNotNull, isNull, lte, sql } from 'drizzle-orm';
import { reading, writing, type Reader, type Tx } from '../kernel/index.js';
import { idSince } from './ids.js';
import type { DeliveryRow } from './messages.js';
import { attempts, deliveries, events, facts, providerStates } from './schema.js';

export type AttemptRow = typeof attempts.$inferSelect;
export type FactRow = typeof facts.$inferSelect;

type AttemptEnd = Pick<AttemptRow, 'endedAt' | 'outcome' | 'phase' | 'replyCode' | 'status' | 'diagnostic' | 'providerId'>;

export interface ClaimOptions {
  readonly now: number;
  readonly most: number;
  /** Of what is not urgent. */
  readonly optionalMost: number;
  readonly leaseMs: number;
  readonly owner: string;
  /** Whether this very process has a delivery under way, whatever its lease says (the clock may have jumped). */
  readonly isUnderWay: (id: string) => boolean;
}

/** An attempt as whoever makes it knows it: what is written about it compares all of this, and does nothing when the lease was lost. */
export interface HeldAttempt {
  readonly id: string;
  readonly deliveryId: string;
  readonly owner: string;
  readonly number: number;
}

/** What is done with a due delivery: handed to a provider, or put off. */
export type Decision =
  | { readonly provider: string; readonly attemptId: string }
  | { readonly waitUntil: number }
  /** It must not be sent any more: why, in a sentence. */
  | { readonly withhold: string };

export interface Claimed {
  readonly delivery: DeliveryRow;
  readonly number: number;
  readonly attemptId: string;
  readonly provider: string;
}

/** A fact to be recorded; whether it is new is found out by its id. */
export interface NewFact extends Fact {
  readonly deliveryId: string;
  readonly returnId?: string | undefined;
}

/** Nobody has it, and it has a deadline. */
const CAN_EXPIRE = and(isNotNull(deliveries.nextAttemptAt), isNotNull(deliveries.expiresAt), isNull(deliveries.owner));
const EXPIRED_AT_ONCE = 500;

export type DeliveryStore = ReturnType<typeof deliveryStore>;

/** Deliveries on their way: claims, attempts, facts and the state that follows from them. */
export function deliveryStore(reads: Reader) {
  const factsOf = reading((db) =>
    db
      .select()
      .from(facts)
      .where(eq(facts.deliveryId, sql.placeholder('id')))
      .orderBy(facts.at, facts.id)
      .prepare(),
  );
  const decisive = reading((db) =>
    db
      .select(getTableColumns(facts))
      .from(deliveries)
      .innerJoin(facts, eq(facts.id, deliveries.decidedBy))
      .where(eq(deliveries.id, sql.placeholder('id')))
      .prepare(),
  );
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
  const insertFact = writing((db) =>
    db
      .insert(facts)
      .values({
        id: sql.placeholder('id'),
        deliveryId: sql.placeholder('deliveryId'),
        kind: sql.placeholder('kind'),
        source: sql.placeholder('source'),
        at: sql.placeholder('at'),
        recordedAt: sql.placeholder('recordedAt'),
        cause: sql.placeholder('cause'),
        status: sql.placeholder('status'),
        replyCode: sql.placeholder('replyCode'),
        diagnostic: sql.placeholder('diagnostic'),
        returnId: sql.placeholder('returnId'),
      })
      .onConflictDoNothing()
      .prepare(),
  );
  const setState = writing((db) =>
    db
      .update(deliveries)
      .set({
        state: sql`${sql.placeholder('state')}`,
        cause: sql`${sql.placeholder('cause')}`,
        decidedBy: sql`${sql.placeholder('decidedBy')}`,
      })
      .where(eq(deliveries.id, sql.placeholder('id')))
      .prepare(),
  );
  const settle = writing((db) =>
    db
      .update(deliveries)
      .set({
        state: sql`${sql.placeholder('state')}`,
        cause: sql`${sql.placeholder('cause')}`,
        decidedBy: sql`${sql.placeholder('decidedBy')}`,
        nextAttemptAt: null,
        leaseUntil: null,
        owner: null,
      })
      .where(eq(deliveries.id, sql.placeholder('id')))
      .prepare(),
  );
  const dueIn = reading((db) =>
    db
      .select()
      .from(deliveries)
      .where(and(eq(deliveries.line, sql.placeholder('line')), lte(deliveries.nextAttemptAt, sql.placeholder('now'))))
      .orderBy(asc(deliveries.nextAttemptAt), asc(deliveries.id))
      .limit(sql.placeholder('most'))
      .prepare(),
  );
  const nextDueIn = reading((db) =>
    db
      .select({ at: sql<number | null>`min(${deliveries.nextAttemptAt})` })
      .from(deliveries)
      .where(and(eq(deliveries.line, sql.placeholder('line')), isNotNull(deliveries.nextAttemptAt)))
      .prepare(),
  );
  const nextDeadline = reading((db) =>
    db
      .select({ at: sql<number | null>`min(${deliveries.expiresAt})` })
      .from(deliveries)
      .where(CAN_EXPIRE)
      .prepare(),
  );
  const pausedNames = reading((db) =>
    db.select({ name: providerStates.name }).from(providerStates).where(eq(providerStates.paused, true)).prepare(),
  );
  const overdue = reading((db) =>
    db
      .select()
      .from(deliveries)
      .where(and(CAN_EXPIRE, lte(deliveries.expiresAt, sql.placeholder('now'))))
      .limit(EXPIRED_AT_ONCE)
      .prepare(),
  );
  // Each step jumps to the next line in the index: the cost is by line, not by delivery.
  const linesThatWait = reading((db) =>
    db
      .select({ line: sql<string>`line` })
      .from(
        sql`(with recursive l(line) as (
        select min(line) from deliveries where next_attempt_at is not null
        union all
        select (select min(line) from deliveries where next_attempt_at is not null and line > l.line) from l where l.line is not null
      ) select line from l where line is not null)`,
      )
      .prepare(),
  );

  // A fact is public at once: its event stands in the same transaction.
  const insertEvent = writing((db) =>
    db
      .insert(events)
      .values({
        id: sql.placeholder('id'),
        space: sql`(select ${deliveries.space} from ${deliveries} where ${deliveries.id} = ${sql.placeholder('deliveryId')})`,
        kind: sql.placeholder('kind'),
        deliveryId: sql.placeholder('deliveryId'),
        at: sql.placeholder('at'),
        recordedAt: sql.placeholder('recordedAt'),
      })
      .prepare(),
  );

  const listeners: ((tx: Tx, fact: NewFact, recordedAt: number) => void)[] = [];

  function toFact(row: FactRow): FactRow & Fact {
    return {
      ...row,
      cause: row.cause ?? undefined,
      status: row.status ?? undefined,
      replyCode: row.replyCode ?? undefined,
      diagnostic: row.diagnostic ?? undefined,
    } as FactRow & Fact;
  }

  /** Writes a fact with its event. @returns whether it was new */
  function write(tx: Tx, fact: NewFact, recordedAt: number): boolean {
    const { id, deliveryId, kind, source, at, cause, status, replyCode, diagnostic, returnId } = fact;
    const inserted = insertFact(tx).run({
      id,
      deliveryId,
      kind,
      source,
      at,
      recordedAt,
      cause: cause ?? null,
      status: status ?? null,
      replyCode: replyCode ?? null,
      diagnostic: diagnostic ?? null,
      returnId: returnId ?? null,
    });
    if (inserted.changes === 0) return false;
    insertEvent(tx).run({ id, kind, deliveryId, at, recordedAt });
    return true;
  }

  /** A state is that of the highest fact, so the highest so far and the new one tell it: the cost does not grow with the facts. */
  function decide(tx: Tx, fact: NewFact): void {
    const before = decisive(tx).get({ id: fact.deliveryId });
    const two = [...(before === undefined ? [] : [toFact(before)]), fact];
    const winner = deciding(two);
    // A fact that decides nothing leaves the row as it is.
    if (winner?.id !== fact.id) return;
    const row = { id: fact.deliveryId, state: stateOf(two), cause: winner.cause ?? null, decidedBy: winner.id };
    (isSettled(two) ? settle : setState)(tx).run(row);
  }

  function tellListeners(tx: Tx, fact: NewFact, recordedAt: number): void {
    for (const listener of listeners) listener(tx, fact, recordedAt);
  }

  /**
   * Records a fact and sets the delivery's state from all its facts. The same fact again changes nothing.
   * @returns whether it was new
   */
  function record(tx: Tx, fact: NewFact, recordedAt: number): boolean {
    if (!write(tx, fact, recordedAt)) return false;
    decide(tx, fact);
    tellListeners(tx, fact, recordedAt);
    return true;
  }

  const withhold = (tx: Tx, row: Pick<DeliveryRow, 'id'>, reason: string, now: number): void => {
    record(
      tx,
      {
        id: `withheld:${row.id}`,
        deliveryId: row.id,
        kind: 'withheld',
        source: 'service',
        at: now,
        cause: undefined,
        status: undefined,
        replyCode: undefined,
        diagnostic: reason,
      },
      now,
    );
    postpone(tx).run({ id: row.id, at: null });
  };
  const expire = (tx: Tx, row: DeliveryRow, now: number): void => {
    record(
      tx,
      {
        id: `expired:${row.id}`,
        deliveryId: row.id,
        kind: 'expired',
        source: 'service',
        at: now,
        cause: 'expired',
        status: undefined,
        replyCode: undefined,
        diagnostic: 'Its deadline passed before a provider took it.',
      },
      now,
    );
    postpone(tx).run({ id: row.id, at: null });
  };

  return {
    find(id: string, from: Reader = reads): DeliveryRow | undefined {
      return byId(from).get({ id });
    },

    /**
     * Takes due deliveries, urgent lines first, the others in turn. For each, `decide` names the provider or a later time; its attempt is
     * written before anything is sent, so that a crash leaves a trace. A line whose providers are all closed is left as it is: its rows
     * are not touched however many they are. What has passed its deadline ends here, whichever line it stands in. To be called within a
     * transaction.
     */
    claim(tx: Tx, wanted: ClaimOptions, isClosed: (line: string) => boolean, decide: (row: DeliveryRow) => Decision): Claimed[] {
      const { now, most, leaseMs, owner, optionalMost, isUnderWay } = wanted;
      const out: Claimed[] = [];
      for (const row of overdue(tx).all({ now })) expire(tx, row, now);
      const lines = this.lines(tx).filter((line) => !isClosed(line));
      const urgent = lines.filter((line) => line.startsWith('0'));
      const rest = lines.filter((line) => !line.startsWith('0'));
      const one = (row: DeliveryRow): void => {
        if (isUnderWay(row.id)) {
          renewOne(tx).run({ id: row.id, until: now + leaseMs });
          return;
        }
        // A lease that has run out: whoever had it is gone, and what came of its attempt is not known.
        if (row.leaseUntil !== null) this.doubt(tx, [row.id], now);
        if (row.expiresAt !== null && row.expiresAt <= now) {
          expire(tx, row, now);
          return;
        }
        const decision = decide(row);
        if ('withhold' in decision) {
          withhold(tx, row, decision.withhold, now);
          return;
        }
        if ('waitUntil' in decision) {
          postpone(tx).run({ id: row.id, at: Math.max(now + 1, Math.min(decision.waitUntil, row.expiresAt ?? decision.waitUntil)) });
          return;
        }
        const number = row.attempts + 1;
        leaseOne(tx).run({ id: row.id, until: now + leaseMs, owner, number });
        begin(tx).run({ id: decision.attemptId, deliveryId: row.id, number, provider: decision.provider, startedAt: now });
        out.push({ delivery: row, number, attemptId: decision.attemptId, provider: decision.provider });
      };
      // In turn: every line that waits gets its part of what is left.
      const inTurn = (group: readonly string[], slots: number): void => {
        let left = slots;
        let waiting = group;
        while (left > 0 && waiting.length > 0) {
          const part = Math.max(1, Math.floor(left / waiting.length));
          const before = out.length;
          waiting = waiting.filter((line) => {
            if (left <= 0) return false;
            const rows = dueIn(tx).all({ line, now, most: Math.min(part, left) });
            const from = out.length;
            rows.forEach(one);
            left -= out.length - from;
            return rows.length === part;
          });
          if (out.length === before) break;
        }
      };
      inTurn(urgent, most);
      inTurn(rest, Math.min(most - out.length, optionalMost));
      return out;
    },

    /** A worker says that it still has these. */
    renew(tx: Tx, ids: readonly string[], owner: string, until: number): void {
      if (ids.length === 0) return;
      tx.db
        .update(deliveries)
        .set({ leaseUntil: until, nextAttemptAt: until })
        .where(and(inArray(deliveries.id, [...ids]), eq(deliveries.owner, owner)))
        .run();
    },

    /** Attempts of deliveries whose worker is gone: nobody knows how far they came. */
    doubt(tx: Tx, ids: readonly string[], now: number): void {
      tx.db
        .update(attempts)
        .set({ outcome: 'uncertain', endedAt: now, diagnostic: 'The service ended while this attempt was under way.' })
        .where(and(inArray(attempts.deliveryId, [...ids]), isNull(attempts.outcome)))
        .run();
    },

    /** The lines in which something waits. */
    lines(from: Reader = reads): string[] {
      return linesThatWait(from)
        .all()
        .map((row) => row.line);
    },

    /** When something is due next or passes its deadline, in milliseconds since the epoch; what closed lines hold is left out. */
    nextDueAt(isClosed: (line: string) => boolean, from: Reader = reads): number | undefined {
      const due = this.lines(from).flatMap((line) => (isClosed(line) ? [] : [nextDueIn(from).get({ line })?.at ?? []].flat()));
      const deadline = nextDeadline(from).get()?.at ?? [];
      const all = [...due, deadline].flat();
      return all.length === 0 ? undefined : Math.min(...all);
    },

    /** Frees what an earlier run of the service had under way; at the start, when nothing is under way. @returns how many */
    recover(tx: Tx, now: number): number {
      const ids = tx.db
        .select({ id: deliveries.id })
        .from(deliveries)
        .where(isNotNull(deliveries.owner))
        .all()
        .map((row) => row.id);
      for (let at = 0; at < ids.length; at += 500) this.doubt(tx, ids.slice(at, at + 500), now);
      tx.db.update(deliveries).set({ leaseUntil: null, owner: null, nextAttemptAt: now }).where(isNotNull(deliveries.owner)).run();
      return ids.length;
    },

    /** Writes how an attempt ended, with the fact that follows. @returns false when the lease was lost: nothing was written */
    endAttempt(
      tx: Tx,
      { id, deliveryId, owner, number }: HeldAttempt,
      end: AttemptEnd,
      fact: NewFact,
      next: { readonly at: number | undefined; readonly avoid: string | undefined },
      recordedAt: number,
    ): boolean {
      const left = { id: deliveryId, owner, number, at: next.at ?? null, avoid: next.avoid ?? null };
      const first = { state: stateOf([fact]), cause: fact.cause ?? null, decidedBy: fact.id };
      const decided = leaveDecided(tx).run({ ...left, ...first, at: isSettled([fact]) ? null : left.at }).changes > 0;
      if (!decided && leave(tx).run(left).changes === 0) return false;
      finish(tx).run({ ...end, id });
      if (!write(tx, fact, recordedAt)) return true;
      if (!decided) decide(tx, fact);
      tellListeners(tx, fact, recordedAt);
      return true;
    },

    /** An attempt came to nothing before anything was sent: it was not made. @param again when to try again; undefined to hold the delivery */
    unmade(tx: Tx, attempt: HeldAttempt, diagnostic: string, again: number | undefined, now: number): void {
      const { id, deliveryId, owner, number } = attempt;
      if (leave(tx).run({ id: deliveryId, owner, number, at: again ?? null, avoid: null }).changes === 0) return;
      tx.db.delete(attempts).where(eq(attempts.id, id)).run();
      tx.db
        .update(deliveries)
        .set({ attempts: number - 1 })
        .where(eq(deliveries.id, deliveryId))
        .run();
      if (again !== undefined) return;
      const fact = { kind: 'delayed', source: 'service', cause: 'system', status: undefined, replyCode: undefined } as const;
      record(tx, { ...fact, id: `held:${id}`, deliveryId, at: now, diagnostic }, now);
    },

    /** A delivery that was held is due again. @returns whether it was held */
    release(tx: Tx, id: string, now: number): boolean {
      return (
        tx.db
          .update(deliveries)
          .set({ nextAttemptAt: now })
          .where(
            and(
              eq(deliveries.id, id),
              isNull(deliveries.owner),
              isNull(deliveries.nextAttemptAt),
              inArray(deliveries.state, ['queued', 'delayed']),
            ),
          )
          .run().changes > 0
      );
    },

    /** Calls back what no worker has yet. @returns whether it was possible */
    cancel(tx: Tx, id: string, now: number): boolean {
      const row = byId(tx).get({ id });
      if (row === undefined || row.nextAttemptAt === null || row.owner !== null) return false;
      record(
        tx,
        {
          id: `canceled:${id}`,
          deliveryId: id,
          kind: 'canceled',
          source: 'service',
          at: now,
          cause: undefined,
          status: undefined,
          replyCode: undefined,
          diagnostic: undefined,
        },
        now,
      );
      return true;
    },

    /** Sets another time for what no worker has yet. */
    reschedule(tx: Tx, id: string, at: number): boolean {
      const row = byId(tx).get({ id });
      if (row === undefined || row.nextAttemptAt === null || row.owner !== null) return false;
      tx.db.update(deliveries).set({ nextAttemptAt: at }).where(eq(deliveries.id, id)).run();
      return true;
    },

    /** What waits, by line and state. */
    queue(now: number, from: Reader = reads): { line: string; state: string; n: number; due: number; oldest: number }[] {
      return from.db
        .select({
          line: deliveries.line,
          state: deliveries.state,
          n: count(),
          due: sql<number>`sum(${deliveries.nextAttemptAt} <= ${now})`,
          oldest: sql<number>`min(${deliveries.createdAt})`,
        })
        .from(deliveries)
        .where(isNotNull(deliveries.nextAttemptAt))
        .groupBy(deliveries.line, deliveries.state)
        .all();
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

    paused(from: Reader = reads): Set<string> {
      return new Set(
        pausedNames(from)
          .all()
          .map((row) => row.name),
      );
    },

    pause(tx: Tx, name: string, paused: boolean): void {
      tx.db.insert(providerStates).values({ name, paused }).onConflictDoUpdate({ target: providerStates.name, set: { paused } }).run();
    },

    record,

    /** Is called with every new fact, within the transaction that writes it. */
    onRecorded(listener: (tx: Tx, fact: NewFact, recordedAt: number) => void): void {
      listeners.push(listener);
    },

    /** Keeps from being sent what must not be; within a transaction. */
    withhold,

    facts(deliveryId: string, from: Reader = reads): (FactRow & Fact)[] {
      return factsOf(from).all({ id: deliveryId }).map(toFact);
    },

    attempts(deliveryId: string, from: Reader = reads): AttemptRow[] {
      return from.db.select().from(attempts).where(eq(attempts.deliveryId, deliveryId)).orderBy(attempts.number).all();
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
