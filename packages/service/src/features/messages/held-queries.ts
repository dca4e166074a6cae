import type { EmailFilter } from '@verbalis/core/delivery';
import { and, asc, count, eq, gt, inArray, isNotNull, isNull, lte, or, sql, type SQL } from 'drizzle-orm';
import type { Kernel, Tx } from '../../kernel/index.js';
import type { DueReports } from './due-reports.js';
import { ownFact, type FactStore } from './facts.js';
import { deliveries, messages } from './tables.js';

/** States in which a delivery may still be sent. */
const WAITING_STATES = ['queued', 'delayed'] as const;
/** It waits, for its time or for a person who holds it, and no attempt has begun. */
const WAITS = and(isNull(deliveries.owner), or(isNotNull(deliveries.nextAttemptAt), isNotNull(deliveries.heldBy)));

/** Where a pass over what waits has come to. */
export interface PassPosition {
  readonly state: (typeof WAITING_STATES)[number];
  readonly after: string;
}

/** A delivery that a hold keeps. */
export interface HeldRow {
  readonly id: string;
  readonly messageId: string;
  readonly address: string;
  readonly hold: string;
  /** When it was due; null where it was not. */
  readonly heldFrom: number | null;
  readonly createdAt: number;
  readonly template: string;
  readonly subject: string;
  /** How its last attempt ended; null where there was none. */
  readonly lastOutcome: string | null;
}

/** Deliveries that a pass has found, and where the next part begins; undefined when there is none. */
export interface PassPart {
  readonly ids: readonly string[];
  readonly next: PassPosition | undefined;
}

function meant({ template, edition, topic, domain, labels }: EmailFilter): SQL | undefined {
  return and(
    template === undefined ? undefined : eq(messages.template, template),
    edition === undefined ? undefined : eq(messages.edition, edition),
    topic === undefined ? undefined : eq(messages.topic, topic),
    domain === undefined ? undefined : eq(deliveries.domain, domain),
    ...Object.entries(labels ?? {}).map(
      ([name, value]) => sql`exists (select 1 from json_each(${messages.labels}) where key = ${name} and value = ${value})`,
    ),
  );
}

