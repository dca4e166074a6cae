import { and, desc, eq, inArray, isNotNull, isNull, lt, sql, type SQL, gt } from 'drizzle-orm';
import { placeholders, reading, writing, type Reader, type Tx, idSince } from '../../kernel/index.js';
import { attempts, deliveries, messages } from '../messages/index.js';
import { returns } from './tables.js';

/** Rows that one step of retention removes. */
const STEP = 500;

export type ReturnRow = typeof returns.$inferSelect;
/** What is needed of a delivery to conclude something about it. */
export type KnownDelivery = Pick<typeof deliveries.$inferSelect, 'id' | 'space' | 'address' | 'messageId' | 'createdAt' | 'sensitive'>;

export interface ReturnFilter {
  readonly space: string;
  /** Also those that are nobody's. */
  readonly unowned: boolean;
  readonly limit: number;
  readonly before?: string | undefined;
  readonly kind?: ReturnRow['kind'] | undefined;
  readonly matched?: boolean | undefined;
  /** Only those about deliveries of this message. */
  readonly messageId?: string | undefined;
}

/** What came back, as it came back. */
export function returnStore(reads: Reader) {
  const insertReturn = writing((db) => db.insert(returns).values(placeholders(returns)).onConflictDoNothing().prepare());
  const byProviderIds = reading((db) =>
    db
      .select({
        providerId: attempts.providerId,
        id: deliveries.id,
        space: deliveries.space,
        address: deliveries.address,
        messageId: deliveries.messageId,
        createdAt: deliveries.createdAt,
        sensitive: deliveries.sensitive,
      })
      .from(attempts)
      .innerJoin(deliveries, eq(deliveries.id, attempts.deliveryId))
      .where(
        and(
          sql`${attempts.providerId} in (select value from json_each(${sql.placeholder('providerIds')}))`,
          eq(attempts.provider, sql.placeholder('provider')),
        ),
      )
      .prepare(),
  );
  const ofHeaderId = reading((db) =>
    db
      .select({ id: deliveries.id, address: deliveries.address, space: deliveries.space })
      .from(messages)
      .innerJoin(deliveries, eq(deliveries.messageId, messages.id))
      .where(eq(messages.headerId, sql.placeholder('headerId')))
      .limit(1000)
      .prepare(),
  );

  const attemptsBy = reading((db) =>
    db
      .select({ id: attempts.id })
      .from(attempts)
      .where(and(eq(attempts.deliveryId, sql.placeholder('deliveryId')), eq(attempts.provider, sql.placeholder('provider'))))
      .limit(1)
      .prepare(),
  );

  const byHash = reading((db) =>
    db
      .select({ id: returns.id, deliveryId: returns.deliveryId })
      .from(returns)
      .where(eq(returns.hash, sql.placeholder('hash')))
      .prepare(),
  );

  function ofSpace(space: SQL, { limit, before, kind, matched, messageId }: ReturnFilter, from: Reader): ReturnRow[] {
    const found = [space];
    if (before !== undefined) found.push(lt(returns.id, before));
    if (kind !== undefined) found.push(eq(returns.kind, kind));
    if (matched !== undefined) found.push(matched ? isNotNull(returns.deliveryId) : isNull(returns.deliveryId));
    if (messageId !== undefined) {
      const own = from.db.select({ id: deliveries.id }).from(deliveries).where(eq(deliveries.messageId, messageId));
      found.push(inArray(returns.deliveryId, own));
    }
    return from.db
      .select()
      .from(returns)
      .where(and(...found))
      .orderBy(desc(returns.id))
      .limit(limit)
      .all();
  }

  return {
    /** @returns false when this very return is there already */
    insert(tx: Tx, row: ReturnRow): boolean {
      return insertReturn(tx).run({ ...row }).changes > 0;
    },

    find(id: string, from: Reader = reads): ReturnRow | undefined {
      return from.db.select().from(returns).where(eq(returns.id, id)).get();
    },

    findByHash(hash: string, from: Reader = reads): { id: string; deliveryId: string | null } | undefined {
      return byHash(from).get({ hash });
    },

    /** The same report about the same delivery, or about none, of a space. */
    sameReport(
      { fingerprint, deliveryId, space }: Pick<ReturnRow, 'fingerprint' | 'deliveryId' | 'space'>,
      from: Reader = reads,
    ): { id: string; deliveryId: string | null } | undefined {
      if (fingerprint === null) return undefined;
      const ofDelivery = deliveryId === null ? isNull(returns.deliveryId) : eq(returns.deliveryId, deliveryId);
      const ofSpace = space === null ? isNull(returns.space) : eq(returns.space, space);
      return from.db
        .select({ id: returns.id, deliveryId: returns.deliveryId })
        .from(returns)
        .where(and(eq(returns.fingerprint, fingerprint), ofDelivery, ofSpace))
        .limit(1)
        .get();
    },

    /** Newest first. Returns of no space have a query of their own, so that each query goes along an index. */
    list(filter: ReturnFilter, from: Reader = reads): ReturnRow[] {
      const own = ofSpace(eq(returns.space, filter.space), filter, from);
      if (!filter.unowned) return own;
      const nobodys = ofSpace(isNull(returns.space), filter, from);
      return [...own, ...nobodys].sort(({ id }, other) => (id < other.id ? 1 : -1)).slice(0, filter.limit);
    },

    remove(tx: Tx, id: string): void {
      tx.db.delete(returns).where(eq(returns.id, id)).run();
    },

    match(tx: Tx, id: string, deliveryId: string, space: string): void {
      tx.db.update(returns).set({ deliveryId, space }).where(eq(returns.id, id)).run();
    },

    /** The deliveries that a provider knows by ids of its own, by those ids. */
    deliveriesByProviderIds(provider: string, providerIds: readonly string[], from: Reader = reads): Map<string, KnownDelivery> {
      const rows = byProviderIds(from).all({ provider, providerIds: JSON.stringify(providerIds) });
      return new Map(rows.map(({ providerId, ...row }) => [providerId ?? '', row]));
    },

    /** Whether there was an attempt to hand a delivery to a provider. */
    wasGivenTo(deliveryId: string, provider: string, from: Reader = reads): boolean {
      return attemptsBy(from).get({ deliveryId, provider }) !== undefined;
    },

    /** The deliveries of the message with this Message-ID, of whatever space. */
    deliveriesOfHeaderId(headerId: string, from: Reader = reads): { id: string; address: string; space: string }[] {
      return ofHeaderId(from).all({ headerId });
    },

    /** Bytes of returns of before a time. */
    forgetBytes(tx: Tx, before: number): number {
      // Ids sort by time, so the oldest are the first.
      const old = tx.db
        .select({ id: returns.id })
        .from(returns)
        .where(and(lt(returns.id, idSince('r', before)), gt(sql`length(${returns.bytes})`, 0)))
        .limit(STEP);
      return tx.db
        .update(returns)
        .set({ bytes: Buffer.alloc(0) })
        .where(inArray(returns.id, old))
        .run().changes;
    },

    /** Writes a return of which less is kept from now on. */
    removeContent(tx: Tx, { id, bytes, readout }: Pick<ReturnRow, 'id' | 'bytes' | 'readout'>): void {
      tx.db.update(returns).set({ bytes, readout }).where(eq(returns.id, id)).run();
    },

    /** Bytes of what came back about deliveries: a return holds the email that it returns. */
    forgetBytesOf(tx: Tx, deliveryIds: readonly string[]): void {
      tx.db
        .update(returns)
        .set({ bytes: Buffer.alloc(0) })
        .where(inArray(returns.deliveryId, [...deliveryIds]))
        .run();
    },

    /** All that came back about deliveries. */
    forgetOf(tx: Tx, deliveryIds: readonly string[]): void {
      tx.db
        .delete(returns)
        .where(inArray(returns.deliveryId, [...deliveryIds]))
        .run();
    },

    forget(tx: Tx, before: number): number {
      const old = tx.db
        .select({ id: returns.id })
        .from(returns)
        .where(lt(returns.id, idSince('r', before)))
        .limit(STEP);
      return tx.db.delete(returns).where(inArray(returns.id, old)).run().changes;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface ReturnRecords {
  readonly returns: ReturnType<typeof returnStore>;
}
