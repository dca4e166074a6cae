import { and, count, eq, gt, gte, inArray, isNotNull, sql, type SQL } from 'drizzle-orm';
import { unionAll } from 'drizzle-orm/sqlite-core';
import { idSince, reading, type Kernel, type Reader } from '../../kernel/index.js';
import { attemptStore } from './attempts.js';
import type { DueReports } from './due-reports.js';
import { factStore } from './facts.js';
import { heldStore } from './held-queries.js';
import type { DeliveryRow } from './tables.js';
import { attempts as attemptsTable, deliveries, messages } from './tables.js';
import { waitingStore } from './waiting.js';

/** How much of a fairness key is in a state: waiting, of that due and held. Times are in milliseconds since the epoch. */
export interface QueueCount {
  readonly fairnessKey: string;
  readonly state: string;
  readonly n: number;
  readonly due: number;
  readonly held: number;
  /** When the oldest was accepted. */
  readonly oldest: number;
  /** When the oldest that is due could have gone; null where nothing is due. */
  readonly oldestDue: number | null;
}

/** Attempts of one provider that ended in one way; null while they are under way. */
export interface OutcomeCount {
  readonly provider: string;
  readonly outcome: string | null;
  readonly n: number;
}

/** What a provider was given. */
export interface GivenCounts {
  readonly provider: string;
  readonly space: string;
  readonly sender: string;
  readonly n: number;
}

/** Counts of the same fairness key and state, as one. */
function added(rows: readonly QueueCount[]): QueueCount[] {
  const all = new Map<string, QueueCount>();
  for (const row of rows) {
    const key = `${row.fairnessKey}\0${row.state}`;
    const known = all.get(key);
    const dueAt = [known?.oldestDue ?? [], row.oldestDue ?? []].flat();
    all.set(
      key,
      known === undefined
        ? row
        : {
            ...row,
            n: known.n + row.n,
            due: known.due + row.due,
            held: known.held + row.held,
            oldest: Math.min(known.oldest, row.oldest),
            oldestDue: dueAt.length === 0 ? null : Math.min(...dueAt),
          },
    );
  }
  return [...all.values()];
}

/** A place in what is planned. */
export interface PlanPosition {
  readonly at: number;
  readonly id: string;
}

/** A delivery that waits for the date that the app named. */
export interface PlannedRow {
  readonly id: string;
  readonly messageId: string;
  readonly address: string;
  readonly notBefore: number;
  readonly isHeld: boolean;
  readonly template: string;
  readonly subject: string;
  readonly reference: string | null;
}

/** So many deliveries that wait are counted here; more are in a thread. */
const FEW = 1000;

/** Whether so few deliveries wait, and are held, that counting them takes no time. */
function isShort({ db }: Reader): boolean {
  const some = (where: SQL | undefined) => db.select({ id: deliveries.id }).from(deliveries).where(where).limit(FEW).as('some');
  const all = [some(isNotNull(deliveries.nextAttemptAt)), some(isNotNull(deliveries.heldBy))];
  return all.reduce((sum, part) => sum + (db.select({ n: count() }).from(part).get()?.n ?? 0), 0) < FEW;
}

