import { asc, desc, eq, gt, inArray, max, sql } from 'drizzle-orm';
import type { HitDetails } from '@verbalis/core/delivery';
import type { EventKind } from '@verbalis/core/events';
import { reading, writing, type Reader, type Tx } from '../../kernel/index.js';
import { eventLists, type KnownEvent } from './list-queries.js';
import { cursors, events } from './tables.js';
import { deliveries, facts, messages, type NewFact } from '../messages/index.js';

/** An event without what its fact says: for those who only count. */
export interface BareEvent extends Pick<typeof events.$inferSelect, 'seq' | 'kind' | 'deliveryId' | 'at'> {
  /** Of a link that was followed or a picture that was loaded. */
  readonly by: HitDetails['by'] | null;
}

/** Something public that is no fact. */
export interface NewEvent {
  readonly id: string;
  readonly space: string;
  readonly kind: EventKind;
  readonly at: number;
  readonly data: Readonly<Record<string, unknown>>;
}

/** Everything that is made public, in the order of becoming known. */
export function eventStore(reads: Reader) {
  const shown = {
    seq: events.seq,
    id: events.id,
    space: events.space,
    kind: events.kind,
    at: events.at,
    recordedAt: events.recordedAt,
    data: events.data,
    deliveryId: events.deliveryId,
    source: facts.source,
    cause: facts.cause,
    status: facts.status,
    replyCode: facts.replyCode,
    diagnostic: facts.diagnostic,
    details: facts.details,
    messageId: deliveries.messageId,
    address: deliveries.address,
    domain: deliveries.domain,
    // That of the attempt which the fact is of, else that of the last one.
    provider: sql<string | null>`coalesce(
      (select provider from attempts a where a.id = substr(${events.id}, 1, instr(${events.id}, ':') - 1)),
      (select provider from attempts a where a.delivery_id = ${events.deliveryId} order by a.number desc limit 1))`,
    template: messages.template,
    topic: messages.topic,
    locale: messages.locale,
    edition: messages.edition,
    subject: messages.subject,
    reference: messages.reference,
    labels: messages.labels,
    traceparent: sql<string | null>`${messages.more} ->> '$.traceparent'`,
    tracestate: sql<string | null>`${messages.more} ->> '$.tracestate'`,
  };
  const joined = (from: Pick<Reader['db'], 'select'>) =>
    from
      .select(shown)
      .from(events)
      .leftJoin(facts, eq(facts.id, events.id))
      .leftJoin(deliveries, eq(deliveries.id, events.deliveryId))
      .leftJoin(messages, eq(messages.id, deliveries.messageId));
  type Row = ReturnType<ReturnType<typeof joined>['all']>[number];

  function known(row: Row): KnownEvent {
    const { seq, id, space, kind, at, recordedAt, data, deliveryId } = row;
    const shared = { seq, id, space, kind, at, recordedAt, deliveryId: deliveryId ?? undefined };
    if (row.source === null || deliveryId === null || row.messageId === null) return { ...shared, data: data ?? {} };
    return {
      ...shared,
      traceparent: row.traceparent ?? undefined,
      tracestate: row.tracestate ?? undefined,
      fact: {
        source: row.source,
        cause: row.cause ?? undefined,
        status: row.status ?? undefined,
        replyCode: row.replyCode ?? undefined,
        diagnostic: row.diagnostic ?? undefined,
        details: row.details ?? undefined,
        deliveryId,
        messageId: row.messageId,
        address: row.address ?? '',
        domain: row.domain ?? '',
        provider: row.provider ?? undefined,
        template: row.template ?? '',
        topic: row.topic ?? undefined,
        locale: row.locale ?? '',
        edition: row.edition ?? 0,
        subject: row.subject ?? '',
        reference: row.reference ?? undefined,
        labels: row.labels ?? {},
      },
    };
  }

  const following = reading((db) =>
    joined(db)
      .where(gt(events.seq, sql.placeholder('seq')))
      .orderBy(asc(events.seq))
      .limit(sql.placeholder('limit'))
      .prepare(),
  );
  const bareFollowing = reading((db) =>
    db
      .select({
        seq: events.seq,
        kind: events.kind,
        deliveryId: events.deliveryId,
        at: events.at,
        // With names of their own: within a query of one table columns stand without that of their table.
        by: sql<HitDetails['by'] | null>`case when kind in ('link-followed', 'image-loaded')
          then (select f.details ->> '$.by' from facts f where f.id = events.id) end`,
      })
      .from(events)
      .where(gt(events.seq, sql.placeholder('seq')))
      .orderBy(asc(events.seq))
      .limit(sql.placeholder('limit'))
      .prepare(),
  );
  const lastSeq = reading((db) =>
    db
      .select({ seq: max(events.seq) })
      .from(events)
      .prepare(),
  );
  const cursorOf = reading((db) =>
    db
      .select({ seq: cursors.seq })
      .from(cursors)
      .where(eq(cursors.name, sql.placeholder('name')))
      .prepare(),
  );

  const insertFact = writing((db) =>
    db
      .insert(events)
      .values({
        id: sql.placeholder('id'),
        space: sql`(select ${deliveries.space} from ${deliveries} where ${deliveries.id} = ${sql.placeholder('deliveryId')})`,
        kind: sql.placeholder('kind'),
        deliveryId: sql.placeholder('deliveryId'),
        at: sql.placeholder('at'),
        recordedAt: sql.placeholder('recordedAt'),
      })
      .prepare(),
  );

  function at(seqs: readonly number[], from: Reader = reads): KnownEvent[] {
    if (seqs.length === 0) return [];
    return joined(from.db)
      .where(inArray(events.seq, [...seqs]))
      .orderBy(asc(events.seq))
      .all()
      .map(known);
  }

  return {
    /** A fact is public at once: its event is written in the same transaction. */
    publish(tx: Tx, { id, kind, deliveryId, at }: NewFact, recordedAt: number): void {
      insertFact(tx).run({ id, kind, deliveryId, at, recordedAt });
    },

    /** Makes something public that is no fact; within a transaction. @returns its place */
    append(tx: Tx, event: NewEvent): number {
      const { lastInsertRowid } = tx.db
        .insert(events)
        .values({ ...event, data: { ...event.data }, recordedAt: event.at })
        .run();
      return Number(lastInsertRowid);
    },

    /** What has become known after a place, of all spaces, in order. */
    after(seq: number, limit: number, from: Reader = reads): KnownEvent[] {
      return following(from).all({ seq, limit }).map(known);
    },

    bareAfter(seq: number, limit: number, from: Reader = reads): BareEvent[] {
      return bareFollowing(from).all({ seq, limit });
    },

    at,
    ...eventLists(reads, at),

    last(from: Reader = reads): number {
      return lastSeq(from).get()?.seq ?? 0;
    },

    /** The place after which everything became known at this time or later. */
    before(time: number, from: Reader = reads): number {
      const first =
        from.db
          .select({ seq: sql<number | null>`min(${events.seq})` })
          .from(events)
          .get()?.seq ?? 1;
      let [low, high] = [first - 1, this.last(from)];
      // Places and times grow together, so halving finds it.
      while (low < high) {
        const middle = Math.ceil((low + high) / 2);
        const row = from.db
          .select({ at: events.recordedAt })
          .from(events)
          .where(sql`${events.seq} <= ${middle}`)
          .orderBy(desc(events.seq))
          .limit(1)
          .get();
        if (row === undefined || row.at < time) low = middle;
        else high = middle - 1;
      }
      return low;
    },

    /** How far a reader of all events has come. */
    cursor(name: string, from: Reader = reads): number {
      return cursorOf(from).get({ name })?.seq ?? 0;
    },

    /** Within the transaction that writes what came of them. */
    setCursor(tx: Tx, name: string, seq: number): void {
      tx.db.insert(cursors).values({ name, seq }).onConflictDoUpdate({ target: cursors.name, set: { seq } }).run();
    },

    /** Takes away what became known before a time, and is the oldest. @returns how many */
    forget(tx: Tx, before: number, step: number): number {
      const to = this.before(before, tx);
      return tx.db
        .delete(events)
        .where(sql`${events.seq} in (select seq from events where seq <= ${to} order by seq limit ${step})`)
        .run().changes;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface EventRecords {
  readonly events: ReturnType<typeof eventStore>;
}
