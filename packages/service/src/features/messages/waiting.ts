import type { Cause, Waiting, WaitingView } from '@verbalis/core/delivery';
import { and, eq, gt, inArray, isNotNull, isNull, max, ne, or, sql } from 'drizzle-orm';
import { idTime, type ClockJump, type Kernel, type Reader, type Tx } from '../../kernel/index.js';
import type { AttemptStore } from './attempts.js';
import type { DueReports } from './due-reports.js';
import { ownFact, type FactStore } from './facts.js';
import type { DeliveryRow } from './tables.js';
import { attempts as attemptsTable, deliveries, messages } from './tables.js';
import { waitingStatements } from './waiting-statements.js';

/** A delivery that waits, as far as its order and the choice of a provider look at it. */
export type WaitingDelivery = Waiting &
  Pick<DeliveryRow, 'address' | 'fairnessKey' | 'senderDomain' | 'avoid' | 'unfit' | 'unsettled' | 'unsettledAt'>;

/** Deliveries of one line that are given up in one transaction. */
const EXPIRED_AT_ONCE = 200;
/** Waits that are moved in one transaction. */
const MOVED_AT_ONCE = 500;

/** Deliveries that wait for an attempt: what is due, and what is decided about it without one. */
export function waitingStore(reads: Reader, facts: FactStore, attempts: AttemptStore, due: DueReports) {
  const statements = waitingStatements();
  const isFree = (row: DeliveryRow | undefined): row is DeliveryRow =>
    row !== undefined && (row.nextAttemptAt ?? row.heldFrom) !== null && row.owner === null;

  function expire(tx: Tx, id: string, diagnostic: string, now: number): void {
    facts.record(tx, ownFact({ id: `expired:${id}`, deliveryId: id, kind: 'expired', at: now, cause: 'expired', diagnostic }), now);
    stopWaiting(tx, id);
  }

  function stopWaiting(tx: Tx, id: string): void {
    statements.postpone(tx).run({ id, at: null });
  }

  return {
    /** What is due at a date, in order. */
    waiting(now: number, from: Reader = reads): WaitingView<WaitingDelivery> {
      return {
        lines: () =>
          statements
            .lines(from)
            .all()
            .map((row) => row.fairnessKey),
        dueAfter: (fairnessKey, after, most) =>
          after === undefined
            ? statements.dueIn(from).all({ fairnessKey, now, most })
            : statements.dueAfter(from).all({ fairnessKey, now, most, at: after.at, id: after.id }),
        dueTo: (fairnessKey, domain, most) => statements.dueTo(from).all({ fairnessKey, domain, now, most }),
      };
    },

    /** When something more becomes due in one of these lines, or passes its deadline, in milliseconds since the epoch. */
    nextDueAt(lines: readonly string[], now: number, from: Reader = reads): number | undefined {
      const due = lines.flatMap((fairnessKey) => statements.nextIn(from).get({ fairnessKey, now })?.at ?? []);
      const all = [...due, ...[statements.nextDeadline(from).get()?.at ?? []].flat()];
      return all.length === 0 ? undefined : Math.min(...all);
    },

    /** Whether something has passed its deadline. */
    hasOverdue(now: number, from: Reader = reads): boolean {
      return (statements.nextDeadline(from).get()?.at ?? Number.POSITIVE_INFINITY) <= now;
    },

    /** Ends what has passed its deadline, but for what is under way. @returns how many */
    expireOverdue(tx: Tx, now: number, isUnderWay: (id: string) => boolean): number {
      const rows = statements
        .overdue(tx)
        .all({ now })
        .filter((row) => !isUnderWay(row.id));
      for (const { id } of rows) expire(tx, id, 'Its deadline passed before a provider accepted it.', now);
      return rows.length;
    },

    /** Ends what has been due since before a date and was accepted by no provider. @returns how many */
    expireWaiting(tx: Tx, since: number, now: number, isUnderWay: (id: string) => boolean): number {
      const lines = statements.lines(tx).all();
      const rows = lines
        .flatMap(({ fairnessKey }) => statements.dueIn(tx).all({ fairnessKey, now: since, most: EXPIRED_AT_ONCE }))
        .filter((row) => !isUnderWay(row.id));
      const hours = Math.round((now - since) / 3_600_000);
      for (const { id } of rows) expire(tx, id, `It has been due for ${hours} hours, and no provider accepted it.`, now);
      return rows.length;
    },

    /** Keeps from being sent what must not be; within a transaction. */
    withhold(
      tx: Tx,
      { id }: Pick<DeliveryRow, 'id'>,
      why: { readonly reason: string; readonly cause?: Cause | undefined },
      now: number,
    ): void {
      const { reason: diagnostic, cause } = why;
      facts.record(tx, ownFact({ id: `withheld:${id}`, deliveryId: id, kind: 'withheld', at: now, diagnostic, cause }), now);
      stopWaiting(tx, id);
    },

    /** Frees what an earlier run of the service had begun; at the start, when nothing is under way. @returns how many */
    recover(tx: Tx, now: number): number {
      const ids = tx.db
        .select({ id: deliveries.id })
        .from(deliveries)
        .where(isNotNull(deliveries.owner))
        .all()
        .map((row) => row.id);
      for (let at = 0; at < ids.length; at += 500) attempts.doubt(tx, ids.slice(at, at + 500), now);
      tx.db.update(deliveries).set({ owner: null, nextAttemptAt: now }).where(isNotNull(deliveries.owner)).run();
      return ids.length;
    },

    /** A delivery that was suspended is due again. @returns whether it was */
    release(tx: Tx, id: string, now: number): boolean {
      const row = statements.byId(tx).get({ id });
      const isReleased =
        tx.db
          .update(deliveries)
          .set({ nextAttemptAt: now })
          .where(
            and(
              eq(deliveries.id, id),
              isNull(deliveries.owner),
              isNull(deliveries.nextAttemptAt),
              isNull(deliveries.heldBy),
              inArray(deliveries.state, ['queued', 'delayed']),
            ),
          )
          .run().changes > 0;
      if (isReleased && row !== undefined) due.report(tx, row.fairnessKey, now);
      return isReleased;
    },

    /** Cancels what has not begun yet. @returns whether it was possible */
    cancel(tx: Tx, id: string, now: number): boolean {
      const row = statements.byId(tx).get({ id });
      if (!isFree(row)) return false;
      facts.record(tx, ownFact({ id: `canceled:${id}`, deliveryId: id, kind: 'canceled', at: now }), now);
      return true;
    },

    /** Sets another time for what has not begun yet. @returns whether it was possible */
    reschedule(tx: Tx, id: string, at: number): boolean {
      const row = statements.byId(tx).get({ id });
      if (!isFree(row)) return false;
      const set = row.heldBy === null ? { nextAttemptAt: at, notBefore: at } : { heldFrom: at, notBefore: at };
      tx.db.update(deliveries).set(set).where(eq(deliveries.id, id)).run();
      if (row.heldBy === null) due.report(tx, row.fairnessKey, at);
      return true;
    },

    /** When the newest message or attempt was made, by its own date; undefined where there is none. */
    newestRecord(from: Reader = reads): number | undefined {
      const ids = [
        from.db
          .select({ id: max(messages.id) })
          .from(messages)
          .get()?.id,
        from.db
          .select({ id: max(attemptsTable.id) })
          .from(attemptsTable)
          .get()?.id,
      ];
      const times = ids.flatMap((id) => (typeof id === 'string' ? [idTime(id)] : []));
      return times.length === 0 ? undefined : Math.max(...times);
    },

    /**
     * The clock was set back: what waits for a while goes on waiting for as long as it would have; what waits for a date of the app's waits for
     * that date. In several transactions, so that each is short. @returns how many were moved
     */
    async moveWaits({ from: before, to }: ClockJump, write: Kernel['write'], from: Reader = reads): Promise<number> {
      const by = before - to;
      if (by <= 0) return 0;
      const ids = from.db
        .select({ id: deliveries.id })
        .from(deliveries)
        .where(and(gt(deliveries.nextAttemptAt, to), or(isNull(deliveries.notBefore), ne(deliveries.nextAttemptAt, deliveries.notBefore))))
        .all()
        .map((row) => row.id);
      for (let at = 0; at < ids.length; at += MOVED_AT_ONCE) {
        await write((tx) => {
          tx.db
            .update(deliveries)
            .set({ nextAttemptAt: sql`max(${deliveries.nextAttemptAt} - ${by}, coalesce(${deliveries.notBefore}, 0))` })
            .where(and(inArray(deliveries.id, ids.slice(at, at + MOVED_AT_ONCE)), gt(deliveries.nextAttemptAt, to)))
            .run();
        });
      }
      return ids.length;
    },

    /** Is called when something becomes due, once it is on the disk. */
    onDue: due.listen,
  };
}
