import { createHash, randomBytes } from 'node:crypto';
import { and, eq, gt, lte, sql } from 'drizzle-orm';
import { reading, type Reader, type Tx } from '../../kernel/index.js';
import { keys, sessions } from './tables.js';

export type KeyRow = typeof keys.$inferSelect;
function hashOf(secret: string): string {
  return createHash('sha256').update(secret).digest('hex');
}

const KEY_START = 'verbalis-';

/** Whether somebody meant this to be a key of ours. */
export function looksLikeKey(text: string): boolean {
  return text.startsWith(KEY_START);
}

/** Keys of spaces, and the console's sign-in tokens and sessions. Secrets are kept as hashes only. */
export function accessStore(reads: Reader) {
  const byHash = reading((db) =>
    db
      .select()
      .from(keys)
      .where(eq(keys.hash, sql.placeholder('hash')))
      .prepare(),
  );
  return {
    /** Makes a key; its text is given out here and never again. */
    addKey(tx: Tx, row: Omit<KeyRow, 'hash'>): string {
      const secret = `${KEY_START}${randomBytes(24).toString('base64url')}`;
      tx.db
        .insert(keys)
        .values({ ...row, hash: hashOf(secret) })
        .run();
      return secret;
    },

    findKey(secret: string, from: Reader = reads): KeyRow | undefined {
      return byHash(from).get({ hash: hashOf(secret) });
    },

    /** A new secret of this kind, good until `expiresAt`. */
    open(tx: Tx, kind: 'sign-in' | 'session', createdAt: number, expiresAt: number): string {
      tx.db.delete(sessions).where(lte(sessions.expiresAt, createdAt)).run();
      const secret = randomBytes(32).toString('base64url');
      tx.db
        .insert(sessions)
        .values({ hash: hashOf(secret), kind, createdAt, expiresAt })
        .run();
      return secret;
    },

    isOpen(kind: 'sign-in' | 'session', secret: string, now: number, from: Reader = reads): boolean {
      const found = and(eq(sessions.hash, hashOf(secret)), eq(sessions.kind, kind), gt(sessions.expiresAt, now));
      return from.db.select().from(sessions).where(found).get() !== undefined;
    },

    /** @returns whether there was one */
    close(tx: Tx, secret: string): boolean {
      return (
        tx.db
          .delete(sessions)
          .where(eq(sessions.hash, hashOf(secret)))
          .run().changes > 0
      );
    },

    /** Sessions and sign-in tokens that have run out. */
    forget(tx: Tx, now: number): number {
      return tx.db.delete(sessions).where(lte(sessions.expiresAt, now)).run().changes;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface KeyRecords {
  readonly access: ReturnType<typeof accessStore>;
}
