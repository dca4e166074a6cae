import { createHash, randomBytes } from 'node:crypto';
import { and, eq, isNull, or, sql } from 'drizzle-orm';
import { reading, type Reader, type Tx } from '../../kernel/index.js';
import { keys } from './tables.js';

export type KeyRow = typeof keys.$inferSelect;
/** Under which the secret of a key is kept. */
export function hashOf(secret: string): string {
  return createHash('sha256').update(secret).digest('hex');
}

const KEY_START = 'verbalis-';

/** Whether someone meant this to be a key of ours. */
export function looksLikeKey(text: string): boolean {
  return text.startsWith(KEY_START);
}

/** Signs of a key's text that are kept to be shown. */
const SHOWN = KEY_START.length + 4;

/** What a text that someone gives as a key is. */
export type FoundKey = { readonly kind: 'good'; readonly key: KeyRow } | { readonly kind: 'expired' | 'revoked' | 'unknown' };

const newSecret = (): string => `${KEY_START}${randomBytes(24).toString('base64url')}`;
const secretColumns = (secret: string): Pick<KeyRow, 'hash' | 'start'> => ({ hash: hashOf(secret), start: secret.slice(0, SHOWN) });

/** Keys of spaces. Secrets are kept as hashes only. */
export function accessStore(reads: Reader) {
  const byHash = reading((db) =>
    db
      .select()
      .from(keys)
      .where(or(eq(keys.hash, sql.placeholder('hash')), eq(keys.oldHash, sql.placeholder('hash'))))
      .prepare(),
  );
  return {
    /** Makes a key; its secret is given out here and never again. */
    addKey(tx: Tx, row: Pick<KeyRow, 'id' | 'space' | 'name' | 'scopes' | 'bounds' | 'createdAt' | 'expiresAt'>): string {
      const secret = newSecret();
      tx.db
        .insert(keys)
        .values({ ...row, ...secretColumns(secret) })
        .run();
      return secret;
    },

    /** Gives a key a new secret; the old one stays valid until `until`. @returns the new one */
    rotateKey(tx: Tx, { id, hash }: Pick<KeyRow, 'id' | 'hash'>, until: number): string {
      const secret = newSecret();
      tx.db
        .update(keys)
        .set({ ...secretColumns(secret), oldHash: hash, oldUntil: until })
        .where(eq(keys.id, id))
        .run();
      return secret;
    },

    /** From now on it is refused. @returns whether it was valid before */
    revokeKey(tx: Tx, id: string, now: number): boolean {
      const isUsed = and(eq(keys.id, id), isNull(keys.revokedAt));
      return tx.db.update(keys).set({ revokedAt: now }).where(isUsed).run().changes > 0;
    },

    /** Keys of a space, the oldest first, including those that have expired or were revoked. */
    keysOf(space: string, from: Reader = reads): KeyRow[] {
      return from.db.select().from(keys).where(eq(keys.space, space)).orderBy(keys.id).all();
    },

    keyById(space: string, id: string, from: Reader = reads): KeyRow | undefined {
      const row = from.db.select().from(keys).where(eq(keys.id, id)).get();
      return row?.space === space ? row : undefined;
    },

    findKey(secret: string, now: number, from: Reader = reads): FoundKey {
      return this.keyOfHash(hashOf(secret), now, from);
    },

    /** The key of a secret that was found before, as it is now. */
    keyOfHash(hash: string, now: number, from: Reader = reads): FoundKey {
      const key = byHash(from).get({ hash });
      if (key === undefined) return { kind: 'unknown' };
      if (key.revokedAt !== null) return { kind: 'revoked' };
      const until = Math.min(key.expiresAt ?? Infinity, key.hash === hash ? Infinity : (key.oldUntil ?? 0));
      return until <= now ? { kind: 'expired' } : { kind: 'good', key };
    },

    /** Writes when and from where a key was used last. */
    usedKey(tx: Tx, id: string, used: { readonly lastUsedAt: number; readonly lastUsedFrom: string }): void {
      tx.db.update(keys).set(used).where(eq(keys.id, id)).run();
    },
  };
}

/** The records of this feature, for the features above it. */
export interface KeyRecords {
  readonly access: ReturnType<typeof accessStore>;
}
