import type { Head } from '@verbalis/core/events';
import { and, asc, count, desc, eq, gt, inArray, lt, min, sql } from 'drizzle-orm';
import { placeholders, reading, writing, type Reader, type Tx } from '../../kernel/index.js';
import { notifications, subscriptions } from './tables.js';

export type SubscriptionRow = typeof subscriptions.$inferSelect;
export type NotificationRow = typeof notifications.$inferSelect;

/** What comes first under an order key. */
export interface StoredHead extends Head {
  /** How long it was to wait after its last try, in milliseconds; 0 where it only waits for others. */
  readonly waitMs: number;
}

const storedHead = (row: Pick<NotificationRow, 'nextAt' | 'lastAt' | 'attempts'>, seq: number): StoredHead => ({
  seq,
  dueAt: row.nextAt ?? 0,
  attempts: row.attempts,
  waitMs: Math.max(0, (row.nextAt ?? 0) - (row.lastAt ?? row.nextAt ?? 0)),
});

/** Subscriptions, and the notifications that were tried. */
export function subscriptionStore(reads: Reader) {
  const write = writing((db) =>
    db
      .insert(notifications)
      .values(placeholders(notifications))
      .onConflictDoUpdate({
        target: [notifications.subscriptionId, notifications.seq],
        set: {
          state: sql`excluded.state`,
          attempts: sql`excluded.attempts`,
          nextAt: sql`excluded.next_at`,
          lastAt: sql`excluded.last_at`,
          status: sql`excluded.status`,
          problem: sql`excluded.problem`,
          milliseconds: sql`excluded.milliseconds`,
        },
      })
      .prepare(),
  );
  const head = reading((db) =>
    db
      .select({
        seq: notifications.seq,
        nextAt: notifications.nextAt,
        lastAt: notifications.lastAt,
        attempts: notifications.attempts,
      })
      .from(notifications)
      .where(
        and(
          eq(notifications.subscriptionId, sql.placeholder('id')),
          eq(notifications.orderKey, sql.placeholder('key')),
          // As the index says it: a value that is bound could be another.
          sql`${notifications.state} = 'waiting'`,
        ),
      )
      .orderBy(asc(notifications.seq))
      .limit(1)
      .prepare(),
  );
  const isWaiting = (id: string) => and(eq(notifications.subscriptionId, id), sql`${notifications.state} = 'waiting'`);

  return {
    add(tx: Tx, row: SubscriptionRow): void {
      tx.db.insert(subscriptions).values(row).run();
    },
    all(from: Reader = reads): SubscriptionRow[] {
      return from.db.select().from(subscriptions).orderBy(asc(subscriptions.id)).all();
    },
    list(space: string, from: Reader = reads): SubscriptionRow[] {
      return from.db.select().from(subscriptions).where(eq(subscriptions.space, space)).orderBy(asc(subscriptions.id)).all();
    },
    find(space: string, id: string, from: Reader = reads): SubscriptionRow | undefined {
      const row = from.db.select().from(subscriptions).where(eq(subscriptions.id, id)).get();
      return row?.space === space ? row : undefined;
    },
    change(tx: Tx, id: string, set: Partial<Omit<SubscriptionRow, 'id' | 'space'>>): void {
      tx.db.update(subscriptions).set(set).where(eq(subscriptions.id, id)).run();
    },
    remove(tx: Tx, id: string): void {
      tx.db.delete(notifications).where(eq(notifications.subscriptionId, id)).run();
      tx.db.delete(subscriptions).where(eq(subscriptions.id, id)).run();
    },

    /** Writes how a notification stands; within a transaction. */
    note(tx: Tx, row: NotificationRow): void {
      write(tx).run({ ...row });
    },
    notification(id: string, seq: number, from: Reader = reads): NotificationRow | undefined {
      return from.db
        .select()
        .from(notifications)
        .where(and(eq(notifications.subscriptionId, id), eq(notifications.seq, seq)))
        .get();
    },
    /** Newest first. */
    notifications(
      id: string,
      { limit, before, state }: { limit: number; before?: number | undefined; state?: NotificationRow['state'] | undefined },
      from: Reader = reads,
    ): NotificationRow[] {
      const found = [eq(notifications.subscriptionId, id)];
      if (before !== undefined) found.push(lt(notifications.seq, before));
      if (state !== undefined) found.push(eq(notifications.state, state));
      return from.db
        .select()
        .from(notifications)
        .where(and(...found))
        .orderBy(desc(notifications.seq))
        .limit(limit)
        .all();
    },
    /** For each order key under which something waits, the first that does. */
    heads(id: string, from: Reader = reads): Map<string, StoredHead> {
      // SQLite takes the other columns from the row with the least seq (Quirks, "bare columns").
      const rows = from.db
        .select({
          key: notifications.orderKey,
          seq: min(notifications.seq),
          nextAt: notifications.nextAt,
          lastAt: notifications.lastAt,
          attempts: notifications.attempts,
        })
        .from(notifications)
        .where(isWaiting(id))
        .groupBy(notifications.orderKey)
        .all();
      return new Map(rows.map((row) => [row.key, storedHead(row, row.seq ?? 0)]));
    },
    /** What waits first under an order key. */
    head(id: string, key: string, from: Reader = reads): StoredHead | undefined {
      const row = head(from).get({ id, key });
      return row === undefined ? undefined : storedHead(row, row.seq);
    },
    /**
     * Waits that lie ahead because the clock was set back: each goes on for as long as it was meant to. @returns how many were moved
     */
    moveWaits(tx: Tx, now: number): number {
      const { nextAt, lastAt } = notifications;
      return tx.db
        .update(notifications)
        .set({ nextAt: sql`case when ${lastAt} is null then ${now} else ${now} + max(0, ${nextAt} - ${lastAt}) end` })
        .where(and(sql`${notifications.state} = 'waiting'`, gt(nextAt, now), gt(sql`coalesce(${lastAt}, ${nextAt})`, now)))
        .run().changes;
    },
    counts(id: string, from: Reader = reads): Record<NotificationRow['state'], number> {
      const rows = from.db
        .select({ state: notifications.state, n: count() })
        .from(notifications)
        .where(eq(notifications.subscriptionId, id))
        .groupBy(notifications.state)
        .all();
      return { waiting: 0, delivered: 0, 'dead-letter': 0, ...Object.fromEntries(rows.map((row) => [row.state, row.n])) };
    },
    /** Makes dead letters (some or all) wait for another try; within a transaction. @returns how many */
    again(tx: Tx, id: string, seqs: readonly number[] | undefined, now: number): number {
      return (
        tx.db
          .update(notifications)
          // Its wait counts from the last try and is zero, so it is due even after the clock is set.
          .set({ state: 'waiting', nextAt: sql`coalesce(${notifications.lastAt}, ${now})` })
          .where(
            and(
              eq(notifications.subscriptionId, id),
              eq(notifications.state, 'dead-letter'),
              ...(seqs === undefined ? [] : [inArray(notifications.seq, [...seqs])]),
            ),
          )
          .run().changes
      );
    },
    /** Removes dead letters of events up to this one. @returns how many */
    forgetDead(tx: Tx, to: number, step: number): number {
      return tx.db
        .delete(notifications)
        .where(sql`rowid in (select rowid from notifications where seq <= ${to} and state = 'dead-letter' limit ${step})`)
        .run().changes;
    },
    /** Removes what was delivered of events up to this one. @returns how many */
    forget(tx: Tx, to: number, step: number): number {
      return tx.db
        .delete(notifications)
        .where(sql`rowid in (select rowid from notifications where seq <= ${to} and state = 'delivered' limit ${step})`)
        .run().changes;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface WebhookRecords {
  readonly subscriptions: ReturnType<typeof subscriptionStore>;
}
