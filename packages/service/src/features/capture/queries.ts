import { and, count, desc, eq, getTableColumns, gt, inArray, lt, max, sql, type SQL } from 'drizzle-orm';
import { placeholders, writing, type Kernel, type Reader, type Tx } from '../../kernel/index.js';
import { captured } from './tables.js';
import { contentPieces, contents } from '../attachments/index.js';
import { messages } from '../messages/index.js';

// The bytes are read only when someone looks at them.
const SHOWN = Object.fromEntries(Object.entries(getTableColumns(captured)).filter(([name]) => name !== 'bytes')) as Omit<
  ReturnType<typeof getTableColumns<typeof captured>>,
  'bytes'
>;

/** A captured mail without its bytes. */
export type CapturedRow = Omit<typeof captured.$inferSelect, 'bytes'>;
export type NewCaptured = Omit<typeof captured.$inferInsert, 'seq'> & {
  /** What a search looks through. */
  readonly words: string;
};
export interface CapturedFilter {
  readonly space: string;
  /** As addresses are compared. */
  readonly address?: string | undefined;
  /** Words in the subject, whatever their case. */
  readonly subject?: string | undefined;
  /** Words anywhere in it. */
  readonly find?: string | undefined;
  /** Only those that came after this one, by `seq`. */
  readonly after?: number | undefined;
  /** Only those that came before this one. */
  readonly before?: number | undefined;
  /** Only those that came at this time or later. */
  readonly since?: number | undefined;
}

/** Pages of the index of words that are merged in one transaction. */
const MERGED_AT_ONCE = 200;
/** Rows that one deletion takes away. */
const STEP = 500;

/** The index knows runs of three letters; a shorter word is looked for in what the list shows. */
const SHORTEST = 3;

