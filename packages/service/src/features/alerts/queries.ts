import { and, asc, desc, eq, inArray, isNotNull, isNull, or, sql, lt } from 'drizzle-orm';
import { reading, type Reader, type Tx } from '../../kernel/index.js';
import { alertRules, alerts } from './tables.js';

/** Rows that one step of retention removes. */
const STEP = 500;

export type AlertRow = typeof alerts.$inferSelect;
export type AlertRuleRow = typeof alertRules.$inferSelect;
/** How much of an alert the operator has been notified. */
export const NOTIFIED = { nothing: 0, firing: 1, resolved: 2 } as const;

/** Alerts that fire or have fired, and the rules that people have set. */
export function alertStore(reads: Reader) {
  const firing = reading((db) => db.select().from(alerts).where(isNull(alerts.resolvedAt)).prepare());
  return {
    firing(from: Reader = reads): AlertRow[] {
      return firing(from).all();
    },

    /** Those that fire first, then the newest. */
    list(space: string, limit: number, from: Reader = reads): AlertRow[] {
      return from.db
        .select()
        .from(alerts)
        .where(eq(alerts.space, space))
        .orderBy(sql`${alerts.resolvedAt} is not null`, desc(alerts.id))
        .limit(limit)
        .all();
    },

    fire(tx: Tx, row: Omit<AlertRow, 'notified' | 'resolvedAt'>): void {
      tx.db.insert(alerts).values(row).onConflictDoNothing().run();
    },

    resolve(tx: Tx, ids: readonly string[], at: number): void {
      tx.db
        .update(alerts)
        .set({ resolvedAt: at })
        .where(inArray(alerts.id, [...ids]))
        .run();
    },

    /** Those that the operator does not know all of. */
    unreported(limit: number, from: Reader = reads): AlertRow[] {
      return from.db
        .select()
        .from(alerts)
        .where(or(eq(alerts.notified, NOTIFIED.nothing), and(eq(alerts.notified, NOTIFIED.firing), isNotNull(alerts.resolvedAt))))
        .orderBy(asc(alerts.id))
        .limit(limit)
        .all();
    },

    setNotified(tx: Tx, id: string, notified: (typeof NOTIFIED)[keyof typeof NOTIFIED]): void {
      tx.db.update(alerts).set({ notified }).where(eq(alerts.id, id)).run();
    },

    rules(from: Reader = reads): AlertRuleRow[] {
      return from.db.select().from(alertRules).orderBy(asc(alertRules.space), asc(alertRules.name)).all();
    },

    setRule(tx: Tx, row: AlertRuleRow): void {
      tx.db
        .insert(alertRules)
        .values(row)
        .onConflictDoUpdate({ target: [alertRules.space, alertRules.name], set: { rule: row.rule } })
        .run();
    },

    /** @returns whether there was one */
    removeRule(tx: Tx, space: string, name: string): boolean {
      return (
        tx.db
          .delete(alertRules)
          .where(and(eq(alertRules.space, space), eq(alertRules.name, name)))
          .run().changes > 0
      );
    },

    /** Alerts that were resolved before a time. */
    forget(tx: Tx, before: number): number {
      const old = tx.db.select({ id: alerts.id }).from(alerts).where(lt(alerts.resolvedAt, before)).limit(STEP);
      return tx.db.delete(alerts).where(inArray(alerts.id, old)).run().changes;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface AlertRecords {
  readonly alerts: ReturnType<typeof alertStore>;
}
