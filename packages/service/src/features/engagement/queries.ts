import type { HitDetails } from '@verbalis/core/delivery';
import { and, eq, gte, inArray, lt, sql, type SQL } from 'drizzle-orm';
import { placeholders, writing, type Reader, type Tx } from '../../kernel/index.js';
import { facts } from '../messages/index.js';
import { engagement } from './tables.js';

export type EngagementRow = typeof engagement.$inferSelect;

/** What figures are wanted of. */
export interface EngagementFilter {
  readonly space: string;
  /** Whole hours, in milliseconds since the epoch. */
  readonly from: number;
  readonly to: number;
  readonly template?: string | undefined;
  readonly topic?: string | undefined;
}

/** Sums of hits that are alike in what they are grouped by. */
export interface HitSums {
  readonly isLink: boolean;
  readonly by: HitDetails['by'];
  readonly n: number;
  readonly firsts: number;
}

const MOST_ROWS = 500;

/** Counts of links that were followed and pictures that were loaded. */
export function engagementStore(reads: Reader) {
  const within = ({ space, from, to, template, topic }: EngagementFilter): SQL | undefined =>
    and(
      eq(engagement.space, space),
      gte(engagement.at, from),
      lt(engagement.at, to),
      template === undefined ? undefined : eq(engagement.template, template),
      topic === undefined ? undefined : eq(engagement.topic, topic),
    );
  const sums = {
    isLink: sql<boolean>`${engagement.link} > 0`.mapWith(Boolean),
    by: engagement.by,
    n: sql<number>`sum(${engagement.n})`,
    firsts: sql<number>`sum(${engagement.firsts})`,
  };
  const alike = [sql`${engagement.link} > 0`, engagement.by] as const;

  const add = writing((db) =>
    db
      .insert(engagement)
      .values(placeholders(engagement))
      .onConflictDoUpdate({
        target: [
          engagement.space,
          engagement.at,
          engagement.template,
          engagement.topic,
          engagement.link,
          engagement.label,
          engagement.by,
          engagement.age,
        ],
        set: { n: sql`${engagement.n} + excluded.n`, firsts: sql`${engagement.firsts} + excluded.firsts` },
      })
      .prepare(),
  );

  return {
    /** Adds counts; within a transaction. */
    add(tx: Tx, row: EngagementRow): void {
      add(tx).run({ ...row });
    },

    /** Whether a person has followed this link of a delivery, or loaded its picture, by another fact than this one. */
    isKnown(
      tx: Tx,
      {
        deliveryId,
        id,
        link,
        kind,
      }: { readonly deliveryId: string; readonly id: string; readonly link: number; readonly kind: 'link-followed' | 'image-loaded' },
    ): boolean {
      const place = kind === 'image-loaded' ? undefined : sql`${facts.details} ->> '$.link.index' = ${link}`;
      return (
        tx.db
          .select({ id: facts.id })
          .from(facts)
          .where(
            and(
              eq(facts.deliveryId, deliveryId),
              eq(facts.kind, kind),
              sql`${facts.id} <> ${id}`,
              sql`${facts.details} ->> '$.by' = 'person'`,
              place,
            ),
          )
          .limit(1)
          .get() !== undefined
      );
    },

    total(filter: EngagementFilter): HitSums[] {
      return reads.db
        .select(sums)
        .from(engagement)
        .where(within(filter))
        .groupBy(...alike)
        .all();
    },
    byTemplate(filter: EngagementFilter): (HitSums & { readonly template: string; readonly topic: string })[] {
      return reads.db
        .select({ ...sums, template: engagement.template, topic: engagement.topic })
        .from(engagement)
        .where(within(filter))
        .groupBy(engagement.template, engagement.topic, ...alike)
        .limit(MOST_ROWS)
        .all();
    },
    byLink(filter: EngagementFilter): (HitSums & { readonly template: string; readonly link: number; readonly label: string })[] {
      return reads.db
        .select({ ...sums, template: engagement.template, link: engagement.link, label: engagement.label })
        .from(engagement)
        .where(and(within(filter), sql`${engagement.link} > 0`))
        .groupBy(engagement.template, engagement.link, engagement.label, engagement.by)
        .orderBy(sql`sum(${engagement.n}) desc`)
        .limit(MOST_ROWS)
        .all();
    },
    /** By whole hours after sending. */
    byAge(filter: EngagementFilter): (HitSums & { readonly age: number })[] {
      return reads.db
        .select({ ...sums, age: engagement.age })
        .from(engagement)
        .where(within(filter))
        .groupBy(engagement.age, ...alike)
        .all();
    },

    /** Removes what was counted before a time. @returns how many */
    forget(tx: Tx, before: number, step: number): number {
      const old = tx.db
        .select({ id: sql`rowid` })
        .from(engagement)
        .where(lt(engagement.at, before))
        .limit(step);
      return tx.db
        .delete(engagement)
        .where(inArray(sql`rowid`, old))
        .run().changes;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface EngagementRecords {
  readonly engagement: ReturnType<typeof engagementStore>;
}
