import { stateOf, deciding, isSettled, type Fact } from '@verbalis/core/delivery';
import { and, asc, count, eq, getTableColumns, gte, inArray, isNotNull, isNull, lte, sql } from 'drizzle-orm';
import type { Db } from './database.js';
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
export function deliveryStore(db: Db) {
  const factsOf = db
    .select()
    .from(facts)
    .where(eq(facts.deliveryId, sql.placeholder('id')))
    .orderBy(facts.at, facts.id)
    .prepare();
  const decisive = db
    .select(getTableColumns(facts))
    .from(deliveries)
    .innerJoin(facts, eq(facts.id, deliveries.decidedBy))
    .where(eq(deliveries.id, sql.placeholder('id')))
    .prepare();
  const byId = db
    .select()
    .from(deliveries)
    .where(eq(deliveries.id, sql.placeholder('id')))
    .prepare();
  const leaseOne = db
    .update(deliveries)
    .set({
      leaseUntil: sql`${sql.placeholder('until')}`,
      nextAttemptAt: sql`${sql.placeholder('until')}`,
      owner: sql`${sql.placeholder('owner')}`,
      attempts: sql`${sql.placeholder('number')}`,
    })
    .where(eq(deliveries.id, sql.placeholder('id')))
    .prepare();
  const postpone = db
    .update(deliveries)
    .set({ leaseUntil: null, owner: null, nextAttemptAt: sql`${sql.placeholder('at')}` })
    .where(eq(deliveries.id, sql.placeholder('id')))
    .prepare();
  const begin = db
    .insert(attempts)
    .values({
      id: sql.placeholder('id'),
      deliveryId: sql.placeholder('deliveryId'),
      number: sql.placeholder('number'),
      provider: sql.placeholder('provider'),
      startedAt: sql.placeholder('startedAt'),
    })
    .prepare();
  const finish = db
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
    .prepare();
  const leave = db
    .update(deliveries)
    .set({ leaseUntil: null, owner: null, nextAttemptAt: sql`${sql.placeholder('at')}`, avoid: sql`${sql.placeholder('avoid')}` })
    .where(eq(deliveries.id, sql.placeholder('id')))
    .prepare();
  /** The first word of a delivery: the attempt's end and what follows from it in one, since most have no other. */
  const leaveDecided = db
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
    .where(and(eq(deliveries.id, sql.placeholder('id')), isNull(deliveries.decidedBy)))
    .prepare();
  const insertFact = db
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
    .prepare();
  const setState = db
    .update(deliveries)
    .set({
      state: sql`${sql.placeholder('state')}`,
      cause: sql`${sql.placeholder('cause')}`,
      decidedBy: sql`${sql.placeholder('decidedBy')}`,
    })
    .where(eq(deliveries.id, sql.placeholder('id')))
    .prepare();
  const settle = db
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
    .prepare();
  const dueIn = db
    .select()
    .from(deliveries)
    .where(and(eq(deliveries.line, sql.placeholder('line')), lte(deliveries.nextAttemptAt, sql.placeholder('now'))))
    .orderBy(asc(deliveries.nextAttemptAt), asc(deliveries.id))
    .limit(sql.placeholder('most'))
    .prepare();
  const nextDueIn = db
    .select({ at: sql<number | null>`min(${deliveries.nextAttemptAt})` })
    .from(deliveries)
    .where(and(eq(deliveries.line, sql.placeholder('line')), isNotNull(deliveries.nextAttemptAt)))
    .prepare();
  const nextDeadline = db
    .select({ at: sql<number | null>`min(${deliveries.expiresAt})` })
    .from(deliveries)
    .where(CAN_EXPIRE)
    .prepare();
  const pausedNames = db.select({ name: providerStates.name }).from(providerStates).where(eq(providerStates.paused, true)).prepare();
  const overdue = db
    .select()
    .from(deliveries)
    .where(and(CAN_EXPIRE, lte(deliveries.expiresAt, sql.placeholder('now'))))
    .limit(EXPIRED_AT_ONCE)
    .prepare();
  // Each step jumps to the next line in the index: the cost is by line, not by delivery.
  const linesThatWait = db
    .select({ line: sql<string>`line` })
    .from(
      sql`(with recursive l(line) as (
        select min(line) from deliveries where next_attempt_at is not null
        union all
        select (select min(line) from deliveries where next_attempt_at is not null and line > l.line) from l where l.line is not null
      ) select line from l where line is not null)`,
    )
    .prepare();

  // A fact is public at once: its event stands in the same transaction.
  const insertEvent = db
    .insert(events)
    .values({
      id: sql.placeholder('id'),
      space: sql`(select ${deliveries.space} from ${deliveries} where ${deliveries.id} = ${sql.placeholder('deliveryId')})`,
      kind: sql.placeholder('kind'),
      deliveryId: sql.placeholder('deliveryId'),
      at: sql.placeholder('at'),
      recordedAt: sql.placeholder('recordedAt'),
    })
    .prepare();

  const listeners: ((fact: NewFact, recordedAt: number) => void)[] = [];

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
  function write(fact: NewFact, recordedAt: number): boolean {
    const { id, deliveryId, kind, source, at, cause, status, replyCode, diagnostic, returnId } = fact;
    const inserted = insertFact.run({
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
    insertEvent.run({ id, kind, deliveryId, at, recordedAt });
    return true;
  }

  /** A state is that of the highest fact, so the highest so far and the new one tell it: the cost does not grow with the facts. */
  function decide(fact: NewFact): void {
    const before = decisive.get({ id: fact.deliveryId });
    const two = [...(before === undefined ? [] : [toFact(before)]), fact];
    const winner = deciding(two);
    // A fact that decides nothing leaves the row as it is.
    if (winner?.id !== fact.id) return;
    const row = { id: fact.deliveryId, state: stateOf(two), cause: winner.cause ?? null, decidedBy: winner.id };
    (isSettled(two) ? settle : setState).run(row);
  }

  function tellListeners(fact: NewFact, recordedAt: number): void {
    for (const listener of listeners) listener(fact, recordedAt);
  }

  /**
   * Records a fact and sets the delivery's state from all its facts. The same fact again changes nothing.
   * @returns whether it was new
   */
  function record(fact: NewFact, recordedAt: number): boolean {
    if (!write(fact, recordedAt)) return false;
    decide(fact);
    tellListeners(fact, recordedAt);
    return true;
  }

  const withhold = (row: Pick<DeliveryRow, 'id'>, reason: string, now: number): void => {
    record(
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
    postpone.run({ id: row.id, at: null });
  };
  const expire = (row: DeliveryRow, now: number): void => {
    record(
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
    postpone.run({ id: row.id, at: null });
  };

  return {
    find(id: string): DeliveryRow | undefined {
      return byId.get({ id });
    },

    /**
     * Takes due deliveries, urgent lines first, the others in turn. For each, `decide` names the provider or a later time; its attempt is
     * written before anything is sent, so that a crash leaves a trace. A line whose providers are all closed is left as it is: its rows
     * are not touched however many they are. What has passed its deadline ends here, whichever line it stands in. To be called within a
     * transaction.
     */
    claim(wanted: ClaimOptions, isClosed: (line: string) => boolean, decide: (row: DeliveryRow) => Decision): Claimed[] {
      const { now, most, leaseMs, owner, optionalMost } = wanted;
      const out: Claimed[] = [];
      for (const row of overdue.all({ now })) expire(row, now);
      const lines = this.lines().filter((line) => !isClosed(line));
      const urgent = lines.filter((line) => line.startsWith('0'));
      const rest = lines.filter((line) => !line.startsWith('0'));
      const one = (row: DeliveryRow): void => {
        // A lease that has run out: whoever had it is gone, and what came of its attempt is not known.
        if (row.leaseUntil !== null) this.doubt([row.id], now);
        if (row.expiresAt !== null && row.expiresAt <= now) {
          expire(row, now);
          return;
        }
        const decision = decide(row);
        if ('withhold' in decision) {
          withhold(row, decision.withhold, now);
          return;
        }
        if ('waitUntil' in decision) {
          postpone.run({ id: row.id, at: Math.max(now + 1, Math.min(decision.waitUntil, row.expiresAt ?? decision.waitUntil)) });
          return;
        }
        const number = row.attempts + 1;
        leaseOne.run({ id: row.id, until: now + leaseMs, owner, number });
        begin.run({ id: decision.attemptId, deliveryId: row.id, number, provider: decision.provider, startedAt: now });
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
            const rows = dueIn.all({ line, now, most: Math.min(part, left) });
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
    renew(ids: readonly string[], owner: string, until: number): void {
      if (ids.length === 0) return;
      db.update(deliveries)
        .set({ leaseUntil: until, nextAttemptAt: until })
        .where(and(inArray(deliveries.id, [...ids]), eq(deliveries.owner, owner)))
        .run();
    },

    /** Attempts of deliveries whose worker is gone: nobody knows how far they came. */
    doubt(ids: readonly string[], now: number): void {
      db.update(attempts)
        .set({ outcome: 'uncertain', endedAt: now, diagnostic: 'The service ended while this attempt was under way.' })
        .where(and(inArray(attempts.deliveryId, [...ids]), isNull(attempts.outcome)))
        .run();
    },

    /** The lines in which something waits. */
    lines(): string[] {
      return linesThatWait.all().map((row) => row.line);
    },

    /** When something is due next or passes its deadline, in milliseconds since the epoch; what closed lines hold is left out. */
    nextDueAt(isClosed: (line: string) => boolean): number | undefined {
      const due = this.lines().flatMap((line) => (isClosed(line) ? [] : [nextDueIn.get({ line })?.at ?? []].flat()));
      const deadline = nextDeadline.get()?.at ?? [];
      const all = [...due, deadline].flat();
      return all.length === 0 ? undefined : Math.min(...all);
    },

    /** Frees what a worker had that is gone; all of it at the start, when no worker runs. @returns how many */
    recover(now: number, owner?: string): number {
      return db.transaction(
        () => {
          const found = owner === undefined ? isNotNull(deliveries.owner) : eq(deliveries.owner, owner);
          const ids = db
            .select({ id: deliveries.id })
            .from(deliveries)
            .where(found)
            .all()
            .map((row) => row.id);
          for (let at = 0; at < ids.length; at += 500) this.doubt(ids.slice(at, at + 500), now);
          db.update(deliveries).set({ leaseUntil: null, owner: null, nextAttemptAt: now }).where(found).run();
          return ids.length;
        },
        { behavior: 'immediate' },
      );
    },

    /** Writes how an attempt ended, with the fact that follows; to be called within a transaction. */
    endAttempt(
      id: string,
      end: AttemptEnd,
      fact: NewFact,
      next: { readonly at: number | undefined; readonly avoid: string | undefined },
      recordedAt: number,
    ): void {
      finish.run({ ...end, id });
      const isNew = write(fact, recordedAt);
      const left = { id: fact.deliveryId, at: next.at ?? null, avoid: next.avoid ?? null };
      const first = { state: stateOf([fact]), cause: fact.cause ?? null, decidedBy: fact.id };
      const decided = isNew && leaveDecided.run({ ...left, ...first, at: isSettled([fact]) ? null : left.at }).changes > 0;
      if (!decided) leave.run(left);
      if (!isNew) return;
      if (!decided) decide(fact);
      tellListeners(fact, recordedAt);
    },

    /** Calls back what no worker has yet. @returns whether it was possible */
    cancel(id: string, now: number): boolean {
      const row = byId.get({ id });
      if (row === undefined || row.nextAttemptAt === null || row.owner !== null) return false;
      record(
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
    reschedule(id: string, at: number): boolean {
      const row = byId.get({ id });
      if (row === undefined || row.nextAttemptAt === null || row.owner !== null) return false;
      db.update(deliveries).set({ nextAttemptAt: at }).where(eq(deliveries.id, id)).run();
      return true;
    },

    /** What waits, by line and state. */
    queue(now: number): { line: string; state: string; n: number; due: number; oldest: number }[] {
      return db
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
    outcomes(since: number): { provider: string; outcome: string | null; n: number }[] {
      return db
        .select({ provider: attempts.provider, outcome: attempts.outcome, n: count() })
        .from(attempts)
        .where(gte(attempts.id, idSince('a', since)))
        .groupBy(attempts.provider, attempts.outcome)
        .all();
    },

    paused(): Set<string> {
      return new Set(pausedNames.all().map((row) => row.name));
    },

    pause(name: string, paused: boolean): void {
      db.insert(providerStates).values({ name, paused }).onConflictDoUpdate({ target: providerStates.name, set: { paused } }).run();
    },

    record,

    /** Is called with every new fact, within the transaction that writes it. */
    onRecorded(listener: (fact: NewFact, recordedAt: number) => void): void {
      listeners.push(listener);
    },

    /** Keeps from being sent what must not be; within a transaction. */
    withhold,

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
