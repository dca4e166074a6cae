import { and, desc, eq, gte, inArray, lt, sql } from 'drizzle-orm';
import type { State } from '@verbalis/core/delivery';
import type { Db } from './database.js';
import { idSince } from './ids.js';
import { attachments, deliveries, idempotency, mails, messages } from './schema.js';

export type MessageRow = typeof messages.$inferSelect;
export type DeliveryRow = typeof deliveries.$inferSelect;

export interface NewMessage {
  readonly message: MessageRow;
  readonly deliveries: readonly DeliveryRow[];
  readonly attachments?: readonly (typeof attachments.$inferSelect)[];
  readonly idempotency: { readonly key: string; readonly bodyHash: string } | undefined;
}

export interface MessageFilter {
  readonly space: string;
  readonly limit: number;
  /** The id of the last message of the page before. */
  readonly before?: string | undefined;
  readonly state?: State | undefined;
  readonly address?: string | undefined;
  readonly template?: string | undefined;
  readonly reference?: string | undefined;
  /** Asked for at this time or later, and before another; in milliseconds since the epoch. */
  readonly from?: number | undefined;
  readonly to?: number | undefined;
}

/** Rows that are read at a time where a filter is on the deliveries. */
const STEP = 500;

export type MessageStore = ReturnType<typeof messageStore>;

