import { and, eq, gt, inArray, isNotNull, isNull, lt, lte, notExists, or, sql } from 'drizzle-orm';
import { isQuarantined, type Tx } from '../kernel/index.js';
import { idSince } from './ids.js';
import {
  alerts,
  attachments,
  attempts,
  blobs,
  captured,
  contentPieces,
  contents,
  counted,
  deliveries,
  editions,
  editionsInUse,
  facts,
  idempotency,
  mails,
  messages,
  returns,
  senderFaults,
  sessions,
  uploads,
} from './schema.js';

/** Rows that one step removes, so that no step holds the file for long. */
const STEP = 500;
const BLOBS_STEP = 20_000;

export type Housekeeping = ReturnType<typeof housekeeping>;

/** What is removed when it is old. Each function is one step and returns how many rows it removed; 0 means that nothing is left to remove. */
export function housekeeping() {
  /** Removes bytes that nothing refers to any more. */
  function dropUnused(tx: Tx, contentIds: readonly string[]): void {
    for (const id of contentIds) {
      const isUsed =
        tx.db
          .select({ n: sql`1` })
          .from(attachments)
          .where(eq(attachments.contentId, id))
          .limit(1)
          .get() ??
        tx.db
          .select({ n: sql`1` })
          .from(uploads)
          .where(eq(uploads.contentId, id))
          .limit(1)
          .get() ??
        tx.db
          .select({ n: sql`1` })
          .from(captured)
          .where(eq(captured.contentId, id))
          .limit(1)
          .get();
      if (isUsed !== undefined) continue;
      tx.db.delete(contentPieces).where(eq(contentPieces.contentId, id)).run();
      tx.db.delete(contents).where(eq(contents.id, id)).run();
    }
  }

  return {
    /** Bytes of mail that was made before a time and waits for nothing. */
    forgetMails(tx: Tx, before: number): number {
      const old = tx.db
        .select({ id: deliveries.id })
        .from(deliveries)
        .innerJoin(mails, eq(mails.deliveryId, deliveries.id))
        .where(and(lt(deliveries.createdAt, before), isNull(deliveries.nextAttemptAt)))
        .limit(STEP);
      return tx.db.delete(mails).where(inArray(mails.deliveryId, old)).run().changes;
    },

    /** Bytes of returns of before a time. */
    forgetReturnBytes(tx: Tx, before: number): number {
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

    forgetReturns(tx: Tx, before: number): number {
      const old = tx.db
        .select({ id: returns.id })
        .from(returns)
        .where(lt(returns.id, idSince('r', before)))
        .limit(STEP);
      return tx.db.delete(returns).where(inArray(returns.id, old)).run().changes;
    },

    /** Messages that were accepted before a time and wait for nothing, with all that is known of them. */
    forgetMessages(tx: Tx, before: number): number {
      // What is due, and what waits in quarantine until a person decides.
      const waiting = tx.db
        .select({ id: deliveries.id })
        .from(deliveries)
        .where(and(eq(deliveries.messageId, messages.id), or(isNotNull(deliveries.nextAttemptAt), isQuarantined('queue', deliveries.id))));
      const rows = tx.db
        .select({ id: messages.id, raw: sql<string | null>`${messages.more} ->> '$.raw'` })
        .from(messages)
        .where(and(lt(messages.id, idSince('m', before)), notExists(waiting)))
        .limit(STEP)
        .all();
      if (rows.length === 0) return 0;
      const ids = rows.map((row) => row.id);
      const kept = [
        ...tx.db
          .select({ id: attachments.contentId })
          .from(attachments)
          .where(inArray(attachments.messageId, ids))
          .all()
          .map((row) => row.id),
        ...rows.map((row) => row.raw),
      ];
      const ofThem = tx.db.select({ id: deliveries.id }).from(deliveries).where(inArray(deliveries.messageId, ids));
      for (const table of [facts, attempts, mails, counted]) tx.db.delete(table).where(inArray(table.deliveryId, ofThem)).run();
      for (const table of [attachments, idempotency, deliveries]) tx.db.delete(table).where(inArray(table.messageId, ids)).run();
      tx.db.delete(messages).where(inArray(messages.id, ids)).run();
      dropUnused(
        tx,
        kept.filter((id) => id !== null),
      );
      return rows.length;
    },

    /** Uploads of before a time; bytes that messages attached stay with them. */
    forgetUploads(tx: Tx, before: number): number {
      const rows = tx.db
        .select({ id: uploads.id, contentId: uploads.contentId })
        .from(uploads)
        .where(lt(uploads.id, idSince('u', before)))
        .limit(STEP)
        .all();
      if (rows.length === 0) return 0;
      tx.db
        .delete(uploads)
        .where(
          inArray(
            uploads.id,
            rows.map((row) => row.id),
          ),
        )
        .run();
      dropUnused(
        tx,
        rows.map((row) => row.contentId),
      );
      return rows.length;
    },

    /** Bytes that began to come in before a time and never ended. */
    forgetUnfinished(tx: Tx, before: number): number {
      const rows = tx.db
        .select({ id: contents.id })
        .from(contents)
        .where(and(isNull(contents.hash), lt(contents.createdAt, before)))
        .limit(STEP)
        .all();
      for (const { id } of rows) {
        tx.db.delete(contentPieces).where(eq(contentPieces.contentId, id)).run();
        tx.db.delete(contents).where(eq(contents.id, id)).run();
      }
      return rows.length;
    },

    /** Alerts that were resolved before a time. */
    forgetAlerts(tx: Tx, before: number): number {
      const old = tx.db.select({ id: alerts.id }).from(alerts).where(lt(alerts.resolvedAt, before)).limit(STEP);
      return tx.db.delete(alerts).where(inArray(alerts.id, old)).run().changes;
    },

    /** Sender faults that were reported to the operator before a time. */
    forgetSenderFaults(tx: Tx, before: number): number {
      return tx.db.delete(senderFaults).where(lt(senderFaults.toldAt, before)).run().changes;
    },

    /** Sessions and sign-in tokens that have run out. */
    forgetSessions(tx: Tx, now: number): number {
      return tx.db.delete(sessions).where(lte(sessions.expiresAt, now)).run().changes;
    },

    /** Editions of before a time that are not in use, are not among the newest of their space, and belong to no message that is kept. */
    forgetEditions(tx: Tx, before: number, newest: number): number {
      const rows = tx.db
        .select({ space: editions.space, number: editions.number })
        .from(editions)
        .where(
          and(
            lt(editions.createdAt, before),
            sql`${editions.number} <= (select max(number) from editions newer where newer.space = ${editions.space}) - ${newest}`,
            notExists(
              tx.db
                .select({ n: sql`1` })
                .from(editionsInUse)
                .where(and(eq(editionsInUse.space, editions.space), eq(editionsInUse.number, editions.number))),
            ),
            notExists(
              tx.db
                .select({ n: sql`1` })
                .from(messages)
                .where(and(eq(messages.space, editions.space), eq(messages.edition, editions.number))),
            ),
          ),
        )
        .limit(STEP)
        .all();
      for (const { space, number } of rows)
        tx.db
          .delete(editions)
          .where(and(eq(editions.space, space), eq(editions.number, number)))
          .run();
      return rows.length;
    },

    /** Files that no edition has any more; all of them. */
    forgetBlobs(tx: Tx): number {
      const used = sql`(select distinct entry.value from ${editions}, json_each(${editions.manifest}) entry)`;
      const old = tx.db
        .select({ hash: blobs.hash })
        .from(blobs)
        .where(sql`${blobs.hash} not in ${used}`)
        .limit(BLOBS_STEP);
      return tx.db.delete(blobs).where(inArray(blobs.hash, old)).run().changes;
    },
  };
}
