import type { Logger } from 'pino';
import type { Clock } from '../../kernel/index.js';
import type { KeyRow } from './queries.js';
import type { Store } from './store.js';
import { boundedCache } from '../../kernel/index.js';

/** Keeps when a key was used, and from which address. */
export type NoteUse = (key: Pick<KeyRow, 'id' | 'lastUsedAt'>, address: string) => void;

/** Once a minute is exact enough. */
const MINUTE_MS = 60_000;
const MOST_KEYS = 10_000;

/** Uses are written with whatever is written next; one that cannot be is no reason to refuse a request. */
export function noteUses({ store, clock, log }: { readonly store: Store; readonly clock: Clock; readonly log: Logger }): NoteUse {
  const noted = boundedCache<string, number>(MOST_KEYS);
  return ({ id, lastUsedAt }, address) => {
    const now = clock.now();
    const last = Math.max(lastUsedAt ?? 0, noted.get(id) ?? 0);
    if (now >= last && now - last < MINUTE_MS) return;
    noted.set(id, now);
    store
      .writeSoon((tx) => {
        store.access.usedKey(tx, id, { lastUsedAt: now, lastUsedFrom: address });
      })
      .catch((error: unknown) => {
        log.warn({ err: error, key: id }, 'the use of a key could not be noted');
      });
  };
}