/** Deliveries that people hold, and those that they mean by a filter. */
export function heldStore({ reads, apart }: Pick<Kernel, 'reads' | 'apart'>, facts: FactStore, due: DueReports) {
  return {
    /** What waits in a space and is meant by a filter, in parts of at most so many. It may be a needle in a large queue. */
    async waitingPart(
      space: string,
      filter: EmailFilter,
      { at, most, heldBy }: { readonly at?: PassPosition | undefined; readonly most: number; readonly heldBy?: string | undefined },
    ): Promise<PassPart> {
      const state = at?.state ?? WAITING_STATES[0];
      const ofHold = heldBy === undefined ? undefined : eq(deliveries.heldBy, heldBy);
      const query = reads.db
        .select({ id: deliveries.id })
        .from(deliveries)
        .innerJoin(messages, eq(messages.id, deliveries.messageId))
        .where(
          and(eq(deliveries.space, space), eq(deliveries.state, state), gt(deliveries.id, at?.after ?? ''), WAITS, ofHold, meant(filter)),
        )
        .orderBy(asc(deliveries.id))
        .limit(most);
      const ids = (await apart<{ id: string }>({ query, names: ['id'] })).map(({ id }) => id);
      const last = ids.at(-1);
      if (ids.length === most && last !== undefined) return { ids, next: { state, after: last } };
      const other = WAITING_STATES[WAITING_STATES.indexOf(state) + 1];
      return { ids, next: other === undefined ? undefined : { state: other, after: '' } };
    },

    /** Keeps deliveries that wait from being sent until they are released. @returns how many waited */
    hold(tx: Tx, ids: readonly string[], holdId: string): number {
      return tx.db
        .update(deliveries)
        .set({ heldBy: holdId, heldFrom: sql`${deliveries.nextAttemptAt}`, nextAttemptAt: null })
        .where(and(inArray(deliveries.id, [...ids]), isNull(deliveries.owner), isNotNull(deliveries.nextAttemptAt)))
        .run().changes;
    },

    /** Holds everything that waits in a space, whatever else holds it. @returns how many */
    holdAll(tx: Tx, space: string, holdId: string): number {
      return tx.db
        .update(deliveries)
        .set({ heldBy: holdId, heldFrom: sql`coalesce(${deliveries.nextAttemptAt}, ${deliveries.heldFrom})`, nextAttemptAt: null })
        .where(and(eq(deliveries.space, space), inArray(deliveries.state, [...WAITING_STATES]), WAITS))
        .run().changes;
    },

    /** Spaces in which something waits. */
    spacesWaiting(tx: Tx): string[] {
      const rows = tx.db
        .selectDistinct({ space: deliveries.space })
        .from(deliveries)
        .where(and(inArray(deliveries.state, [...WAITING_STATES]), WAITS))
        .all();
      return rows.map(({ space }) => space).sort();
    },

    /** Deliveries that a hold keeps, with how their last attempt ended, a page at a time. */
    heldOf(holdIds: readonly string[], { after, limit }: { readonly after: string; readonly limit: number }): HeldRow[] {
      const last = sql<
        string | null
      >`(select coalesce(outcome, 'under way') from attempts a where a.delivery_id = ${deliveries.id} order by a.number desc limit 1)`;
      return reads.db
        .select({
          id: deliveries.id,
          messageId: deliveries.messageId,
          address: deliveries.address,
          hold: sql<string>`${deliveries.heldBy}`,
          heldFrom: deliveries.heldFrom,
          createdAt: deliveries.createdAt,
          template: messages.template,
          subject: messages.subject,
          lastOutcome: last,
        })
        .from(deliveries)
        .innerJoin(messages, eq(messages.id, deliveries.messageId))
        .where(and(inArray(deliveries.heldBy, [...holdIds]), gt(deliveries.id, after)))
        .orderBy(asc(deliveries.id))
        .limit(limit)
        .all();
    },

    /** How many deliveries each hold keeps. */
    async heldCounts(): Promise<ReadonlyMap<string, number>> {
      const query = reads.db
        .select({ hold: deliveries.heldBy, n: count() })
        .from(deliveries)
        .where(isNotNull(deliveries.heldBy))
        .groupBy(deliveries.heldBy);
      const rows = await apart<{ hold: string; n: number }>({ query, names: ['hold', 'n'] });
      return new Map(rows.map(({ hold, n }) => [hold, n]));
    },

    /** Lets some of the deliveries of a hold go, the first ones or those that are named: what would have been due goes now, in the order in which it was accepted. @returns how many */
    letGo(
      tx: Tx,
      holdId: string,
      { now, ...which }: ({ readonly most: number } | { readonly ids: readonly string[] }) & { readonly now: number },
    ): number {
      const rows = tx.db
        .select({ id: deliveries.id, fairnessKey: deliveries.fairnessKey, heldFrom: deliveries.heldFrom })
        .from(deliveries)
        .where(and(eq(deliveries.heldBy, holdId), 'ids' in which ? inArray(deliveries.id, [...which.ids]) : undefined))
        .orderBy(asc(deliveries.id))
        .limit('ids' in which ? which.ids.length : which.most)
        .all();
      const isOf = inArray(
        deliveries.id,
        rows.map(({ id }) => id),
      );
      // The time on hold does not count.
      tx.db
        .update(deliveries)
        .set({ heldBy: null, heldFrom: null, nextAttemptAt: now, notBefore: now })
        .where(and(isOf, lte(deliveries.heldFrom, now)))
        .run();
      tx.db
        .update(deliveries)
        .set({ heldBy: null, nextAttemptAt: sql`${deliveries.heldFrom}`, heldFrom: null })
        .where(and(isOf, gt(deliveries.heldFrom, now)))
        .run();
      for (const { fairnessKey, heldFrom } of rows) due.report(tx, fairnessKey, Math.max(now, heldFrom ?? now));
      return rows.length;
    },

    /** Cancels those of some deliveries that wait. @returns how many */
    cancelAll(tx: Tx, ids: readonly string[], now: number): number {
      const free = tx.db
        .select({ id: deliveries.id })
        .from(deliveries)
        .where(and(inArray(deliveries.id, [...ids]), WAITS))
        .all();
      for (const { id } of free) facts.record(tx, ownFact({ id: `canceled:${id}`, deliveryId: id, kind: 'canceled', at: now }), now);
      return free.length;
    },
  };
}
