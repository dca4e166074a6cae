import { pictureType } from '@verbalis/core/program';
import { createHash } from 'node:crypto';
import { and, desc, eq, sql, lt, notExists, inArray } from 'drizzle-orm';
import type { MailFiles } from '@verbalis/core/folder';
import { reading, type Reader, type Tx } from '../../kernel/index.js';
import { assets, blobs, editions, editionsInUse } from './tables.js';

/** Rows that one step of retention removes. */
const STEP = 500;
/** Signs of a hash in the address of a picture. */
const ADDRESS_LENGTH = 20;
const BLOBS_STEP = 20_000;

/** Which editions are old. */
export interface OldEditions {
  /** Milliseconds since the epoch. */
  readonly before: number;
  /** So many of each space stay, whatever their age. */
  readonly newest: number;
  readonly isNeeded: (tx: Tx, space: string, number: number) => boolean;
}

export type EditionRow = typeof editions.$inferSelect;

/** A mail folder by its hashes. */
function manifestOf(files: MailFiles) {
  const manifest: Record<string, string> = {};
  const contents = new Map<string, Uint8Array>();
  for (const [path, bytes] of [...files].sort(([a], [b]) => (a < b ? -1 : 1))) {
    const hash = createHash('sha256').update(bytes).digest('hex');
    manifest[path] = hash;
    contents.set(hash, bytes);
  }
  return { manifest, contents, hash: createHash('sha256').update(JSON.stringify(manifest)).digest('hex') };
}

/** The hash of a mail folder; its edition has the same one. */
export function folderHash(files: MailFiles): string {
  return manifestOf(files).hash;
}

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
  const assetAt = reading((db) =>
    db
      .select({ type: assets.type, bytes: blobs.bytes })
      .from(assets)
      .innerJoin(blobs, eq(blobs.hash, assets.hash))
      .where(eq(assets.address, sql.placeholder('address')))
      .prepare(),
  );

  const listeners = new Map<string, (tx: Tx) => void>();

  /** The pictures of a mail folder become public with it. */
  function addAssets(tx: Tx, manifest: Readonly<Record<string, string>>): void {
    for (const [path, hash] of Object.entries(manifest)) {
      const type = pictureType(path);
      if (!path.startsWith('assets/') || !type.startsWith('image/')) continue;
      tx.db
        .insert(assets)
        .values({ address: hash.slice(0, ADDRESS_LENGTH), hash, type })
        .onConflictDoNothing()
        .run();
    }
  }

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
      for (const listener of listeners.values()) listener(tx);
    },

    /**
     * Is called when another edition comes into use, within the transaction that does it.
     * @param name who listens: one that is registered again, after a reload, takes the place of the former
     */
    onChanged(name: string, listener: (tx: Tx) => void): void {
      listeners.set(name, listener);
    },

    /** The hash of the configuration's mail folder when it was published last. */
    publishedFolder(space: string, from: Reader = reads): string | undefined {
      return inUse(from).get({ space })?.folderHash ?? undefined;
    },

    /** Notes that the configuration's mail folder was published. */
    folderPublished(tx: Tx, space: string, hash: string): void {
      tx.db.update(editionsInUse).set({ folderHash: hash }).where(eq(editionsInUse.space, space)).run();
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
      const { manifest, contents, hash } = manifestOf(files);
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
      addAssets(tx, manifest);
      this.use(tx, space, row.number);
      return row;
    },

    /** A picture of any edition, by the hash in its address. */
    asset(address: string, from: Reader = reads): { type: string; bytes: Buffer } | undefined {
      return assetAt(from).get({ address });
    },

    files(edition: EditionRow, from: Reader = reads): MailFiles {
      const out = new Map<string, Uint8Array>();
      for (const [path, hash] of Object.entries(edition.manifest)) {
        const row = from.db.select().from(blobs).where(eq(blobs.hash, hash)).get();
        if (row !== undefined) out.set(path, row.bytes);
      }
      return out;
    },

    /** Editions of before a time that are not in use and not among the newest of their space. @param isNeeded keeps more of them */
    forget(tx: Tx, { before, newest, isNeeded }: OldEditions): number {
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
          ),
        )
        .all()
        .filter(({ space, number }) => !isNeeded(tx, space, number))
        .slice(0, STEP);
      for (const { space, number } of rows)
        tx.db
          .delete(editions)
          .where(and(eq(editions.space, space), eq(editions.number, number)))
          .run();
      // Only then can there be files that no edition has.
      return rows.length === 0 ? 0 : rows.length + this.forgetBlobs(tx);
    },

    /** Files that no edition has any more; all of them. */
    forgetBlobs(tx: Tx): number {
      const used = sql`(select distinct entry.value from ${editions}, json_each(${editions.manifest}) entry)`;
      const old = tx.db
        .select({ hash: blobs.hash })
        .from(blobs)
        .where(sql`${blobs.hash} not in ${used}`)
        .limit(BLOBS_STEP);
      tx.db.delete(assets).where(inArray(assets.hash, old)).run();
      return tx.db.delete(blobs).where(inArray(blobs.hash, old)).run().changes;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface EditionRecords {
  readonly editions: ReturnType<typeof editionStore>;
}
