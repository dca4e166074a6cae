import { and, desc, eq, getTableColumns, gt, gte, inArray, isNull, lt, or, sql, type SQL } from 'drizzle-orm';
import { idSince, type Reader, type Tx } from '../../kernel/index.js';
import { inbound, inboundAnswers } from './tables.js';

export type InboundRow = typeof inbound.$inferSelect;
export type AnswerRow = typeof inboundAnswers.$inferSelect;

export interface InboundFilter {
  readonly space: string;
  /** Also what only operators see. */
  readonly unowned: boolean;
  readonly limit: number;
  readonly before?: string | undefined;
  readonly inbox?: string | undefined;
  readonly from?: string | undefined;
  readonly messageId?: string | undefined;
}

/** Rows that one step of retention removes. */
const STEP = 200;

const SHOWN = Object.fromEntries(Object.entries(getTableColumns(inbound)).filter(([name]) => name !== 'bytes')) as Omit<
  ReturnType<typeof getTableColumns<typeof inbound>>,
  'bytes'
>;

/** What people have written. */
export function inboundStore(reads: Reader) {
  function ofSpace(isOf: SQL, { limit, before, inbox, from, messageId }: InboundFilter): Omit<InboundRow, 'bytes'>[] {
    return reads.db
      .select(SHOWN)
      .from(inbound)
      .where(
        and(
          isOf,
          before === undefined ? undefined : lt(inbound.id, before),
          inbox === undefined ? undefined : eq(inbound.inbox, inbox),
          from === undefined ? undefined : eq(inbound.from, from),
          messageId === undefined ? undefined : eq(inbound.messageId, messageId),
        ),
      )
      .orderBy(desc(inbound.id))
      .limit(limit)
      .all();
  }

  return {
    add(tx: Tx, row: InboundRow): void {
      tx.db.insert(inbound).values(row).run();
    },

    find(id: string, from: Reader = reads): InboundRow | undefined {
      return from.db.select().from(inbound).where(eq(inbound.id, id)).get();
    },

    /** The same email in the same space. */
    same({ space, fingerprint }: Pick<InboundRow, 'space' | 'fingerprint'>, from: Reader = reads): InboundRow | undefined {
      return from.db
        .select()
        .from(inbound)
        .where(and(eq(inbound.fingerprint, fingerprint), space === null ? isNull(inbound.space) : eq(inbound.space, space)))
        .limit(1)
        .get();
    },

    /** It came to another address of ours, too. */
    alsoTo(tx: Tx, id: string, to: Pick<InboundRow, 'envelopeTo' | 'deliveryId' | 'messageId'>): void {
      tx.db.update(inbound).set(to).where(eq(inbound.id, id)).run();
    },

    /** What was kept and not read yet, oldest first. */
    arrived(limit: number): InboundRow[] {
      return reads.db.select().from(inbound).where(eq(inbound.state, 'arrived')).orderBy(inbound.id).limit(limit).all();
    },

    set(tx: Tx, id: string, changes: Partial<InboundRow>): void {
      tx.db.update(inbound).set(changes).where(eq(inbound.id, id)).run();
    },

    /** How many emails came from a sender, or in answer to a delivery, since a time. */
    countSince({ envelopeFrom, deliveryId }: Pick<InboundRow, 'envelopeFrom' | 'deliveryId'>, since: number): number {
      const isOf = deliveryId === null ? eq(inbound.envelopeFrom, envelopeFrom) : eq(inbound.deliveryId, deliveryId);
      const [row] = reads.db
        .select({ n: sql<number>`count(*)` })
        .from(inbound)
        .where(and(isOf, gte(inbound.receivedAt, since)))
        .all();
      return row?.n ?? 0;
    },

    /** Newest first, without their bytes. Emails of no space have a query of their own, so that each query goes along an index. */
    list(filter: InboundFilter): Omit<InboundRow, 'bytes'>[] {
      const own = ofSpace(eq(inbound.space, filter.space), filter);
      if (!filter.unowned) return own;
      return [...own, ...ofSpace(isNull(inbound.space), filter)].sort((a, b) => (a.id < b.id ? 1 : -1)).slice(0, filter.limit);
    },

    addAnswer(tx: Tx, row: Omit<AnswerRow, 'id'>): void {
      tx.db.insert(inboundAnswers).values(row).run();
    },

    answersTo(ids: readonly string[]): AnswerRow[] {
      return reads.db
        .select()
        .from(inboundAnswers)
        .where(inArray(inboundAnswers.inboundId, [...ids]))
        .orderBy(inboundAnswers.id)
        .all();
    },

    /** What one of our messages answers. */
    answeredBy(messageId: string): Omit<InboundRow, 'bytes'> | undefined {
      return reads.db
        .select(SHOWN)
        .from(inbound)
        .innerJoin(inboundAnswers, eq(inboundAnswers.inboundId, inbound.id))
        .where(eq(inboundAnswers.messageId, messageId))
        .limit(1)
        .get();
    },

    /** Automatic answers that an address got from a space since a time. */
    automaticSince(tx: Tx, space: string, address: string, since: number): number {
      const [row] = tx.db
        .select({ n: sql<number>`count(*)` })
        .from(inboundAnswers)
        .where(
          and(
            eq(inboundAnswers.space, space),
            eq(inboundAnswers.address, address),
            eq(inboundAnswers.isAutomatic, true),
            gte(inboundAnswers.at, since),
          ),
        )
        .all();
      return row?.n ?? 0;
    },

    /** What names an address anywhere, whole. @param isNamed looks at what SQL has found */
    naming(
      { space, unowned, needle }: { readonly space: string; readonly unowned: boolean; readonly needle: string },
      from: Reader = reads,
    ): InboundRow[] {
      const text = sql`lower(${inbound.envelopeFrom} || ' ' || ${inbound.envelopeTo} || ' ' || ${inbound.from} || ' ' || ${inbound.subject} || ' ' || coalesce(${inbound.content}, '') || ' ' || cast(${inbound.bytes} as text))`;
      return from.db
        .select()
        .from(inbound)
        .where(
          and(unowned ? or(eq(inbound.space, space), isNull(inbound.space)) : eq(inbound.space, space), sql`instr(${text}, ${needle}) > 0`),
        )
        .all();
    },

    remove(tx: Tx, ids: readonly string[]): void {
      tx.db
        .delete(inbound)
        .where(inArray(inbound.id, [...ids]))
        .run();
      tx.db
        .delete(inboundAnswers)
        .where(inArray(inboundAnswers.inboundId, [...ids]))
        .run();
    },

    /** All that answers deliveries which are removed. */
    forgetOf(tx: Tx, deliveryIds: readonly string[]): void {
      const ids = tx.db
        .select({ id: inbound.id })
        .from(inbound)
        .where(inArray(inbound.deliveryId, [...deliveryIds]))
        .all()
        .map(({ id }) => id);
      if (ids.length > 0) this.remove(tx, ids);
    },

    /** Text and bytes of what answers deliveries whose content is removed: an answer quotes it. */
    forgetContentOf(tx: Tx, deliveryIds: readonly string[]): void {
      tx.db
        .update(inbound)
        .set({
          bytes: Buffer.alloc(0),
          content: sql`json_set(${inbound.content}, '$.text', '', '$.quoted', '', '$.signature', '', '$.html', null)`,
        })
        .where(and(inArray(inbound.deliveryId, [...deliveryIds]), eq(inbound.state, 'read')))
        .run();
    },

    /** Bytes of before a time. */
    forgetBytes(tx: Tx, before: number): number {
      const old = tx.db
        .select({ id: inbound.id })
        .from(inbound)
        .where(and(lt(inbound.id, idSince('v', before)), gt(sql`length(${inbound.bytes})`, 0), eq(inbound.state, 'read')))
        .limit(STEP);
      return tx.db
        .update(inbound)
        .set({ bytes: Buffer.alloc(0) })
        .where(inArray(inbound.id, old))
        .run().changes;
    },

    /** What is older than a time; what waits in quarantine stays until a person decides. */
    forget(tx: Tx, before: number): number {
      const ids = tx.db
        .select({ id: inbound.id })
        .from(inbound)
        .where(and(lt(inbound.id, idSince('v', before)), eq(inbound.state, 'read')))
        .limit(STEP)
        .all()
        .map(({ id }) => id);
      if (ids.length > 0) this.remove(tx, ids);
      return ids.length;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface InboundRecords {
  readonly inbound: ReturnType<typeof inboundStore>;
}
