import { createCipheriv, createDecipheriv, createHmac, randomBytes } from 'node:crypto';
import type { Reader, RetentionRule, Tx } from '../../kernel/index.js';
import type { DayKeys } from './day-keys.js';
import type { Store } from './store.js';

const [IV_BYTES, TAG_BYTES] = [12, 16];

/** What is there of a sensitive value: the value, or why not. */
export type Opened = { readonly value: unknown } | { readonly missing: 'dropped' | 'no-key'; readonly day?: string };

/** Sensitive values, while something waits for them. */
export interface SensitiveData {
  /** Encrypts a value with the key of its day. @throws StoreUnavailable where there is no key, and none can be made */
  readonly keep: (tx: Tx, ownerId: string, value: unknown, at: number) => void;
  readonly open: (ownerId: string, from?: Reader) => Opened;
  /** Removes values that nothing waits for. @returns how many there were */
  readonly drop: (tx: Tx, ownerIds: readonly string[]) => number;
  /** A hash of a text that holds sensitive values: who has the database alone cannot try values with it. */
  readonly hash: (text: string, at: number) => string;
  /** Whether a hash is that of a text; undefined where its key is gone. */
  readonly isHashOf: (hash: string, text: string) => boolean | undefined;
  readonly retention: RetentionRule;
}

/** The day of a date, in UTC. */
const dayOf = (at: number): string => new Date(at).toISOString().replace(/^\+?(\d+-\d\d-\d\d)T.*$/, '$1');
/** A hash of {@link SensitiveData.hash}. */
const HASH = /^(\d{4,6}-\d\d-\d\d):/;

/** @param master of the service: the key of a day alone opens nothing */
export function sensitiveData({
  store,
  keys,
  master,
}: {
  readonly store: Store;
  readonly keys: DayKeys;
  readonly master: Uint8Array;
}): SensitiveData {
  const derived = (use: 'encrypt' | 'hash', dayKey: Uint8Array): Buffer =>
    createHmac('sha256', master).update(`${use}\0`).update(dayKey).digest();

  return {
    keep(tx, ownerId, value, at) {
      const day = dayOf(at);
      const iv = randomBytes(IV_BYTES);
      const cipher = createCipheriv('aes-256-gcm', derived('encrypt', keys.of(day)), iv).setAAD(Buffer.from(ownerId));
      const sealed = Buffer.concat([cipher.update(JSON.stringify(value), 'utf8'), cipher.final()]);
      store.boxes.add(tx, { ownerId, day, box: Buffer.concat([iv, cipher.getAuthTag(), sealed]) });
    },

    open(ownerId, from) {
      const row = store.boxes.find(ownerId, from);
      if (row === undefined) return { missing: 'dropped' };
      const key = keys.find(row.day);
      if (key === undefined) return { missing: 'no-key', day: row.day };
      const { box } = row;
      const decipher = createDecipheriv('aes-256-gcm', derived('encrypt', key), box.subarray(0, IV_BYTES)).setAAD(Buffer.from(ownerId));
      decipher.setAuthTag(box.subarray(IV_BYTES, IV_BYTES + TAG_BYTES));
      const text = Buffer.concat([decipher.update(box.subarray(IV_BYTES + TAG_BYTES)), decipher.final()]).toString('utf8');
      return { value: JSON.parse(text) };
    },

    drop: (tx, ownerIds) => store.boxes.drop(tx, ownerIds),

    hash: (text, at) => {
      const day = dayOf(at);
      return `${day}:${createHmac('sha256', derived('hash', keys.of(day)))
        .update(text)
        .digest('hex')}`;
    },

    isHashOf(hash, text) {
      const day = HASH.exec(hash)?.[1];
      const key = day === undefined ? undefined : keys.find(day);
      if (key === undefined) return undefined;
      return hash === `${day}:${createHmac('sha256', derived('hash', key)).update(text).digest('hex')}`;
    },

    retention: {
      name: 'keys of sensitive data',
      // Values are written in transactions too, one after the other: none of that day can come between the look and the removal.
      step(tx, now) {
        // A key of tomorrow may have been given to other nodes already.
        const over = keys.days().filter((day) => day < dayOf(now) && !store.boxes.isUsed(day, tx));
        for (const day of over) keys.remove(day);
        return over.length;
      },
    },
  };
}

/** Whether a stored hash is one that needs the key of a day. */
export function isKeyedHash(hash: string): boolean {
  return HASH.test(hash);
}
