import { createHash } from 'node:crypto';
import { and, desc, eq, like, sql } from 'drizzle-orm';
import type { MailFiles } from '@verbalis/core/folder';
import type { Db } from './database.js';
import { blobs, editions, editionsInUse } from './schema.js';

export type EditionRow = typeof editions.$inferSelect;
export type EditionStore = ReturnType<typeof editionStore>;

/** Immutable publications of mail folders. */
export function editionStore(db: Db) {
  const inUse = db
    .select()
    .from(editionsInUse)
    .where(eq(editionsInUse.space, sql.placeholder('space')))
    .prepare();
  const newestOf = db
    .select()
    .from(editions)
    .where(eq(editions.space, sql.placeholder('space')))
    .orderBy(desc(editions.number))
    .limit(1)
    .prepare();
  const numbered = db
    .select()
    .from(editions)
    .where(and(eq(editions.space, sql.placeholder('space')), eq(editions.number, sql.placeholder('number'))))
    .prepare();
  const newestNumber = db
    .select({ number: sql<number | null>`max(${editions.number})` })
    .from(editions)
    .where(eq(editions.space, sql.placeholder('space')))
    .prepare();
  return {
    /** Number of the one in use: what was chosen, else the newest. Asked for every message, so it reads no manifest. */
    currentNumber(space: string): number | undefined {
      return inUse.get({ space })?.number ?? newestNumber.get({ space })?.number ?? undefined;
    },

    /** The one in use: what was chosen, else the newest. */
    current(space: string): EditionRow | undefined {
      const chosen = inUse.get({ space });
      return chosen === undefined ? this.newest(space) : this.find(space, chosen.number);
    },

    newest(space: string): EditionRow | undefined {
      return newestOf.get({ space });
    },

    /** Newest first. */
    list(space: string): EditionRow[] {
      return db.select().from(editions).where(eq(editions.space, space)).orderBy(desc(editions.number)).limit(200).all();
    },

    use(space: string, number: number): void {
      db.insert(editionsInUse).values({ space, number }).onConflictDoUpdate({ target: editionsInUse.space, set: { number } }).run();
    },

    has(hash: string): boolean {
      return db.select({ hash: blobs.hash }).from(blobs).where(eq(blobs.hash, hash)).get() !== undefined;
    },

    contents(hash: string): Buffer {
      const row = db.select().from(blobs).where(eq(blobs.hash, hash)).get();
      if (row === undefined) throw new Error(`There are no contents ${hash}.`);
      return row.bytes;
    },

    find(space: string, number: number): EditionRow | undefined {
      return numbered.get({ space, number });
    },

    /** Keeps a mail folder as the space's newest edition; the current one when nothing differs from it. */
    publish(space: string, files: MailFiles, createdAt: number): EditionRow {
      const manifest: Record<string, string> = {};
      const contents = new Map<string, Uint8Array>();
      for (const [path, bytes] of [...files].sort(([a], [b]) => (a < b ? -1 : 1))) {
        const hash = createHash('sha256').update(bytes).digest('hex');
        manifest[path] = hash;
        contents.set(hash, bytes);
      }
      const hash = createHash('sha256').update(JSON.stringify(manifest)).digest('hex');
      return db.transaction(
        (): EditionRow => {
          const current = this.current(space);
          if (current?.hash === hash) return current;
          const newest = this.newest(space);
          for (const [key, bytes] of contents)
            db.insert(blobs)
              .values({ hash: key, bytes: Buffer.from(bytes) })
              .onConflictDoNothing()
              .run();
          const row: EditionRow = { space, number: (newest?.number ?? 0) + 1, hash, manifest, createdAt };
          db.insert(editions).values(row).run();
          this.use(space, row.number);
          return row;
        },
        { behavior: 'immediate' },
      );
    },

    /** A file of any edition whose SHA-256 begins so. */
    blob(prefix: string): Buffer | undefined {
      return db
        .select()
        .from(blobs)
        .where(like(blobs.hash, `${prefix}%`))
        .get()?.bytes;
    },

    files(edition: EditionRow): MailFiles {
      const out = new Map<string, Uint8Array>();
      for (const [path, hash] of Object.entries(edition.manifest)) {
        const row = db.select().from(blobs).where(eq(blobs.hash, hash)).get();
        if (row !== undefined) out.set(path, row.bytes);
      }
      return out;
    },
  };
}
