import { and, asc, desc, eq, gt, inArray, isNotNull, lt, lte, notInArray } from 'drizzle-orm';
import type { Reader, Tx } from '../../kernel/index.js';
import { scheduledEditions, scheduleRuns, schedules } from './tables.js';

export type ScheduleRow = typeof schedules.$inferSelect;
export type RunRow = typeof scheduleRuns.$inferSelect;

/** Rows that one step of retention removes. */
const STEP = 500;

/** When schedules are next, and what came of their times. */
export function scheduleStore(reads: Reader) {
  const own = (space: string, name: string) => and(eq(schedules.space, space), eq(schedules.name, name));
  const runsOf = (space: string, name: string) => and(eq(scheduleRuns.space, space), eq(scheduleRuns.schedule, name));

  return {
    /** The edition whose schedules are here. */
    edition(space: string, from: Reader = reads): number | undefined {
      return from.db.select().from(scheduledEditions).where(eq(scheduledEditions.space, space)).get()?.edition;
    },

    setEdition(tx: Tx, space: string, edition: number): void {
      tx.db
        .insert(scheduledEditions)
        .values({ space, edition })
        .onConflictDoUpdate({ target: scheduledEditions.space, set: { edition } })
        .run();
    },

    find(space: string, name: string, from: Reader = reads): ScheduleRow | undefined {
      return from.db.select().from(schedules).where(own(space, name)).get();
    },

    /** Those that are in the mail folder, by name. */
    list(space: string, from: Reader = reads): ScheduleRow[] {
      return from.db
        .select()
        .from(schedules)
        .where(and(eq(schedules.space, space), eq(schedules.isPresent, true)))
        .orderBy(asc(schedules.name))
        .all();
    },

    put(tx: Tx, row: ScheduleRow): void {
      const { times, isPresent, isPaused, nextAt } = row;
      tx.db
        .insert(schedules)
        .values(row)
        .onConflictDoUpdate({ target: [schedules.space, schedules.name], set: { times, isPresent, isPaused, nextAt } })
        .run();
    },

    /** Those that are no longer in the mail folder. */
    leaveOut(tx: Tx, space: string, present: readonly string[]): void {
      tx.db
        .update(schedules)
        .set({ isPresent: false, nextAt: null })
        .where(and(eq(schedules.space, space), notInArray(schedules.name, [...present])))
        .run();
    },

    /** Those whose time has come, the longest due first; of some spaces. */
    due(now: number, limit: number, among: readonly string[], from: Reader = reads): ScheduleRow[] {
      return from.db
        .select()
        .from(schedules)
        .where(and(lte(schedules.nextAt, now), inArray(schedules.space, [...among])))
        .orderBy(asc(schedules.nextAt))
        .limit(limit)
        .all();
    },

    nextDue(among: readonly string[], from: Reader = reads): number | undefined {
      const isWaiting = and(isNotNull(schedules.nextAt), inArray(schedules.space, [...among]));
      return (
        from.db.select({ at: schedules.nextAt }).from(schedules).where(isWaiting).orderBy(asc(schedules.nextAt)).limit(1).get()?.at ??
        undefined
      );
    },

    addRun(tx: Tx, row: RunRow): void {
      tx.db.insert(scheduleRuns).values(row).run();
    },

    /** The run of a planned time; undefined where it has none yet. */
    runAt(space: string, name: string, plannedAt: number, from: Reader = reads): RunRow | undefined {
      return from.db
        .select()
        .from(scheduleRuns)
        .where(and(runsOf(space, name), eq(scheduleRuns.plannedAt, plannedAt), eq(scheduleRuns.isManual, false)))
        .get();
    },

    /** @returns whether that time was skipped */
    removeSkip(tx: Tx, space: string, name: string, plannedAt: number): boolean {
      const isSkip = and(eq(scheduleRuns.plannedAt, plannedAt), eq(scheduleRuns.isManual, false), eq(scheduleRuns.state, 'skipped'));
      return (
        tx.db
          .delete(scheduleRuns)
          .where(and(runsOf(space, name), isSkip))
          .run().changes > 0
      );
    },

    /** Newest first. */
    runs(space: string, name: string, limit: number, before: string | undefined): RunRow[] {
      return reads.db
        .select()
        .from(scheduleRuns)
        .where(and(runsOf(space, name), before === undefined ? undefined : lt(scheduleRuns.id, before)))
        .orderBy(desc(scheduleRuns.id))
        .limit(limit)
        .all();
    },

    /** Runs of before a time; never one that is still to come, which would run then. */
    forget(tx: Tx, before: number): number {
      const old = tx.db
        .select({ id: scheduleRuns.id })
        .from(scheduleRuns)
        .where(and(lt(scheduleRuns.at, before), lt(scheduleRuns.plannedAt, before)))
        .limit(STEP);
      return tx.db.delete(scheduleRuns).where(inArray(scheduleRuns.id, old)).run().changes;
    },

    /** Whether a schedule has a time after an instant that is to come. */
    hasWaiting(space: string, from: Reader = reads): boolean {
      return (
        from.db
          .select({ name: schedules.name })
          .from(schedules)
          .where(and(eq(schedules.space, space), gt(schedules.nextAt, 0)))
          .limit(1)
          .get() !== undefined
      );
    },
  };
}

/** The records of this feature, for the features above it. */
export interface ScheduleRecords {
  readonly schedules: ReturnType<typeof scheduleStore>;
}
