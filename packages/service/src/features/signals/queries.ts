import { and, asc, desc, eq, inArray, isNotNull, isNull, lt, notExists, notInArray, sql } from 'drizzle-orm';
import { placeholders, reading, writing, type Reader, type Tx } from '../../kernel/index.js';
import { sensitiveBoxes, type BoxRecords } from '../sensitive-data/index.js';
import type { matchStore } from './match-queries.js';
import { signalCancels, signalMatches, signals, signalSends, type MatchState } from './tables.js';

export type SignalRow = typeof signals.$inferSelect;

export interface SignalFilter {
  readonly space: string;
  readonly limit: number;
  readonly before?: string | undefined;
  readonly type?: string | undefined;
  readonly subject?: string | undefined;
  readonly source?: string | undefined;
  readonly message?: string | undefined;
  readonly rule?: string | undefined;
  readonly state?: MatchState | 'open' | 'no-rule' | undefined;
}

/** Rows that one step of retention goes through. */
const STEP = 500;

const PENDING = inArray(signalMatches.state, ['waiting', 'sending']);

/** Signals as they came in. */
export function signalStore(reads: Reader, boxes: BoxRecords['boxes']) {
  const insert = writing((db) => db.insert(signals).values(placeholders(signals)).onConflictDoNothing().prepare());
  const byEvent = reading((db) =>
    db
      .select()
      .from(signals)
      .where(
        and(
          eq(signals.space, sql.placeholder('space')),
          eq(signals.source, sql.placeholder('source')),
          eq(signals.eventId, sql.placeholder('eventId')),
        ),
      )
      .prepare(),
  );

  return {
    /** @returns the row that is there: this one, or an earlier one of the same source and id */
    add(tx: Tx, row: SignalRow): SignalRow {
      if (insert(tx).run({ ...row }).changes > 0) return row;
      return byEvent(tx).get({ space: row.space, source: row.source, eventId: row.eventId }) ?? row;
    },

    find(space: string, id: string, from: Reader = reads): SignalRow | undefined {
      return from.db
        .select()
        .from(signals)
        .where(and(eq(signals.space, space), eq(signals.id, id)))
        .get();
    },

    /** Those that nobody has looked at, in the order in which they came. @param without spaces that are left out */
    open(limit: number, without: readonly string[], from: Reader = reads): SignalRow[] {
      return from.db
        .select()
        .from(signals)
        .where(and(isNull(signals.matchedAt), notInArray(signals.space, [...without])))
        .orderBy(asc(signals.id))
        .limit(limit)
        .all();
    },

    setMatched(tx: Tx, id: string, now: number): void {
      tx.db.update(signals).set({ matchedAt: now }).where(eq(signals.id, id)).run();
    },

    /** Newest first. */
    list({ space, limit, before, type, subject, source, message, rule, state }: SignalFilter, from: Reader = reads): SignalRow[] {
      const own = from.db
        .select({ one: sql`1` })
        .from(signalMatches)
        .where(
          and(
            eq(signalMatches.signalId, signals.id),
            message === undefined ? undefined : eq(signalMatches.messageId, message),
            rule === undefined ? undefined : eq(signalMatches.rule, rule),
            state === undefined || state === 'open' || state === 'no-rule' ? undefined : eq(signalMatches.state, state),
          ),
        );
      const canceling = from.db
        .select({ one: sql`1` })
        .from(signalCancels)
        .where(eq(signalCancels.signalId, signals.id));
      const isAsked = message !== undefined || rule !== undefined || (state !== undefined && state !== 'open' && state !== 'no-rule');
      return from.db
        .select()
        .from(signals)
        .where(
          and(
            eq(signals.space, space),
            before === undefined ? undefined : lt(signals.id, before),
            type === undefined ? undefined : eq(signals.type, type),
            subject === undefined ? undefined : eq(signals.subject, subject),
            source === undefined ? undefined : eq(signals.source, source),
            isAsked ? sql`exists ${own}` : undefined,
            state === 'open' ? isNull(signals.matchedAt) : undefined,
            state === 'no-rule' ? and(isNotNull(signals.matchedAt), notExists(own), notExists(canceling)) : undefined,
          ),
        )
        .orderBy(desc(signals.id))
        .limit(limit)
        .all();
    },

    /** Signals of a space whose data hold a text, in any case. */
    holding(
      space: string,
      needle: string,
      from: Reader = reads,
    ): Pick<SignalRow, 'id' | 'type' | 'source' | 'eventId' | 'receivedAt' | 'data'>[] {
      const { id, type, source, eventId, receivedAt, data } = signals;
      return from.db
        .select({ id, type, source, eventId, receivedAt, data })
        .from(signals)
        .where(and(eq(signals.space, space), sql`instr(lower(${signals.data}), ${needle}) > 0`))
        .all();
    },

    dropData(tx: Tx, id: string): void {
      boxes.drop(tx, [id]);
      tx.db.update(signals).set({ data: null }).where(eq(signals.id, id)).run();
    },

    /** Sensitive data of signals that wait for nothing. */
    forgetSensitive(tx: Tx): number {
      const withBoxes = inArray(signals.id, tx.db.select({ id: sensitiveBoxes.ownerId }).from(sensitiveBoxes));
      const settled = tx.db
        .select({ id: signals.id })
        .from(signals)
        .where(and(withBoxes, isNotNull(signals.matchedAt), notExists(this.pendingOf(tx))))
        .limit(STEP)
        .all();
      return boxes.drop(
        tx,
        settled.map(({ id }) => id),
      );
    },

    /** The data of signals that came before a time and wait for nothing. */
    forgetData(tx: Tx, before: number): number {
      const old = tx.db
        .select({ id: signals.id })
        .from(signals)
        .where(and(lt(signals.receivedAt, before), isNotNull(signals.data), isNotNull(signals.matchedAt), notExists(this.pendingOf(tx))))
        .limit(STEP);
      return tx.db.update(signals).set({ data: null }).where(inArray(signals.id, old)).run().changes;
    },

    pendingOf(from: Reader) {
      return from.db
        .select({ one: sql`1` })
        .from(signalMatches)
        .where(and(eq(signalMatches.signalId, signals.id), PENDING));
    },

    /** Signals that came before a time and wait for nothing, with what they led to. */
    forget(tx: Tx, before: number): number {
      const ids = tx.db
        .select({ id: signals.id })
        .from(signals)
        .where(and(lt(signals.receivedAt, before), isNotNull(signals.matchedAt), notExists(this.pendingOf(tx))))
        .limit(STEP)
        .all()
        .map(({ id }) => id);
      if (ids.length === 0) return 0;
      boxes.drop(tx, ids);
      tx.db.delete(signalMatches).where(inArray(signalMatches.signalId, ids)).run();
      tx.db.delete(signalCancels).where(inArray(signalCancels.signalId, ids)).run();
      tx.db.delete(signalSends).where(inArray(signalSends.signalId, ids)).run();
      return tx.db.delete(signals).where(inArray(signals.id, ids)).run().changes;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface SignalRecords {
  readonly signals: ReturnType<typeof signalStore>;
  readonly signalMatches: ReturnType<typeof matchStore>;
}
