import { claimInOrder } from '@verbalis/core/delivery';
import { and, eq, inArray, isNotNull, isNull } from 'drizzle-orm';
import { type Reader, type Tx } from '../../kernel/index.js';
import type { AttemptStore } from './attempts.js';
import { claimStatements } from './claim-statements.js';
import { ownFact, type FactStore } from './facts.js';
import type { DeliveryRow } from './tables.js';
import { deliveries } from './tables.js';

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

/** What is done with a due delivery: handed to a provider, or deferred. */
export type Decision =
  | { readonly provider: string; readonly attemptId: string }
  | { readonly waitUntil: number }
  /** It must not be sent any more: why, in a sentence. */
  | { readonly withhold: string };

type Decide = (row: DeliveryRow) => Decision;

export interface Claimed {
  readonly delivery: DeliveryRow;
  readonly number: number;
  readonly attemptId: string;
  readonly provider: string;
}

/** A delivery that is due, and when it is seen. */
interface Due {
  readonly row: DeliveryRow;
  readonly now: number;
}

/** Claims: which deliveries are due, and who has which. */
export function claimStore(reads: Reader, facts: FactStore, attempts: AttemptStore) {
  const statements = claimStatements();
  const hold = (tx: Tx, id: string): void => {
    statements.postpone(tx).run({ id, at: null });
  };

  /** Keeps from being sent what must not be; within a transaction. */
  function withhold(tx: Tx, row: Pick<DeliveryRow, 'id'>, reason: string, now: number): void {
    const fact = { id: `withheld:${row.id}`, deliveryId: row.id, kind: 'withheld', at: now, diagnostic: reason } as const;
    facts.record(tx, ownFact(fact), now);
    hold(tx, row.id);
  }

  function expire(tx: Tx, row: DeliveryRow, now: number): void {
    const diagnostic = 'Its deadline passed before a provider accepted it.';
    facts.record(tx, ownFact({ id: `expired:${row.id}`, deliveryId: row.id, kind: 'expired', at: now, cause: 'expired', diagnostic }), now);
    hold(tx, row.id);
  }

  const waiting = (from: Reader): string[] =>
    statements
      .keysThatWait(from)
      .all()
      .map((row) => row.fairnessKey);

  /** Follows what is decided for one due delivery. @returns the claim, where it is to be attempted now */
  function follow(tx: Tx, { row, now }: Due, { leaseMs, owner, isUnderWay }: ClaimOptions, decide: Decide): Claimed | undefined {
    const { id } = row;
    if (isUnderWay(id)) {
      statements.renewOne(tx).run({ id, until: now + leaseMs });
      return undefined;
    }
    // A lease that has run out: whoever had it is gone, and how its attempt ended is not known.
    if (row.leaseUntil !== null) attempts.doubt(tx, [id], now);
    if (row.expiresAt !== null && row.expiresAt <= now) {
      expire(tx, row, now);
      return undefined;
    }
    const decision = decide(row);
    if ('withhold' in decision) {
      withhold(tx, row, decision.withhold, now);
      return undefined;
    }
    if ('waitUntil' in decision) {
      const at = Math.max(now + 1, Math.min(decision.waitUntil, row.expiresAt ?? decision.waitUntil));
      statements.postpone(tx).run({ id, at });
      return undefined;
    }
    const { attemptId, provider } = decision;
    const number = row.attempts + 1;
    statements.leaseOne(tx).run({ id, until: now + leaseMs, owner, number });
    attempts.begin(tx, { id: attemptId, deliveryId: id, number, provider, startedAt: now });
    return { delivery: row, number, attemptId, provider };
  }

  return {
    withhold,

    /**
     * Claims due deliveries, urgent fairness keys first, the others in turn. For each, `decide` names the provider or a later time; its
     * attempt is written before anything is sent, so that a crash leaves a trace. A key whose providers are all closed is left as it is:
     * its rows are not touched however many they are. What has passed its deadline ends here, whatever its key. Within a transaction.
     */
    claim(tx: Tx, options: ClaimOptions, isClosed: (key: string) => boolean, decide: Decide): Claimed[] {
      const { now, most, optionalMost } = options;
      const claimed: Claimed[] = [];
      for (const row of statements.overdue(tx).all({ now })) expire(tx, row, now);
      const open = waiting(tx).filter((key) => !isClosed(key));
      claimInOrder(open, { all: most, optional: optionalMost }, (key, part) => {
        const rows = statements.dueIn(tx).all({ fairnessKey: key, now, most: part });
        const before = claimed.length;
        for (const row of rows) {
          const claim = follow(tx, { row, now }, options, decide);
          if (claim !== undefined) claimed.push(claim);
        }
        return { used: claimed.length - before, hasMore: rows.length === part };
      });
      return claimed;
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

    /** The fairness keys under which something waits. */
    fairnessKeys(from: Reader = reads): string[] {
      return waiting(from);
    },

    /** When something is due next or passes its deadline, in milliseconds since the epoch; what closed keys hold is left out. */
    nextDueAt(isClosed: (key: string) => boolean, from: Reader = reads): number | undefined {
      const due = waiting(from).flatMap((key) =>
        isClosed(key) ? [] : [statements.nextDueIn(from).get({ fairnessKey: key })?.at ?? []].flat(),
      );
      const deadline = statements.nextDeadline(from).get()?.at ?? [];
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
      for (let at = 0; at < ids.length; at += 500) attempts.doubt(tx, ids.slice(at, at + 500), now);
      tx.db.update(deliveries).set({ leaseUntil: null, owner: null, nextAttemptAt: now }).where(isNotNull(deliveries.owner)).run();
      return ids.length;
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

    /** Cancels what no worker has yet. @returns whether it was possible */
    cancel(tx: Tx, id: string, now: number): boolean {
      const row = statements.byId(tx).get({ id });
      if (row === undefined || row.nextAttemptAt === null || row.owner !== null) return false;
      facts.record(tx, ownFact({ id: `canceled:${id}`, deliveryId: id, kind: 'canceled', at: now }), now);
      return true;
    },

    /** Sets another time for what no worker has yet. */
    reschedule(tx: Tx, id: string, at: number): boolean {
      const row = statements.byId(tx).get({ id });
      if (row === undefined || row.nextAttemptAt === null || row.owner !== null) return false;
      tx.db.update(deliveries).set({ nextAttemptAt: at }).where(eq(deliveries.id, id)).run();
      return true;
    },
  };
}
