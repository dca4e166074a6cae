import { countChanges, type Counted } from '@verbalis/core/events';
import { asc, eq, gt, sql } from 'drizzle-orm';
import { auditing, type Auditor, type Reader } from '../../kernel/index.js';
import { deliveries, messages } from '../messages/index.js';
import { counted, figures } from './tables.js';

const STEP = 1000;
const HOUR = 3_600_000;
const DAY = 24 * HOUR;

/**
 * Counts deliveries again. A figure may count more than is found (what was removed or erased since stays counted), never less; and what a delivery is
 * counted as is what it is, unless its newest event is still to be counted.
 */
export const figuresByDeliveries: Auditor = (from) => {
  const audit = auditing('figures, counted again');
  const cursor = from.db.get<{ seq: number } | undefined>(sql`select seq from cursors where name = 'figures'`)?.seq ?? 0;
  const sums = new Map<string, number>();
  const newest = sql<number>`(select coalesce(max(seq), 0) from events where delivery_id = ${deliveries.id})`;
  for (let after: string | undefined = ''; after !== undefined;) {
    const rows: {
      id: string;
      space: string;
      createdAt: number;
      domain: string;
      state: string;
      template: string;
      topic: string | null;
      as: Counted | null;
      newest: number;
    }[] = from.db
      .select({
        id: deliveries.id,
        space: deliveries.space,
        createdAt: deliveries.createdAt,
        domain: deliveries.domain,
        state: deliveries.state,
        template: messages.template,
        topic: messages.topic,
        as: counted.as,
        newest,
      })
      .from(deliveries)
      .innerJoin(messages, eq(messages.id, deliveries.messageId))
      .leftJoin(counted, eq(counted.deliveryId, deliveries.id))
      .where(gt(deliveries.id, after))
      .orderBy(asc(deliveries.id))
      .limit(STEP)
      .all();
    for (const { id, space, createdAt, state, as, newest: seq, ...rest } of rows) {
      audit.looked();
      if (as === null) continue;
      if (as.state !== state && seq <= cursor) audit.wrong(`${id} is ${state}, and counted as ${as.state}.`);
      for (const { dimension, value, measure, n } of countChanges(undefined, as, { ...rest, topic: rest.topic ?? undefined }))
        for (const [grain, length] of [
          ['hour', HOUR],
          ['day', DAY],
        ] as const) {
          const key = JSON.stringify([space, grain, dimension, createdAt - (createdAt % length), value, measure]);
          sums.set(key, (sums.get(key) ?? 0) + n);
        }
    }
    after = rows.at(-1)?.id;
  }
  compareSums(from, sums, audit.wrong);
  return audit.result();
};

/** Holds figures against what was found. @param sums of what was found, by the key of the figure; taken apart */
function compareSums(from: Reader, sums: Map<string, number>, wrong: (fault: string) => void): void {
  const first =
    from.db.get<{ at: number | null }>(sql`select min(at) as at from figures where grain = 'hour'`).at ?? Number.POSITIVE_INFINITY;
  for (const row of from.db.select().from(figures).all()) {
    const { space, grain, dimension, at, value, measure, n } = row;
    const key = JSON.stringify([space, grain, dimension, at, value, measure]);
    const found = sums.get(key) ?? 0;
    sums.delete(key);
    if (found > n)
      wrong(`${space} has ${n} ${measure} (${dimension} ${value}) for the ${grain} of ${new Date(at).toISOString()}; ${found} are found.`);
  }
  // Hours of long ago are removed.
  for (const [key, n] of sums) {
    const [space, grain, dimension, at, value, measure] = JSON.parse(key) as [string, string, string, number, string, string];
    if (n > 0 && (grain === 'day' || at >= first))
      wrong(`${space} has no ${measure} (${dimension} ${value}) for the ${grain} of ${new Date(at).toISOString()}; ${n} are found.`);
  }
}
