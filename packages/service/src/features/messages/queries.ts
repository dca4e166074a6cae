import { and, eq, inArray, sql, isNotNull, isNull, lt, notExists, or } from 'drizzle-orm';
import { placeholders, reading, writing, type Reader, type Tx, idSince, isQuarantined } from '../../kernel/index.js';
import { messagePage, messageRows, type MessageFilter } from './list-queries.js';
import { attachments, type AttachmentRecords } from '../attachments/index.js';
import { attempts, deliveries, facts, idempotency, emails, messages, type DeliveryRow, type MessageRow } from './tables.js';

/** Rows that one step of retention removes. */
const STEP = 500;

export interface NewMessage {
  readonly message: MessageRow;
  readonly deliveries: readonly DeliveryRow[];
  readonly attachments?: readonly (typeof attachments.$inferSelect)[];
  readonly idempotency: { readonly key: string; readonly bodyHash: string } | undefined;
}

/** Messages, their deliveries, and the keys that keep them from being accepted twice. */
export function messageStore(reads: Reader, contents: AttachmentRecords['contents']) {
  const forgotten: ((tx: Tx, deliveryIds: readonly string[]) => void)[] = [];
  const insertMessage = writing((db) => db.insert(messages).values(placeholders(messages)).prepare());
  const insertDelivery = writing((db) => db.insert(deliveries).values(placeholders(deliveries)).prepare());
  const insertKey = writing((db) => db.insert(idempotency).values(placeholders(idempotency)).prepare());
  const findKey = reading((db) =>
    db
      .select()
      .from(idempotency)
      .where(and(eq(idempotency.space, sql.placeholder('space')), eq(idempotency.key, sql.placeholder('key'))))
      .prepare(),
  );
  const byId = reading((db) =>
    db
      .select()
      .from(messages)
      .where(eq(messages.id, sql.placeholder('id')))
      .prepare(),
  );
  const mailOf = reading((db) =>
    db
      .select({ bytes: emails.bytes })
      .from(emails)
      .where(eq(emails.deliveryId, sql.placeholder('id')))
      .prepare(),
  );

  const insertMail = writing((db) =>
    db
      .insert(emails)
      .values({ deliveryId: sql.placeholder('deliveryId'), bytes: sql.placeholder('bytes') })
      .onConflictDoNothing()
      .prepare(),
  );

  return {
    /** Writes a message with its deliveries; to be called within a transaction. */
    insert(tx: Tx, wanted: NewMessage): void {
      const { message, attachments: files = [] } = wanted;
      insertMessage(tx).run({ ...message, more: files.length === 0 ? message.more : { ...message.more, attached: files.length } });
      for (const delivery of wanted.deliveries) insertDelivery(tx).run({ ...delivery });
      for (const attachment of files) tx.db.insert(attachments).values(attachment).run();
      if (wanted.idempotency !== undefined) {
        insertKey(tx).run({
          space: wanted.message.space,
          ...wanted.idempotency,
          messageId: wanted.message.id,
          createdAt: wanted.message.createdAt,
        });
      }
    },

    /** By its own Message-ID, without angle brackets. */
    byHeaderId(space: string, headerId: string, from: Reader = reads): MessageRow | undefined {
      return from.db
        .select()
        .from(messages)
        .where(and(eq(messages.space, space), eq(messages.headerId, headerId)))
        .get();
    },

    /** The message that was accepted under an idempotency key. */
    underKey(space: string, key: string, from: Reader = reads): { bodyHash: string; messageId: string } | undefined {
      return findKey(from).get({ space, key });
    },

    find(space: string, id: string, from: Reader = reads): MessageRow | undefined {
      const row = byId(from).get({ id });
      return row?.space === space ? row : undefined;
    },

    findAny(id: string, from: Reader = reads): MessageRow | undefined {
      return byId(from).get({ id });
    },

    mail(deliveryId: string, from: Reader = reads): Buffer | undefined {
      return mailOf(from).get({ id: deliveryId })?.bytes;
    },

    /** Keeps the bytes of an email; the first ones stay. */
    keepMail(tx: Tx, deliveryId: string, bytes: Uint8Array): void {
      insertMail(tx).run({ deliveryId, bytes: Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength) });
    },

    /** A page, newest first, and whether the look ended early. */
    list(filter: MessageFilter, from: Reader = reads): { rows: MessageRow[]; next: string | undefined; partial: boolean } {
      const page = messagePage(filter, from);
      return { rows: messageRows(page, from), next: page.next, partial: page.partial };
    },

    deliveriesOf(messageIds: readonly string[], from: Reader = reads): DeliveryRow[] {
      if (messageIds.length === 0) return [];
      return from.db
        .select()
        .from(deliveries)
        .where(inArray(deliveries.messageId, [...messageIds]))
        .orderBy(deliveries.id)
        .all();
    },

    /** Bytes of mail that was made before a time and waits for nothing. */
    forgetEmails(tx: Tx, before: number): number {
      const old = tx.db
        .select({ id: deliveries.id })
        .from(deliveries)
        .innerJoin(emails, eq(emails.deliveryId, deliveries.id))
        .where(and(lt(deliveries.createdAt, before), isNull(deliveries.nextAttemptAt)))
        .limit(STEP);
      return tx.db.delete(emails).where(inArray(emails.deliveryId, old)).run().changes;
    },

    /** Messages that were accepted before a time and wait for nothing, with all that is known of them. */
    forget(tx: Tx, before: number): number {
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
      const deliveryIds = tx.db.select({ id: deliveries.id }).from(deliveries).where(inArray(deliveries.messageId, ids)).all();
      for (const listener of forgotten)
        listener(
          tx,
          deliveryIds.map((row) => row.id),
        );
      const ofThem = tx.db.select({ id: deliveries.id }).from(deliveries).where(inArray(deliveries.messageId, ids));
      for (const table of [facts, attempts, emails]) tx.db.delete(table).where(inArray(table.deliveryId, ofThem)).run();
      for (const table of [idempotency, deliveries]) tx.db.delete(table).where(inArray(table.messageId, ids)).run();
      tx.db.delete(messages).where(inArray(messages.id, ids)).run();
      contents.forgetOf(
        tx,
        ids,
        rows.flatMap((row) => row.raw ?? []),
      );
      return rows.length;
    },

    /** Is called with the deliveries that are being removed, within the transaction. */
    onForgotten(listener: (tx: Tx, deliveryIds: readonly string[]) => void): void {
      forgotten.push(listener);
    },

    /** Whether a message that is kept was made with an edition. */
    usesEdition(tx: Tx, space: string, number: number): boolean {
      const found = and(eq(messages.space, space), eq(messages.edition, number));
      return tx.db.select({ id: messages.id }).from(messages).where(found).limit(1).get() !== undefined;
    },
  };
}
