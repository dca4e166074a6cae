import { createHash } from 'node:crypto';
import { and, eq, sql, inArray, isNull, lt } from 'drizzle-orm';
import type { Bytes } from '@verbalis/core/mime';
import { reading, writing, type Reader, type Tx, newId, idSince } from '../../kernel/index.js';
import { attachments, contentPieces, contents, uploads } from './tables.js';

export type AttachmentRow = typeof attachments.$inferSelect;
export type UploadRow = typeof uploads.$inferSelect;
/** Rows that one step of retention removes. */
const STEP = 500;
/** Bytes of one row; an email is read piece by piece while it is sent. */
const PIECE = 256 * 1024;

/** Bytes that came with messages: attachments and what was handed in for them. */
export function contentStore(reads: Reader) {
  const addPiece = writing((db) =>
    db
      .insert(contentPieces)
      .values({ contentId: sql.placeholder('id'), n: sql.placeholder('n'), bytes: sql.placeholder('bytes') })
      .prepare(),
  );
  const pieceAt = reading((db) =>
    db
      .select({ bytes: contentPieces.bytes })
      .from(contentPieces)
      .where(and(eq(contentPieces.contentId, sql.placeholder('id')), eq(contentPieces.n, sql.placeholder('n'))))
      .prepare(),
  );

  const attachmentsOf = reading((db) =>
    db
      .select()
      .from(attachments)
      .where(eq(attachments.messageId, sql.placeholder('id')))
      .orderBy(attachments.n)
      .prepare(),
  );

  const lastPiece = reading((db) =>
    db
      .select({ n: sql<number | null>`max(${contentPieces.n})` })
      .from(contentPieces)
      .where(eq(contentPieces.contentId, sql.placeholder('id')))
      .prepare(),
  );

  const users: ((tx: Tx, id: string) => boolean)[] = [];

  /** Removes bytes that nothing refers to any more. */
  function dropUnused(tx: Tx, contentIds: readonly string[]): void {
    for (const id of contentIds) {
      const isAttached = tx.db.select({ n: attachments.n }).from(attachments).where(eq(attachments.contentId, id)).limit(1).get();
      const isUploaded = tx.db.select({ id: uploads.id }).from(uploads).where(eq(uploads.contentId, id)).limit(1).get();
      if (isAttached !== undefined || isUploaded !== undefined || users.some((uses) => uses(tx, id))) continue;
      tx.db.delete(contentPieces).where(eq(contentPieces.contentId, id)).run();
      tx.db.delete(contents).where(eq(contents.id, id)).run();
    }
  }

  return {
    /** Another feature refers to contents: they stay while it says so. */
    alsoUsedBy(uses: (tx: Tx, id: string) => boolean): void {
      users.push(uses);
    },

    /** Removes the attachments of messages, and the bytes that nothing else refers to. @param more ids of contents that the messages had otherwise */
    forgetOf(tx: Tx, messageIds: readonly string[], more: readonly string[]): void {
      const found = inArray(attachments.messageId, [...messageIds]);
      const ids = tx.db.select({ id: attachments.contentId }).from(attachments).where(found).all();
      tx.db.delete(attachments).where(found).run();
      dropUnused(tx, [...ids.flatMap(({ id }) => id ?? []), ...more]);
    },

    /** Begins to take bytes in; nothing counts before `end`. @returns their id */
    begin(tx: Tx, now: number): string {
      const id = newId('c', now);
      tx.db.insert(contents).values({ id, hash: null, size: 0, createdAt: now }).run();
      return id;
    },

    /** Adds bytes after those that are there. */
    append(tx: Tx, id: string, bytes: Uint8Array): void {
      let n = (lastPiece(tx).get({ id })?.n ?? -1) + 1;
      for (let at = 0; at < bytes.length; at += PIECE, n += 1) {
        const piece = bytes.subarray(at, at + PIECE);
        addPiece(tx).run({ id, n, bytes: Buffer.from(piece.buffer, piece.byteOffset, piece.byteLength) });
      }
    },

    /** All bytes are there. @param hash SHA-256 in hex. @throws when they are not as many as came in */
    end(tx: Tx, id: string, { hash, size }: { readonly hash: string; readonly size: number }): void {
      const stored = tx.db
        .select({ size: sql<number>`coalesce(sum(length(${contentPieces.bytes})), 0)` })
        .from(contentPieces)
        .where(eq(contentPieces.contentId, id))
        .get()?.size;
      if (stored !== size) throw new Error(`${size} bytes came in as ${id}, but ${stored ?? 0} are stored.`);
      tx.db.update(contents).set({ hash, size }).where(eq(contents.id, id)).run();
    },

    /** Stores bytes that are there as a whole. */
    keep(tx: Tx, bytes: Uint8Array, now: number): { id: string; size: number; hash: string } {
      const id = this.begin(tx, now);
      this.append(tx, id, bytes);
      const whole = { hash: createHash('sha256').update(bytes).digest('hex'), size: bytes.length };
      this.end(tx, id, whole);
      return { id, ...whole };
    },

    /** Throws away what was begun and not ended. */
    drop(tx: Tx, id: string): void {
      tx.db.delete(contentPieces).where(eq(contentPieces.contentId, id)).run();
      tx.db.delete(contents).where(eq(contents.id, id)).run();
    },

    find(id: string, from: Reader = reads): { size: number; hash: string } | undefined {
      const row = from.db.select().from(contents).where(eq(contents.id, id)).get();
      return row?.hash === null || row === undefined ? undefined : { size: row.size, hash: row.hash };
    },

    /** The bytes, read piece by piece when they are gone through. */
    bytes(id: string, from: Reader = reads): Bytes {
      const size = this.find(id, from)?.size ?? 0;
      return {
        size,
        *chunks() {
          for (let n = 0; ; n += 1) {
            const row = pieceAt(from).get({ id, n });
            if (row === undefined) return;
            yield row.bytes;
          }
        },
      };
    },

    /** One piece of the bytes, from 0; undefined after the last. */
    piece(id: string, n: number, from: Reader = reads): Buffer | undefined {
      return pieceAt(from).get({ id, n })?.bytes;
    },

    /** Removes bytes that nothing refers to any more. */
    dropUnused(tx: Tx, id: string): void {
      dropUnused(tx, [id]);
    },

    addUpload(tx: Tx, row: UploadRow): void {
      tx.db.insert(uploads).values(row).run();
    },

    upload(space: string, id: string, from: Reader = reads): UploadRow | undefined {
      return from.db
        .select()
        .from(uploads)
        .where(and(eq(uploads.space, space), eq(uploads.id, id)))
        .get();
    },

    /** The attachments of a message, in order. @param message `more.attached` says how many it has, so that most need no look-up */
    attachments({ id, more }: { id: string; more: { attached?: number } }, from: Reader = reads): AttachmentRow[] {
      return more.attached === undefined ? [] : attachmentsOf(from).all({ id });
    },

    /** What was fetched for an attachment; the first stays, so that an email never changes. */
    fetched(
      tx: Tx,
      {
        messageId,
        n,
        contentId,
        type,
      }: { readonly messageId: string; readonly n: number; readonly contentId: string; readonly type: string },
    ): void {
      tx.db
        .update(attachments)
        .set({ contentId, type })
        .where(and(eq(attachments.messageId, messageId), eq(attachments.n, n), sql`${attachments.contentId} is null`))
        .run();
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
  };
}

/** The records of this feature, for the features above it. */
export interface AttachmentRecords {
  readonly contents: ReturnType<typeof contentStore>;
}
