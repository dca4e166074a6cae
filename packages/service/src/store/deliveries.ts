import { stateOf, deciding, isSettled, type Fact } from '@verbalis/core/delivery';
import { and, asc, count, eq, gte, inArray, isNotNull, isNull, lte, sql } from 'drizzle-orm';
import type { Db } from './database.js';
import type { DeliveryRow } from './messages.js';
import { attempts, deliveries, facts, providerStates } from './schema.js';

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
export type Decision = { readonly provider: string; readonly attemptId: string } | { readonly waitUntil: number };

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
  const dueIn = db
    .select()
    .from(deliveries)
    .where(and(eq(deliveries.lane, sql.placeholder('lane')), lte(deliveries.nextAttemptAt, sql.placeholder('now'))))
    .orderBy(asc(deliveries.nextAttemptAt), asc(deliveries.id))
    .limit(sql.placeholder('most'))
    .prepare();
  const nextDue = db
    .select({ at: sql<number | null>`min(${deliveries.nextAttemptAt})` })
    .from(deliveries)
    .where(isNotNull(deliveries.nextAttemptAt))
    .prepare();
  // Each step jumps to the next lane in the index: the cost is by lane, not by delivery.
  const LANES = sql`with recursive l(lane) as (
    select min(lane) from deliveries where next_attempt_at is not null
    union all
    select (select min(lane) from deliveries where next_attempt_at is not null and lane > l.lane) from l where l.lane is not null
  ) select lane from l where lane is not null`;

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

    /**
     * Takes due deliveries, urgent lanes first, the others in turn. For each, `decide` names the provider or a later time; its attempt is
     * written before anything is sent, so that a crash leaves a trace. One transaction.
     */
    claim(wanted: ClaimOptions, decide: (row: DeliveryRow) => Decision): Claimed[] {
      const { now, most, leaseMs, owner, optionalMost } = wanted;
      return db.transaction(
        () => {
          const out: Claimed[] = [];
          const lanes = db.all<{ lane: string }>(LANES).map((row) => row.lane);
          const urgent = lanes.filter((lane) => lane.startsWith('0'));
          const rest = lanes.filter((lane) => !lane.startsWith('0'));
          const one = (row: DeliveryRow): void => {
            // A lease that has run out: whoever had it is gone, and what came of its attempt is not known.
            if (row.leaseUntil !== null) this.doubt([row.id], now);
            if (row.expiresAt !== null && row.expiresAt <= now) {
              this.record(
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
              return;
            }
            const decision = decide(row);
            if ('waitUntil' in decision) {
              postpone.run({ id: row.id, at: Math.max(now + 1, Math.min(decision.waitUntil, row.expiresAt ?? decision.waitUntil)) });
              return;
            }
            const number = row.attempts + 1;
            leaseOne.run({ id: row.id, until: now + leaseMs, owner, number });
            begin.run({ id: decision.attemptId, deliveryId: row.id, number, provider: decision.provider, startedAt: now });
            out.push({ delivery: row, number, attemptId: decision.attemptId, provider: decision.provider });
          };
          // In turn: every lane that waits gets its part of what is left.
          const inTurn = (group: readonly string[], slots: number): void => {
            let left = slots;
            let waiting = group;
            while (left > 0 && waiting.length > 0) {
              const part = Math.max(1, Math.floor(left / waiting.length));
              const before = out.length;
              waiting = waiting.filter((lane) => {
                if (left <= 0) return false;
                const rows = dueIn.all({ lane, now, most: Math.min(part, left) });
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
        { behavior: 'immediate' },
      );
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

    /** When something is due next, in milliseconds since the epoch. */
    nextDueAt(): number | undefined {
      return nextDue.get()?.at ?? undefined;
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
      db.update(attempts).set(end).where(eq(attempts.id, id)).run();
      db.update(deliveries)
        .set({ leaseUntil: null, owner: null, nextAttemptAt: next.at ?? null, avoid: next.avoid ?? null })
        .where(eq(deliveries.id, fact.deliveryId))
        .run();
      this.record(fact, recordedAt);
    },

    /** Calls back what no worker has yet. @returns whether it was possible */
    cancel(id: string, now: number): boolean {
      const row = byId.get({ id });
      if (row === undefined || row.nextAttemptAt === null || row.owner !== null) return false;
      this.record(
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

    /** What waits, by lane and state. */
    queue(now: number): { lane: string; state: string; n: number; due: number; oldest: number }[] {
      return db
        .select({
          lane: deliveries.lane,
          state: deliveries.state,
          n: count(),
          due: sql<number>`sum(${deliveries.nextAttemptAt} <= ${now})`,
          oldest: sql<number>`min(${deliveries.createdAt})`,
        })
        .from(deliveries)
        .where(isNotNull(deliveries.nextAttemptAt))
        .groupBy(deliveries.lane, deliveries.state)
        .all();
    },

    /** Attempts by provider and outcome since a time. */
    outcomes(since: number): { provider: string; outcome: string | null; n: number }[] {
      return db
        .select({ provider: attempts.provider, outcome: attempts.outcome, n: count() })
        .from(attempts)
        .where(gte(attempts.startedAt, since))
        .groupBy(attempts.provider, attempts.outcome)
        .all();
    },

    paused(): Set<string> {
      return new Set(
        db
          .select()
          .from(providerStates)
          .where(eq(providerStates.paused, true))
          .all()
          .map((row) => row.name),
      );
    },

    pause(name: string, paused: boolean): void {
      db.insert(providerStates).values({ name, paused }).onConflictDoUpdate({ target: providerStates.name, set: { paused } }).run();
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
        .set({
          state: stateOf(all),
          cause: deciding(all)?.cause ?? null,
          ...(settled ? { nextAttemptAt: null, leaseUntil: null, owner: null } : {}),
        })
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