/** Deliveries on their way: what waits, attempts, facts and the state that follows from them. */
export function deliveryStore({ reads, apart }: Pick<Kernel, 'reads' | 'apart'>, due: DueReports) {
  const byId = reading((db) =>
    db
      .select()
      .from(deliveries)
      .where(eq(deliveries.id, sql.placeholder('id')))
      .prepare(),
  );
  const facts = factStore(reads);
  const attempts = attemptStore(reads, facts, due);
  const waiting = waitingStore(reads, facts, attempts, due);

  return {
    ...facts,
    ...attempts,
    ...waiting,
    ...heldStore({ reads, apart }, facts, due),

    find(id: string, from: Reader = reads): DeliveryRow | undefined {
      return byId(from).get({ id });
    },

    /** Deliveries of a space that wait for a date which the app named, the next one first. @param after the last one of the page before */
    planned(
      space: string,
      { now, after, limit }: { readonly now: number; readonly after?: PlanPosition | undefined; readonly limit: number },
      from: Reader = reads,
    ): PlannedRow[] {
      const { at, id } = after ?? { at: now, id: '' };
      return from.db
        .select({
          id: deliveries.id,
          messageId: deliveries.messageId,
          address: deliveries.address,
          notBefore: sql<number>`${deliveries.notBefore}`,
          isHeld: sql<number>`${deliveries.heldBy} is not null`.mapWith(Boolean),
          template: messages.template,
          subject: messages.subject,
          reference: messages.reference,
        })
        .from(deliveries)
        .innerJoin(messages, eq(messages.id, deliveries.messageId))
        .where(
          and(
            eq(deliveries.space, space),
            gt(deliveries.notBefore, now),
            sql`(${deliveries.notBefore}, ${deliveries.id}) > (${at}, ${id})`,
            sql`(${deliveries.nextAttemptAt} is not null or ${deliveries.heldBy} is not null)`,
          ),
        )
        .orderBy(deliveries.notBefore, deliveries.id)
        .limit(limit)
        .all();
    },

    /** What waits, is held or is being handed over, by fairness key and state. */
    queue(now: number): Promise<QueueCount[]> {
      const isDue = sql`(${deliveries.nextAttemptAt} <= ${now} or ${deliveries.owner} is not null)`;
      const counted = (where: SQL | undefined) =>
        reads.db
          .select({
            fairnessKey: deliveries.fairnessKey,
            state: deliveries.state,
            n: count(),
            due: sql<number>`coalesce(sum(${isDue}), 0)`,
            held: count(deliveries.heldBy),
            oldest: sql<number>`min(${deliveries.createdAt})`,
            oldestDue: sql<number | null>`min(case when ${isDue} then coalesce(${deliveries.notBefore}, ${deliveries.createdAt}) end)`,
          })
          .from(deliveries)
          .where(where)
          .groupBy(deliveries.fairnessKey, deliveries.state);
      // Nothing is in two of these.
      const query = unionAll(
        counted(isNotNull(deliveries.nextAttemptAt)),
        counted(isNotNull(deliveries.owner)),
        counted(isNotNull(deliveries.heldBy)),
      );
      // A thread costs more than looking at a few.
      if (isShort(reads)) return Promise.resolve(added(query.all()));
      const names = ['fairnessKey', 'state', 'n', 'due', 'held', 'oldest', 'oldestDue'] as const;
      return apart<QueueCount>({ query, names }).then(added);
    },

    /** Attempts since a date by provider and outcome. */
    outcomes(since: number): Promise<OutcomeCount[]> {
      const query = reads.db
        .select({ provider: attemptsTable.provider, outcome: attemptsTable.outcome, n: count() })
        .from(attemptsTable)
        .where(gte(attemptsTable.id, idSince('a', since)))
        .groupBy(attemptsTable.provider, attemptsTable.outcome);
      return apart<OutcomeCount>({ query, names: ['provider', 'outcome', 'n'] });
    },

    /** What each provider was given since a date, that it accepted or may have: by space, and by the domain that it was sent from. */
    given(since: number): Promise<GivenCounts[]> {
      const query = reads.db
        .select({ provider: attemptsTable.provider, space: deliveries.space, sender: deliveries.senderDomain, n: count() })
        .from(attemptsTable)
        .innerJoin(deliveries, eq(deliveries.id, attemptsTable.deliveryId))
        .where(and(gte(attemptsTable.id, idSince('a', since)), inArray(attemptsTable.outcome, ['accepted', 'uncertain'])))
        .groupBy(attemptsTable.provider, deliveries.space, deliveries.senderDomain);
      return apart<GivenCounts>({ query, names: ['provider', 'space', 'sender', 'n'] });
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
