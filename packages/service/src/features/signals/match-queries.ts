import { and, asc, count, eq, gt, inArray, lt, lte, notInArray, or, sql } from 'drizzle-orm';
import { placeholders, writing, type Reader, type Tx } from '../../kernel/index.js';
import { signalCancels, signalMatches, signals, signalSends, type MatchState } from './tables.js';

export type MatchRow = typeof signalMatches.$inferSelect;
type SendRow = typeof signalSends.$inferSelect;

/** Matches that become one email, or did. */
export interface MatchGroup {
  readonly space: string;
  readonly rule: string;
  /** Its first signal. */
  readonly group: string;
}

/** Signals that become one email at most. */
const MOST_TOGETHER = 1000;

/** What rules made of signals. */
export function matchStore(reads: Reader) {
  const insert = writing((db) => db.insert(signalMatches).values(placeholders(signalMatches)).onConflictDoNothing().prepare());
  const pending = inArray(signalMatches.state, ['waiting', 'sending']);
  const waitingOf = (space: string, rule: string) =>
    and(eq(signalMatches.space, space), eq(signalMatches.rule, rule), eq(signalMatches.state, 'waiting'));

  return {
    add(tx: Tx, row: MatchRow): void {
      insert(tx).run({ ...row });
    },

    /** A signal that cancels this one, whichever came first: what happened later counts, and of the same time what came later. */
    cancelOf({ space, rule, key, at, signalId }: typeof signalCancels.$inferSelect, from: Reader = reads): string | undefined {
      const isLater = or(gt(signalCancels.at, at), and(eq(signalCancels.at, at), gt(signalCancels.signalId, signalId)));
      return from.db
        .select({ signalId: signalCancels.signalId })
        .from(signalCancels)
        .where(and(eq(signalCancels.space, space), eq(signalCancels.rule, rule), eq(signalCancels.key, key), isLater))
        .limit(1)
        .get()?.signalId;
    },

    /** Ends what waits under a key and happened before; what happened before and is still to come ends when it comes. @returns how many */
    cancel(tx: Tx, row: typeof signalCancels.$inferSelect, why: string, now: number): number {
      tx.db.insert(signalCancels).values(row).onConflictDoNothing().run();
      const meant = tx.db
        .select({ id: signals.id })
        .from(signals)
        .where(
          and(
            eq(signals.id, signalMatches.signalId),
            or(lt(signals.at, row.at), and(eq(signals.at, row.at), lt(signals.id, row.signalId))),
          ),
        );
      return tx.db
        .update(signalMatches)
        .set({ state: 'canceled', why, changedAt: now })
        .where(and(waitingOf(row.space, row.rule), eq(signalMatches.key, row.key), sql`exists ${meant}`))
        .run().changes;
    },

    /** When the email is due that signals of one text go into; undefined where none waits. */
    groupDue(space: string, rule: string, by: string, from: Reader = reads): number | undefined {
      return from.db
        .select({ dueAt: signalMatches.dueAt })
        .from(signalMatches)
        .where(and(waitingOf(space, rule), eq(signalMatches.by, by)))
        .limit(1)
        .get()?.dueAt;
    },

    /** What is due, the first of each group first. @param without spaces that are left out */
    due(now: number, limit: number, without: readonly string[], from: Reader = reads): MatchRow[] {
      return from.db
        .select()
        .from(signalMatches)
        .where(and(pending, lte(signalMatches.dueAt, now), notInArray(signalMatches.space, [...without])))
        .orderBy(asc(signalMatches.dueAt), asc(signalMatches.signalId))
        .limit(limit)
        .all();
    },

    /** When something is due next; undefined where nothing waits. */
    nextDue(without: readonly string[], from: Reader = reads): number | undefined {
      return from.db
        .select({ dueAt: signalMatches.dueAt })
        .from(signalMatches)
        .where(and(pending, notInArray(signalMatches.space, [...without])))
        .orderBy(asc(signalMatches.dueAt))
        .limit(1)
        .get()?.dueAt;
    },

    /** The date was set: what waits goes on waiting as long as it would have. */
    moveWaits(tx: Tx, byMs: number): number {
      return tx.db
        .update(signalMatches)
        .set({ dueAt: sql`${signalMatches.dueAt} + ${byMs}` })
        .where(eq(signalMatches.state, 'waiting'))
        .run().changes;
    },

    /**
     * Takes what waits with a match into one group, which nothing joins or leaves any more; where many wait, the oldest.
     * @returns its matches, the oldest signal first
     */
    claim(tx: Tx, { space, rule, by, signalId, state, group }: MatchRow, now: number): MatchRow[] {
      const own = and(eq(signalMatches.signalId, signalId), eq(signalMatches.rule, rule));
      const first = tx.db
        .select({ id: signalMatches.signalId })
        .from(signalMatches)
        .where(and(waitingOf(space, rule), eq(signalMatches.by, by ?? '')))
        .orderBy(asc(signalMatches.signalId))
        .limit(MOST_TOGETHER);
      if (state === 'waiting')
        tx.db
          .update(signalMatches)
          .set({ state: 'sending', group: signalId, changedAt: now })
          .where(and(waitingOf(space, rule), by === null ? own : and(eq(signalMatches.by, by), inArray(signalMatches.signalId, first))))
          .run();
      return tx.db
        .select()
        .from(signalMatches)
        .where(
          and(
            eq(signalMatches.space, space),
            eq(signalMatches.rule, rule),
            eq(signalMatches.state, 'sending'),
            eq(signalMatches.group, group ?? signalId),
          ),
        )
        .orderBy(asc(signalMatches.signalId))
        .all();
    },

    /** Writes the outcome of a group. */
    end(
      tx: Tx,
      { space, rule, group }: MatchGroup,
      result: { readonly state: MatchState; readonly why: string | null; readonly messageId: string | null },
      now: number,
    ): void {
      tx.db
        .update(signalMatches)
        .set({ ...result, changedAt: now })
        .where(
          and(
            eq(signalMatches.space, space),
            eq(signalMatches.rule, rule),
            eq(signalMatches.state, 'sending'),
            eq(signalMatches.group, group),
          ),
        )
        .run();
    },

    /** Ends what waits of a signal. @returns how many rules it waited for */
    cancelSignal(tx: Tx, signalId: string, why: string, now: number): number {
      return tx.db
        .update(signalMatches)
        .set({ state: 'canceled', why, changedAt: now })
        .where(and(eq(signalMatches.signalId, signalId), eq(signalMatches.state, 'waiting')))
        .run().changes;
    },

    /** What was refused of a signal is tried again. @returns how many rules that were */
    retrySignal(tx: Tx, signalId: string, now: number): number {
      return tx.db
        .update(signalMatches)
        .set({ state: 'waiting', why: null, group: null, dueAt: now, changedAt: now })
        .where(and(eq(signalMatches.signalId, signalId), eq(signalMatches.state, 'refused')))
        .run().changes;
    },

    matchesOf(signalIds: readonly string[], from: Reader = reads): MatchRow[] {
      return from.db
        .select()
        .from(signalMatches)
        .where(inArray(signalMatches.signalId, [...signalIds]))
        .orderBy(asc(signalMatches.signalId), asc(signalMatches.rule))
        .all();
    },

    /** The rules for which each of some signals cancels. */
    cancelsOf(signalIds: readonly string[], from: Reader = reads): Map<string, string[]> {
      const rows = from.db
        .select({ signalId: signalCancels.signalId, rule: signalCancels.rule })
        .from(signalCancels)
        .where(inArray(signalCancels.signalId, [...signalIds]))
        .orderBy(asc(signalCancels.rule))
        .all();
      const out = new Map<string, string[]>();
      for (const { signalId, rule } of rows) out.set(signalId, [...(out.get(signalId) ?? []), rule]);
      return out;
    },

    /** The signals that led to each of some messages. */
    signalsOf(messageIds: readonly string[], from: Reader = reads): Map<string, string[]> {
      const out = new Map<string, string[]>();
      if (messageIds.length === 0) return out;
      const rows = from.db
        .select({ messageId: signalMatches.messageId, signalId: signalMatches.signalId })
        .from(signalMatches)
        .where(inArray(signalMatches.messageId, [...messageIds]))
        .orderBy(asc(signalMatches.signalId))
        .limit(5000)
        .all();
      for (const { messageId, signalId } of rows) if (messageId !== null) out.set(messageId, [...(out.get(messageId) ?? []), signalId]);
      return out;
    },

    /** How many emails of a rule an address got after a time. */
    sends({ space, rule, address, at: since }: Omit<SendRow, 'signalId'>, from: Reader = reads): number {
      const own = and(
        eq(signalSends.space, space),
        eq(signalSends.rule, rule),
        eq(signalSends.address, address),
        gt(signalSends.at, since),
      );
      return from.db.select({ n: count() }).from(signalSends).where(own).get()?.n ?? 0;
    },

    addSend(tx: Tx, row: typeof signalSends.$inferSelect): void {
      tx.db.insert(signalSends).values(row).onConflictDoNothing().run();
    },

    /** How many matches of each rule are in each state since a time. */
    countsByRule(space: string, since: string, from: Reader = reads): { rule: string; state: MatchState; n: number }[] {
      return from.db
        .select({ rule: signalMatches.rule, state: signalMatches.state, n: sql<number>`count(*)` })
        .from(signalMatches)
        .where(and(eq(signalMatches.space, space), gt(signalMatches.signalId, since)))
        .groupBy(signalMatches.rule, signalMatches.state)
        .all();
    },
  };
}
