import { and, eq, gt, inArray, lt, ne, or, sql } from 'drizzle-orm';
import { placeholders, reading, writing, type Reader, type Tx, idSince } from '../../kernel/index.js';
import type { DueReports } from './due-reports.js';
import { forgettingStore } from './forgetting-queries.js';
import { asWritten, messagePage, messageRows, type MessageFilter } from './list-queries.js';
import { attachments, type AttachmentRecords } from '../attachments/index.js';
import type { BoxRecords } from '../sensitive-data/index.js';
import { deliveries, idempotency, emails, messages, type DeliveryRow, type MessageRow } from './tables.js';

export interface NewMessage {
  readonly message: MessageRow;
  readonly deliveries: readonly DeliveryRow[];
  readonly attachments?: readonly (typeof attachments.$inferSelect)[];
  readonly idempotency: { readonly key: string; readonly bodyHash: string } | undefined;
}

/** Messages, their deliveries, and the keys that keep them from being accepted twice. */
export function messageStore(
  reads: Reader,
  { contents, boxes, due }: Pick<AttachmentRecords, 'contents'> & BoxRecords & { readonly due: DueReports },
) {
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

  const sentLike = reading((db) =>
    db
      .select({ at: messages.createdAt })
      .from(deliveries)
      .innerJoin(messages, eq(messages.id, deliveries.messageId))
      .where(
        and(
          eq(deliveries.space, sql.placeholder('space')),
          eq(deliveries.address, sql.placeholder('address')),
          gt(deliveries.id, sql.placeholder('after')),
          lt(deliveries.id, sql.placeholder('before')),
          ne(deliveries.state, 'withheld'),
          eq(messages.template, sql.placeholder('template')),
          or(ne(messages.template, ''), eq(messages.subject, sql.placeholder('subject'))),
        ),
      )
      .orderBy(deliveries.id)
      .limit(sql.placeholder('most'))
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
    ...forgettingStore(contents, boxes),

    /** Writes a message with its deliveries; to be called within a transaction. */
    insert(tx: Tx, wanted: NewMessage): void {
      const { message, attachments: files = [] } = wanted;
      insertMessage(tx).run({ ...message, more: files.length === 0 ? message.more : { ...message.more, attached: files.length } });
      for (const delivery of wanted.deliveries) {
        insertDelivery(tx).run({ ...delivery });
        due.report(tx, delivery.fairnessKey, delivery.nextAttemptAt);
      }
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

    /** When emails like one were accepted for its recipient before it and not withheld, oldest first. */
    sentLike(
      { space, template, subject }: MessageRow,
      { address, id: before }: DeliveryRow,
      { since, most }: { readonly since: number; readonly most: number },
      from: Reader = reads,
    ): number[] {
      const found = sentLike(from).all({ space, address, template, subject, after: idSince('d', since), before, most });
      return found.map(({ at }) => at);
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

    /** A filter with its address and reference as they are kept, whatever their capitals. */
    asWritten<F extends Pick<MessageFilter, 'address' | 'reference'>>(space: string, filter: F, from: Reader = reads): F {
      return asWritten(space, filter, from);
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

    /** Whether a message that is kept was made with an edition. */
    usesEdition(tx: Tx, space: string, number: number): boolean {
      const found = and(eq(messages.space, space), eq(messages.edition, number));
      return tx.db.select({ id: messages.id }).from(messages).where(found).limit(1).get() !== undefined;
    },
  };
}
