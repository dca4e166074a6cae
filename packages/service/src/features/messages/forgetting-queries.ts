import { and, eq, inArray, isNotNull, isNull, lt, lte, notExists, or, sql, type SQL } from 'drizzle-orm';
import { idSince, isQuarantined, type Tx } from '../../kernel/index.js';
import type { AttachmentRecords } from '../attachments/index.js';
import { sensitiveBoxes, type BoxRecords } from '../sensitive-data/index.js';
import { attempts, deliveries, emails, facts, idempotency, messages } from './tables.js';

/** Rows that one step of retention removes. */
const STEP = 500;

/** Is called with deliveries of which something is being removed, within the transaction. */
export type Forgetting = (tx: Tx, deliveryIds: readonly string[]) => void;

/** What is removed of messages that wait for nothing: their bodies, their data, and all that is known of them. */
export function forgettingStore(contents: AttachmentRecords['contents'], boxes: BoxRecords['boxes']) {
  const forgotten: Forgetting[] = [];
  const bodiless: Forgetting[] = [];

  /** Messages of which nothing waits or is under way, nor waits in quarantine until a person decides. */
  function settled(tx: Tx, which: SQL | undefined): { id: string; raw: string | null }[] {
    const waiting = tx.db
      .select({ id: deliveries.id })
      .from(deliveries)
      .where(
        and(
          eq(deliveries.messageId, messages.id),
          or(
            isNotNull(deliveries.nextAttemptAt),
            isNotNull(deliveries.owner),
            isNotNull(deliveries.heldBy),
            isQuarantined('queue', deliveries.id),
          ),
        ),
      );
    return tx.db
      .select({ id: messages.id, raw: sql<string | null>`${messages.more} ->> '$.raw'` })
      .from(messages)
      .where(and(which, notExists(waiting)))
      .limit(STEP)
      .all();
  }

  function deliveryIdsOf(tx: Tx, messageIds: readonly string[]): string[] {
    const found = inArray(deliveries.messageId, [...messageIds]);
    return tx.db
      .select({ id: deliveries.id })
      .from(deliveries)
      .where(found)
      .all()
      .map(({ id }) => id);
  }

  function dropBodies(tx: Tx, rows: readonly { readonly id: string; readonly raw: string | null }[]): void {
    const ids = rows.map(({ id }) => id);
    const deliveryIds = deliveryIdsOf(tx, ids);
    tx.db.delete(emails).where(inArray(emails.deliveryId, deliveryIds)).run();
    contents.forgetOf(
      tx,
      [],
      rows.flatMap(({ raw }) => raw ?? []),
    );
    for (const listener of bodiless) listener(tx, deliveryIds);
  }

  return {
    /** Bytes of mail that was made before a time and waits for nothing. */
    forgetEmails(tx: Tx, before: number): number {
      const old = tx.db
        .select({ id: deliveries.id })
        .from(deliveries)
        .innerJoin(emails, eq(emails.deliveryId, deliveries.id))
        .where(and(lt(deliveries.createdAt, before), isNull(deliveries.nextAttemptAt), isNull(deliveries.owner)))
        .limit(STEP);
      return tx.db.delete(emails).where(inArray(emails.deliveryId, old)).run().changes;
    },

    /** Sensitive data that nothing waits for. */
    forgetSensitive(tx: Tx): number {
      const withBoxes = inArray(messages.id, tx.db.select({ id: sensitiveBoxes.ownerId }).from(sensitiveBoxes));
      return boxes.drop(
        tx,
        settled(tx, withBoxes).map(({ id }) => id),
      );
    },

    /** Bodies of messages whose topic keeps them no longer: they are not made again from the data, either. */
    forgetBodies(tx: Tx, now: number): number {
      const rows = settled(tx, lte(messages.bodyUntil, now));
      if (rows.length === 0) return 0;
      dropBodies(tx, rows);
      const ids = rows.map(({ id }) => id);
      tx.db
        .update(messages)
        .set({ bodyUntil: null, more: sql`json_set(json_remove(${messages.more}, '$.raw'), '$.dropped', 'body')` })
        .where(inArray(messages.id, ids))
        .run();
      return rows.length;
    },

    /** Data of messages whose topic keeps them no longer, with everything that was made of them: body, subject, attachments. */
    forgetData(tx: Tx, now: number): number {
      const rows = settled(tx, lte(messages.dataUntil, now));
      if (rows.length === 0) return 0;
      this.dropData(tx, rows);
      return rows.length;
    },

    /** Removes the content of messages; recipients and outcomes are kept. */
    dropData(tx: Tx, rows: readonly { readonly id: string; readonly raw: string | null }[]): void {
      const ids = rows.map(({ id }) => id);
      dropBodies(tx, rows);
      contents.forgetOf(tx, ids, []);
      boxes.drop(tx, ids);
      // Links are made of the data.
      tx.db
        .update(facts)
        .set({ details: sql`json_remove(${facts.details}, '$.link.url')`, diagnostic: null })
        .where(and(inArray(facts.deliveryId, deliveryIdsOf(tx, ids)), eq(facts.kind, 'link-followed')))
        .run();
      tx.db
        .update(messages)
        .set({
          bodyUntil: null,
          dataUntil: null,
          data: {},
          subject: '',
          more: sql`json_set(json_remove(${messages.more}, '$.raw', '$.ready', '$.headers', '$.calendar', '$.attached'), '$.dropped', 'data')`,
        })
        .where(inArray(messages.id, ids))
        .run();
    },

    /** Messages whose topic keeps nothing of them any longer. */
    forgetWhole(tx: Tx, now: number): number {
      const rows = settled(tx, lte(messages.factsUntil, now));
      this.remove(tx, rows);
      return rows.length;
    },

    /** Messages that were accepted before a time and wait for nothing, with all that is known of them. */
    forget(tx: Tx, before: number): number {
      const rows = settled(tx, lt(messages.id, idSince('m', before)));
      this.remove(tx, rows);
      return rows.length;
    },

    /** Removes messages with all that is known of them. */
    remove(tx: Tx, rows: readonly { readonly id: string; readonly raw: string | null }[]): void {
      if (rows.length === 0) return;
      const ids = rows.map(({ id }) => id);
      const deliveryIds = deliveryIdsOf(tx, ids);
      for (const listener of [...bodiless, ...forgotten]) listener(tx, deliveryIds);
      for (const table of [facts, attempts, emails]) tx.db.delete(table).where(inArray(table.deliveryId, deliveryIds)).run();
      boxes.drop(tx, ids);
      for (const table of [idempotency, deliveries]) tx.db.delete(table).where(inArray(table.messageId, ids)).run();
      tx.db.delete(messages).where(inArray(messages.id, ids)).run();
      contents.forgetOf(
        tx,
        ids,
        rows.flatMap(({ raw }) => raw ?? []),
      );
    },

    /** Removes some deliveries of a message with all that is known of them; the message stays for the others. */
    removeDeliveries(tx: Tx, deliveryIds: readonly string[]): void {
      const ids = [...deliveryIds];
      for (const listener of [...bodiless, ...forgotten]) listener(tx, ids);
      for (const table of [facts, attempts, emails]) tx.db.delete(table).where(inArray(table.deliveryId, ids)).run();
      tx.db.delete(deliveries).where(inArray(deliveries.id, ids)).run();
    },

    /** Is called with the deliveries that are being removed, within the transaction. */
    onForgotten(listener: Forgetting): void {
      forgotten.push(listener);
    },

    /** Is called with the deliveries whose bodies are being removed, also where they go with everything else. */
    onBodiless(listener: Forgetting): void {
      bodiless.push(listener);
    },
  };
}