/** Emails that hold all these words, in whatever order and case; parts of words are enough. */
export function holdsWords(find: string): SQL[] {
  const words = find.split(/\s+/).filter((text) => text !== '');
  const indexed = words.filter((word) => [...word].length >= SHORTEST);
  const short = words.filter((word) => [...word].length < SHORTEST);
  const shown = sql`lower(${captured.subject} || ' ' || ${captured.sender} || ' ' || ${captured.address})`;
  return [
    ...(indexed.length === 0
      ? []
      : [
          sql`${captured.seq} in (select rowid from captured_words where captured_words match ${indexed
            .map((text) => `"${text.replaceAll('"', '""')}"`)
            .join(' ')})`,
        ]),
    ...short.map((text) => sql`instr(${shown}, ${text.toLowerCase()}) > 0`),
  ];
}

/** Emails that were kept to be looked at instead of being sent. */
export function capturedStore(reads: Reader) {
  const insert = writing((db) =>
    db
      .insert(captured)
      .values(placeholders(captured, ['seq']))
      .onConflictDoNothing()
      .prepare(),
  );
  // No table of drizzle's: a full-text index (migration 0001).
  const indexWords = (tx: Tx, seq: number | bigint, words: string): void => {
    tx.db.run(sql`insert into captured_words (rowid, words) values (${seq}, ${words})`);
  };
  const forgetWords = (tx: Tx, seqs: readonly number[]): void => {
    tx.db.run(sql`delete from captured_words where rowid in (select value from json_each(${JSON.stringify(seqs)}))`);
  };

  function where(filter: CapturedFilter) {
    const found = [eq(captured.space, filter.space)];
    if (filter.address !== undefined) found.push(eq(captured.address, filter.address));
    if (filter.subject !== undefined) found.push(sql`instr(lower(${captured.subject}), ${filter.subject.toLowerCase()}) > 0`);
    found.push(...holdsWords(filter.find ?? ''));
    if (filter.after !== undefined) found.push(gt(captured.seq, filter.after));
    if (filter.before !== undefined) found.push(lt(captured.seq, filter.before));
    if (filter.since !== undefined) found.push(sql`${captured.receivedAt} >= ${filter.since}`);
    return and(...found);
  }

  /** Takes rows away with the bytes that belong to nobody else. */
  function remove(tx: Tx, rows: readonly { readonly seq: number; readonly contentId: string | null }[]): void {
    const seqs = rows.map((row) => row.seq);
    for (let at = 0; at < seqs.length; at += STEP) {
      const some = seqs.slice(at, at + STEP);
      forgetWords(tx, some);
      tx.db.delete(captured).where(inArray(captured.seq, some)).run();
    }
    for (const { contentId } of rows) {
      if (contentId === null) continue;
      // The message it came with still tells its story from them.
      const used = tx.db
        .select({ id: messages.id })
        .from(messages)
        .where(sql`${messages.more} ->> '$.raw' = ${contentId}`)
        .limit(1);
      const others = tx.db.select({ seq: captured.seq }).from(captured).where(eq(captured.contentId, contentId)).limit(1).get();
      if (others !== undefined || used.get() !== undefined) continue;
      tx.db.delete(contentPieces).where(eq(contentPieces.contentId, contentId)).run();
      tx.db.delete(contents).where(eq(contents.id, contentId)).run();
    }
  }

  return {
    /** Keeps an email; the same delivery once. @returns whether it was new */
    keep(tx: Tx, { words, ...row }: NewCaptured): boolean {
      const { changes, lastInsertRowid } = insert(tx).run({
        ...row,
        messageId: row.messageId ?? null,
        deliveryId: row.deliveryId ?? null,
        code: row.code ?? null,
        contentId: row.contentId ?? null,
        bytes: row.bytes ?? null,
      });
      if (changes > 0) indexWords(tx, lastInsertRowid, words);
      return changes > 0;
    },

    /**
     * Rewrites the index of words without what was removed: till then, pieces of removed words stand in it. It is done in parts, so that others
     * write in between.
     */
    async settleWords(write: Kernel['write']): Promise<void> {
      // FTS5: a negative number begins to merge everything into one; it has ended when a step changes nothing more.
      const merge = (pages: number): Promise<number> =>
        write((tx) => {
          const changes = (): number => tx.db.get<{ n: number }>(sql`select total_changes() as n`).n;
          const before = changes();
          tx.db.run(sql`insert into captured_words (captured_words, rank) values ('merge', ${pages})`);
          return changes() - before;
        });
      let changed = await merge(-MERGED_AT_ONCE);
      // Each call counts as a change itself.
      while (changed > 1) changed = await merge(MERGED_AT_ONCE);
    },

    /** Indexes emails again whose rows were not written by `keep`. @param wordsOf undefined for a row that is gone */
    reindex(tx: Tx, seqs: readonly number[], wordsOf: (row: CapturedRow) => string): void {
      forgetWords(tx, seqs);
      const rows = tx.db
        .select(SHOWN)
        .from(captured)
        .where(inArray(captured.seq, [...seqs]))
        .all();
      for (const row of rows) indexWords(tx, row.seq, wordsOf(row));
    },

    /** Newest first. */
    list(filter: CapturedFilter, limit: number, from: Reader = reads): CapturedRow[] {
      return from.db.select(SHOWN).from(captured).where(where(filter)).orderBy(desc(captured.seq)).limit(limit).all();
    },

    count(filter: CapturedFilter, from: Reader = reads): number {
      return from.db.select({ n: count() }).from(captured).where(where(filter)).get()?.n ?? 0;
    },

    find(space: string, id: string, from: Reader = reads): CapturedRow | undefined {
      const row = from.db.select(SHOWN).from(captured).where(eq(captured.id, id)).get();
      return row?.space === space ? row : undefined;
    },

    /** Its bytes, where they stand with it. */
    bytes(id: string, from: Reader = reads): Buffer | undefined {
      return from.db.select({ bytes: captured.bytes }).from(captured).where(eq(captured.id, id)).get()?.bytes ?? undefined;
    },

    /** Recipients with how many they have, the latest first. */
    addresses(space: string, limit: number, from: Reader = reads): { address: string; emails: number; latest: number }[] {
      const latest = max(captured.receivedAt);
      return from.db
        .select({ address: captured.address, emails: count(), latest: sql<number>`${latest}` })
        .from(captured)
        .where(eq(captured.space, space))
        .groupBy(captured.address)
        .orderBy(desc(latest), captured.address)
        .limit(limit)
        .all();
    },

    /** The number of the last one, over all spaces. */
    last(from: Reader = reads): number {
      return (
        from.db
          .select({ seq: max(captured.seq) })
          .from(captured)
          .get()?.seq ?? 0
      );
    },

    /** Removes the copies of deliveries that stay here. */
    forgetOf(tx: Tx, deliveryIds: readonly string[]): void {
      const found = inArray(captured.deliveryId, [...deliveryIds]);
      remove(tx, tx.db.select({ seq: captured.seq, contentId: captured.contentId }).from(captured).where(found).all());
    },

    /** Removes some, with their words and bytes. */
    removeRows(tx: Tx, rows: readonly { readonly seq: number; readonly contentId: string | null }[]): void {
      remove(tx, rows);
    },

    /** Takes away what fits; within a transaction. @returns how many */
    clear(tx: Tx, filter: CapturedFilter): number {
      const rows = tx.db.select({ seq: captured.seq, contentId: captured.contentId }).from(captured).where(where(filter)).all();
      remove(tx, rows);
      return rows.length;
    },

    /** Takes away the oldest of a space beyond a number, and all that came before a time; within a transaction. @returns how many */
    bound(tx: Tx, space: string, most: number, before: number): number {
      const edge = tx.db
        .select({ seq: captured.seq })
        .from(captured)
        .where(eq(captured.space, space))
        .orderBy(desc(captured.seq))
        .limit(1)
        .offset(most)
        .get();
      const rows = tx.db
        .select({ seq: captured.seq, contentId: captured.contentId })
        .from(captured)
        .where(and(eq(captured.space, space), sql`(${captured.seq} <= ${edge?.seq ?? 0} or ${captured.receivedAt} < ${before})`))
        .limit(STEP * 4)
        .all();
      remove(tx, rows);
      return rows.length;
    },

    /** Whether a captured mail has its bytes there. */
    uses(tx: Tx, contentId: string): boolean {
      return tx.db.select({ id: captured.id }).from(captured).where(eq(captured.contentId, contentId)).limit(1).get() !== undefined;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface CaptureRecords {
  readonly captured: ReturnType<typeof capturedStore>;
}
