import type { Logger } from 'pino';
import type { Clock } from '../../kernel/index.js';
import type { SessionRow } from './queries.js';
import type { Store } from './store.js';
import { boundedCache } from '../../kernel/index.js';

/** Keeps when a session was used, and from which address. */
export type NoteSeen = (session: Pick<SessionRow, 'id' | 'lastSeenAt'>, address: string) => void;

/** Once a minute is exact enough. */
const MINUTE_MS = 60_000;
const MOST_SESSIONS = 10_000;

/** Uses are written with whatever is written next; one that cannot be is no reason to refuse a request. */
export function noteSeen({ store, clock, log }: { readonly store: Store; readonly clock: Clock; readonly log: Logger }): NoteSeen {
  const noted = boundedCache<string, number>(MOST_SESSIONS);
  return ({ id, lastSeenAt }, address) => {
    const now = clock.now();
    const last = Math.max(lastSeenAt, noted.get(id) ?? 0);
    if (now >= last && now - last < MINUTE_MS) return;
    noted.set(id, now);
    store
      .writeSoon((tx) => {
        store.people.seen(tx, id, now, address);
      })
      .catch((error: unknown) => {
        log.warn({ err: error, session: id }, 'the use of a session could not be noted');
      });
  };
}
