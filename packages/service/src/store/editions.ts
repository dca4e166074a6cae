import { createHash } from 'node:crypto';
import { and, desc, eq, like, sql } from 'drizzle-orm';
import type { MailFiles } from '@verbalis/core/folder';
import { reading, type Reader, type Tx } from '../kernel/index.js';
import { blobs, editions, editionsInUse } from './schema.js';

export type EditionRow = typeof editions.$inferSelect;
export type EditionStore = ReturnType<typeof editionStore>;

/** Immutable publications of mail folders. */
export function editionStore(reads: Reader) {
  const inUse = reading((db) =>
    db
      .select()
      .from(editionsInUse)
      .where(eq(editionsInUse.space, sql.placeholder('space')))
      .prepare(),
  );
  const newestOf = reading((db) =>
    db
      .select()
      .from(editions)
      .where(eq(editions.space, sql.placeholder('space')))
      .orderBy(desc(editions.number))
      .limit(1)
      .prepare(),
  );
  const numbered = reading((db) =>
    db
      .select()
      .from(editions)
      .where(and(eq(editions.space, sql.placeholder('space')), eq(editions.number, sql.placeholder('number'))))
      .prepare(),
  );
  const newestNumber = reading((db) =>
    db
      .select({ number: sql<number | null>`max(${editions.number})` })
      .from(editions)
      .where(eq(editions.space, sql.placeholder('space')))
      .prepare(),
  );
  return {
    /** Number of the one in use: what was chosen, else the newest. Asked for every message, so it reads no manifest. */
    currentNumber(space: string, from: Reader = reads): number | undefined {
      return inUse(from).get({ space })?.number ?? newestNumber(from).get({ space })?.number ?? undefined;
    },

    /** The one in use: what was chosen, else the newest. */
    current(space: string, from: Reader = reads): EditionRow | undefined {
      const chosen = inUse(from).get({ space });
      return chosen === undefined ? this.newest(space, from) : this.find(space, chosen.number, from);
    },

    newest(space: string, from: Reader = reads): EditionRow | undefined {
      return newestOf(from).get({ space });
    },

    /** Newest first. */
    list(space: string, from: Reader = reads): EditionRow[] {
      return from.db.select().from(editions).where(eq(editions.space, space)).orderBy(desc(editions.number)).limit(200).all();
    },

    use(tx: Tx, space: string, number: number): void {
      tx.db.insert(editionsInUse).values({ space, number }).onConflictDoUpdate({ target: editionsInUse.space, set: { number } }).run();
    },

    has(hash: string, from: Reader = reads): boolean {
      return from.db.select({ hash: blobs.hash }).from(blobs).where(eq(blobs.hash, hash)).get() !== undefined;
    },

    contents(hash: string, from: Reader = reads): Buffer | undefined {
      return from.db.select().from(blobs).where(eq(blobs.hash, hash)).get()?.bytes;
    },

    find(space: string, number: number, from: Reader = reads): EditionRow | undefined {
      return numbered(from).get({ space, number });
    },

    /** Keeps a mail folder as the space's newest edition; the current one when nothing differs from it. */
    publish(tx: Tx, space: string, files: MailFiles, createdAt: number): EditionRow {
      const manifest: Record<string, string> = {};
      const contents = new Map<string, Uint8Array>();
      for (const [path, bytes] of [...files].sort(([a], [b]) => (a < b ? -1 : 1))) {
        const hash = createHash('sha256').update(bytes).digest('hex');
        manifest[path] = hash;
        contents.set(hash, bytes);
      }
      const hash = createHash('sha256').update(JSON.stringify(manifest)).digest('hex');
      const current = this.current(space, tx);
      if (current?.hash === hash) return current;
      const newest = this.newest(space, tx);
      for (const [key, bytes] of contents)
        tx.db
          .insert(blobs)
          .values({ hash: key, bytes: Buffer.from(bytes) })
          .onConflictDoNothing()
          .run();
      const row: EditionRow = { space, number: (newest?.number ?? 0) + 1, hash, manifest, createdAt };
      tx.db.insert(editions).values(row).run();
      this.use(tx, space, row.number);
      return row;
    },

    /** A file of any edition whose SHA-256 begins so. */
    blob(prefix: string, from: Reader = reads): Buffer | undefined {
      return from.db
        .select()
        .from(blobs)
        .where(like(blobs.hash, `${prefix}%`))
        .get()?.bytes;
    },

    files(edition: EditionRow, from: Reader = reads): MailFiles {
      const out = new Map<string, Uint8Array>();
      for (const [path, hash] of Object.entries(edition.manifest)) {
        const row = from.db.select().from(blobs).where(eq(blobs.hash, hash)).get();
        if (row !== undefined) out.set(path, row.bytes);
      }
      return out;
    },
  };
}
