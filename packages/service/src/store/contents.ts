import { createHash } from 'node:crypto';
import { and, eq, gt, lt, sql } from 'drizzle-orm';
import type { Bytes } from '@verbalis/core/mime';
import type { Db } from './database.js';
import { newId } from './ids.js';
import type { MessageRow } from './messages.js';
import { attachments, contentPieces, contents, uploads } from './schema.js';

export type AttachmentRow = typeof attachments.$inferSelect;
export type UploadRow = typeof uploads.$inferSelect;
export type ContentStore = ReturnType<typeof contentStore>;

/** Bytes of one row; a mail is read piece by piece while it is sent. */
const PIECE = 256 * 1024;

/** Bytes that came with messages: attachments and what was handed in for them. */
export function contentStore(db: Db) {
  const addPiece = db
    .insert(contentPieces)
    .values({ contentId: sql.placeholder('id'), n: sql.placeholder('n'), bytes: sql.placeholder('bytes') })
    .prepare();
  const pieceAt = db
    .select({ bytes: contentPieces.bytes })
    .from(contentPieces)
    .where(and(eq(contentPieces.contentId, sql.placeholder('id')), eq(contentPieces.n, sql.placeholder('n'))))
    .prepare();

  const attachmentsOf = db
    .select()
    .from(attachments)
    .where(eq(attachments.messageId, sql.placeholder('id')))
    .orderBy(attachments.n)
    .prepare();

  function begin(now: number): { id: string; add: (bytes: Uint8Array) => void; end: () => { id: string; size: number; hash: string } } {
    const id = newId('c', now);
    const hash = createHash('sha256');
    let size = 0;
    let n = 0;
    db.insert(contents).values({ id, hash: null, size: 0, createdAt: now }).run();
    return {
      id,
      add(bytes) {
        for (let at = 0; at < bytes.length; at += PIECE) {
          const piece = bytes.subarray(at, at + PIECE);
          addPiece.run({ id, n, bytes: Buffer.from(piece.buffer, piece.byteOffset, piece.byteLength) });
          hash.update(piece);
          n += 1;
          size += piece.length;
        }
      },
      end() {
        const digest = hash.digest('hex');
        db.update(contents).set({ hash: digest, size }).where(eq(contents.id, id)).run();
        return { id, size, hash: digest };
      },
    };
  }

  return {
    /** Writes bytes as they come in; nothing counts before `end`. */
    begin,

    /** Writes bytes at once; within the caller's transaction, if there is one. */
    keep(bytes: Uint8Array, now: number): { id: string; size: number; hash: string } {
      const writing = begin(now);
      writing.add(bytes);
      return writing.end();
    },

    /** Throws away what was begun and not ended. */
    drop(id: string): void {
      db.delete(contentPieces).where(eq(contentPieces.contentId, id)).run();
      db.delete(contents).where(eq(contents.id, id)).run();
    },

    find(id: string): { size: number; hash: string } | undefined {
      const row = db.select().from(contents).where(eq(contents.id, id)).get();
      return row?.hash === null || row === undefined ? undefined : { size: row.size, hash: row.hash };
    },

    /** The bytes, read piece by piece when they are gone through. */
    bytes(id: string): Bytes {
      const size = this.find(id)?.size ?? 0;
      return {
        size,
        *chunks() {
          for (let n = 0; ; n += 1) {
            const row = pieceAt.get({ id, n });
            if (row === undefined) return;
            yield row.bytes;
          }
        },
      };
    },

    addUpload(row: UploadRow): void {
      db.insert(uploads).values(row).run();
    },

    upload(space: string, id: string): UploadRow | undefined {
      return db
        .select()
        .from(uploads)
        .where(and(eq(uploads.space, space), eq(uploads.id, id)))
        .get();
    },

    attachments({ id, more }: Pick<MessageRow, 'id' | 'more'>): AttachmentRow[] {
      return more.attached === undefined ? [] : attachmentsOf.all({ id });
    },

    /** What was fetched for an attachment; the first stays, so that a mail never changes. */
    fetched(messageId: string, n: number, contentId: string, type: string): void {
      db.update(attachments)
        .set({ contentId, type })
        .where(and(eq(attachments.messageId, messageId), eq(attachments.n, n), sql`${attachments.contentId} is null`))
        .run();
    },

    /** Contents that were begun long ago and never ended. */
    forgotten(before: number): string[] {
      return db
        .select({ id: contents.id })
        .from(contents)
        .where(and(lt(contents.createdAt, before), gt(contents.createdAt, 0), sql`${contents.hash} is null`))
        .all()
        .map((row) => row.id);
    },
  };
}
