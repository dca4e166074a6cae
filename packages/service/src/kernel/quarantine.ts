import { and, count, desc, eq, isNull, lt, or, sql, type SQL, type SQLWrapper } from 'drizzle-orm';
import type { Logger } from 'pino';
import type { Clock } from './clock.js';
import { listeners } from './listeners.js';
import { quarantine } from './tables.js';
import { reading, type Reader, type Tx } from './transaction.js';
import { StoreUnavailable } from './unavailable.js';
import { boundedCache } from './cache.js';

export type QuarantinedRow = typeof quarantine.$inferSelect;

/** An item that could not be processed, as its worker describes it. */
export interface PoisonItem {
  /** What makes it this one among the worker's items. */
  readonly key: string;
  /** Undefined where nobody knows whose it is. */
  readonly space: string | undefined;
  /** What it is, for people: "callback of packet-api, 3 events". */
  readonly title: string;
  /** All that is needed to try it again, as JSON. */
  readonly payload: unknown;
}

/** How the items of a worker come back from quarantine. */
export interface QuarantineSource {
  /** Puts an item back into its worker's queue; within the transaction that takes it out of quarantine. */
  readonly retry: (tx: Tx, item: QuarantinedRow) => void;
  /** What else must be removed with an item that is dropped. */
  readonly drop?: (tx: Tx, item: QuarantinedRow) => void;
}

/** Tries before an item is quarantined, and the waits between them, in milliseconds. */
const WAITS = [1000, 5000, 30_000] as const;
/** Items whose tries are remembered; beyond, the oldest are forgotten and start again. */
const MOST_REMEMBERED = 10_000;
const LONGEST_ERROR = 2000;

/** A condition: the item with this key waits in quarantine. */
export function isQuarantined(worker: string, key: SQLWrapper): SQL {
  return sql`exists (select 1 from ${quarantine} where ${quarantine.worker} = ${worker} and ${quarantine.key} = ${key})`;
}

export interface QuarantineFilter {
  readonly space: string;
  /** Also those that are nobody's. */
  readonly unowned: boolean;
  readonly limit: number;
  readonly before?: string | undefined;
}

export type Quarantine = ReturnType<typeof quarantineOn>;

/** Where items wait that cannot be processed, with their error, until they are retried or dropped. */
export function quarantineOn(reads: Reader, clock: Clock, log: Logger) {
  const sources = new Map<string, QuarantineSource>();
  const tries = boundedCache<string, { n: number; nextAt: number }>(MOST_REMEMBERED);
  const changes = listeners();
  const keyOf = (worker: string, key: string): string => `${worker}\0${key}`;
  const mine = ({ space, unowned }: Pick<QuarantineFilter, 'space' | 'unowned'>) =>
    unowned ? or(eq(quarantine.space, space), isNull(quarantine.space)) : eq(quarantine.space, space);

  const counts = reading((db) =>
    db
      .select({ worker: quarantine.worker, space: quarantine.space, n: count(), oldest: sql<number>`min(${quarantine.quarantinedAt})` })
      .from(quarantine)
      .groupBy(quarantine.worker, quarantine.space)
      .prepare(),
  );
  return {
    register(worker: string, source: QuarantineSource): void {
      sources.set(worker, source);
    },

    /** Is called after items came or went. */
    onChange: changes.add,

    /** When an item may be tried again after it failed; undefined when it has not. */
    restsUntil(worker: string, key: string): number | undefined {
      return tries.get(keyOf(worker, key))?.nextAt;
    },

    /** Forgets the tries of an item that went well. */
    succeeded(worker: string, key: string): void {
      if (tries.size > 0) tries.delete(keyOf(worker, key));
    },

    /**
     * An item has thrown. @returns when to try it again; undefined when it is to be quarantined now: write it with `put`, in the transaction
     * that takes it out of its queue
     * @throws the error itself when the item is not the cause: the database could not be written
     */
    failed(worker: string, key: string, error: unknown): number | undefined {
      if (error instanceof StoreUnavailable) throw error;
      const id = keyOf(worker, key);
      const n = (tries.get(id)?.n ?? 0) + 1;
      const wait = WAITS[n - 1];
      log.error({ err: error, worker, item: key, tries: n }, wait === undefined ? 'an item is quarantined' : 'an item failed; tried again');
      tries.delete(id);
      if (wait === undefined) return undefined;
      const nextAt = clock.now() + wait;
      tries.set(id, { n, nextAt });
      return nextAt;
    },

    /** Writes an item into quarantine; the same one again takes the place of the first. */
    put(
      tx: Tx,
      { worker, item, error, id }: { readonly worker: string; readonly item: PoisonItem; readonly error: unknown; readonly id: string },
    ): void {
      const now = clock.now();
      const message = (error instanceof Error ? error.message : String(error)).slice(0, LONGEST_ERROR);
      const stack = error instanceof Error ? (error.stack ?? '').slice(0, LONGEST_ERROR * 2) : '';
      const { key, space, title, payload } = item;
      tx.db
        .insert(quarantine)
        .values({ id, worker, key, space: space ?? null, title, error: message, stack, payload, quarantinedAt: now })
        .onConflictDoUpdate({ target: [quarantine.worker, quarantine.key], set: { error: message, stack, payload, quarantinedAt: now } })
        .run();
      tx.afterCommit(() => {
        log.error({ worker, item: key, title, error: message }, 'an item that cannot be processed waits in quarantine');
        changes.call();
      });
    },

    /** Newest first. */
    list({ limit, before, ...filter }: QuarantineFilter, from: Reader = reads): QuarantinedRow[] {
      return from.db
        .select()
        .from(quarantine)
        .where(and(mine(filter), ...(before === undefined ? [] : [lt(quarantine.id, before)])))
        .orderBy(desc(quarantine.id))
        .limit(limit)
        .all();
    },

    find(filter: Pick<QuarantineFilter, 'space' | 'unowned'>, id: string, from: Reader = reads): QuarantinedRow | undefined {
      return from.db
        .select()
        .from(quarantine)
        .where(and(eq(quarantine.id, id), mine(filter)))
        .get();
    },

    /** How many wait, by worker and space. */
    counts(from: Reader = reads): { worker: string; space: string | null; n: number; oldest: number }[] {
      return counts(from).all();
    },

    /** Puts an item back into its worker's queue. */
    retry(tx: Tx, item: QuarantinedRow): void {
      const source = sources.get(item.worker);
      if (source === undefined) throw new Error(`No worker "${item.worker}" takes items back.`);
      // First out, then back into its queue: a retry that fails at once puts it in again.
      tx.db.delete(quarantine).where(eq(quarantine.id, item.id)).run();
      source.retry(tx, item);
      tx.afterCommit(changes.call);
    },

    drop(tx: Tx, item: QuarantinedRow): void {
      sources.get(item.worker)?.drop?.(tx, item);
      tx.afterCommit(changes.call);
      tx.db.delete(quarantine).where(eq(quarantine.id, item.id)).run();
    },

    /** Removes what was quarantined before a time. @returns how many */
    forget(tx: Tx, before: number): number {
      return tx.db.delete(quarantine).where(lt(quarantine.quarantinedAt, before)).run().changes;
    },
  };
}