/** Messages, their deliveries, and the keys that keep them from being accepted twice. */
export function messageStore(db: Db) {
  const insertMessage = db
    .insert(messages)
    .values({
      id: sql.placeholder('id'),
      space: sql.placeholder('space'),
      edition: sql.placeholder('edition'),
      template: sql.placeholder('template'),
      locale: sql.placeholder('locale'),
      topic: sql.placeholder('topic'),
      subject: sql.placeholder('subject'),
      sender: sql.placeholder('sender'),
      to: sql.placeholder('to'),
      more: sql.placeholder('more'),
      reference: sql.placeholder('reference'),
      labels: sql.placeholder('labels'),
      data: sql.placeholder('data'),
      headerId: sql.placeholder('headerId'),
      createdAt: sql.placeholder('createdAt'),
    })
    .prepare();
  const insertDelivery = db
    .insert(deliveries)
    .values({
      id: sql.placeholder('id'),
      messageId: sql.placeholder('messageId'),
      space: sql.placeholder('space'),
      address: sql.placeholder('address'),
      state: sql.placeholder('state'),
      cause: sql.placeholder('cause'),
      attempts: sql.placeholder('attempts'),
      createdAt: sql.placeholder('createdAt'),
      nextAttemptAt: sql.placeholder('nextAttemptAt'),
      leaseUntil: sql.placeholder('leaseUntil'),
      owner: sql.placeholder('owner'),
      line: sql.placeholder('line'),
      domain: sql.placeholder('domain'),
      expiresAt: sql.placeholder('expiresAt'),
      decidedBy: sql.placeholder('decidedBy'),
      avoid: sql.placeholder('avoid'),
      intended: sql.placeholder('intended'),
      kept: sql.placeholder('kept'),
    })
    .prepare();
  const insertKey = db
    .insert(idempotency)
    .values({
      space: sql.placeholder('space'),
      key: sql.placeholder('key'),
      bodyHash: sql.placeholder('bodyHash'),
      messageId: sql.placeholder('messageId'),
      createdAt: sql.placeholder('createdAt'),
    })
    .prepare();
  const findKey = db
    .select()
    .from(idempotency)
    .where(and(eq(idempotency.space, sql.placeholder('space')), eq(idempotency.key, sql.placeholder('key'))))
    .prepare();
  const byId = db
    .select()
    .from(messages)
    .where(eq(messages.id, sql.placeholder('id')))
    .prepare();
  const mailOf = db
    .select({ bytes: mails.bytes })
    .from(mails)
    .where(eq(mails.deliveryId, sql.placeholder('id')))
    .prepare();

  const insertMail = db
    .insert(mails)
    .values({ deliveryId: sql.placeholder('deliveryId'), bytes: sql.placeholder('bytes') })
    .onConflictDoNothing()
    .prepare();

  /**
   * Messages with a delivery in a state or to an address, newest first, some at a time. Ids are one sequence, whatever they begin with: those
   * of a message's deliveries come after its own and before the next message's, so the index by delivery gives messages in order.
   */
  function messagesWith({ space, state, address, before }: MessageFilter, first: string | undefined, last: string | undefined) {
    const ofDelivery = (id: string): string => `d${id.slice(1)}`;
    const found = [eq(deliveries.space, space)];
    if (state !== undefined) found.push(eq(deliveries.state, state));
    if (address !== undefined) found.push(eq(deliveries.address, address));
    if (first !== undefined) found.push(gte(deliveries.id, ofDelivery(first)));
    let below = [before, last].flatMap((id) => (id === undefined ? [] : [ofDelivery(id)])).sort()[0];
    let done = false;
    let left: string[] = [];
    const seen = new Set<string>();
    return {
      take(count: number): string[] {
        while (left.length < count && !done) {
          const rows = db
            .select({ id: deliveries.id, messageId: deliveries.messageId })
            .from(deliveries)
            .where(and(...found, ...(below === undefined ? [] : [lt(deliveries.id, below)])))
            .orderBy(desc(deliveries.id))
            .limit(STEP)
            .all();
          below = rows.at(-1)?.id;
          done = rows.length < STEP;
          for (const { messageId } of rows) {
            if (!seen.has(messageId)) left.push(messageId);
            seen.add(messageId);
          }
        }
        const taken = left.slice(0, count);
        left = left.slice(count);
        return taken;
      },
    };
  }

  return {
    /** Writes a message with its deliveries; to be called within a transaction. */
    insert(wanted: NewMessage): void {
      const { message, attachments: files = [] } = wanted;
      insertMessage.run({ ...message, more: files.length === 0 ? message.more : { ...message.more, attached: files.length } });
      for (const delivery of wanted.deliveries) insertDelivery.run({ ...delivery });
      for (const attachment of files) db.insert(attachments).values(attachment).run();
      if (wanted.idempotency !== undefined) {
        insertKey.run({
          space: wanted.message.space,
          ...wanted.idempotency,
          messageId: wanted.message.id,
          createdAt: wanted.message.createdAt,
        });
      }
    },

    /** By its own Message-ID, without angle brackets. */
    byHeaderId(space: string, headerId: string): MessageRow | undefined {
      return db
        .select()
        .from(messages)
        .where(and(eq(messages.space, space), eq(messages.headerId, headerId)))
        .get();
    },

    /** The message that was accepted under an idempotency key. */
    underKey(space: string, key: string): { bodyHash: string; messageId: string } | undefined {
      return findKey.get({ space, key });
    },

    find(space: string, id: string): MessageRow | undefined {
      const row = byId.get({ id });
      return row?.space === space ? row : undefined;
    },

    findAny(id: string): MessageRow | undefined {
      return byId.get({ id });
    },

    mail(deliveryId: string): Buffer | undefined {
      return mailOf.get({ id: deliveryId })?.bytes;
    },

    /** Keeps the bytes of a mail; the first ones stay. */
    keepMail(deliveryId: string, bytes: Uint8Array): void {
      insertMail.run({ deliveryId, bytes: Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength) });
    },

    /** Newest first. */
    list(filter: MessageFilter): MessageRow[] {
      const found = [eq(messages.space, filter.space)];
      if (filter.before !== undefined) found.push(lt(messages.id, filter.before));
      if (filter.template !== undefined) found.push(eq(messages.template, filter.template));
      if (filter.reference !== undefined) found.push(eq(messages.reference, filter.reference));
      // Ids sort by time.
      const [first, last] = [filter.from, filter.to].map((at) => (at === undefined ? undefined : idSince('m', at)));
      if (first !== undefined) found.push(gte(messages.id, first));
      if (last !== undefined) found.push(lt(messages.id, last));
      if (filter.state !== undefined || filter.address !== undefined) {
        const ids = messagesWith(filter, first, last);
        if (filter.template === undefined && filter.reference === undefined) {
          return db
            .select()
            .from(messages)
            .where(inArray(messages.id, ids.take(filter.limit)))
            .orderBy(desc(messages.id))
            .all();
        }
        // Few have both, so those with the other are looked through.
        const out: MessageRow[] = [];
        for (let some = ids.take(STEP); some.length > 0 && out.length < filter.limit; some = ids.take(STEP))
          out.push(
            ...db
              .select()
              .from(messages)
              .where(and(inArray(messages.id, some), ...found))
              .orderBy(desc(messages.id))
              .all(),
          );
        return out.slice(0, filter.limit);
      }
      return db
        .select()
        .from(messages)
        .where(and(...found))
        .orderBy(desc(messages.id))
        .limit(filter.limit)
        .all();
    },

    deliveriesOf(messageIds: readonly string[]): DeliveryRow[] {
      if (messageIds.length === 0) return [];
      return db
        .select()
        .from(deliveries)
        .where(inArray(deliveries.messageId, [...messageIds]))
        .orderBy(deliveries.id)
        .all();
    },
  };
}
