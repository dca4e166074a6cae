import type { Query } from 'drizzle-orm';
import { boundedThread, threadFile } from './thread.js';

/** A select statement of Drizzle's, and what its columns are called in a row that is given back, in their order. */
export interface ApartQuery<T> {
  readonly query: { readonly toSQL: () => Query };
  readonly names: readonly (keyof T & string)[];
}

export type Apart = <T extends object>(query: ApartQuery<T>) => Promise<T[]>;

/** A thread that has had nothing to do for so long ends; a query that takes longer than this is given up. In milliseconds. */
const [IDLE_MS, LIMIT_MS] = [60_000, 60_000];

/**
 * Runs queries that read much in a thread of their own, on a connection of its own: they cost what they cost, and the event loop nothing. What
 * they see is on the disk, as of one moment. A value comes back as SQLite stores it.
 */
export function apartFrom(file: string): { readonly apart: Apart; readonly stop: () => Promise<void> } {
  const thread = boundedThread(threadFile(import.meta.url, 'apart-thread.js'), {
    name: 'reports',
    data: { file },
    limitMs: LIMIT_MS,
    idleMs: IDLE_MS,
  });
  return {
    apart: async <T extends object>({ query, names }: ApartQuery<T>) => {
      const { sql, params } = query.toSQL();
      const rows = await thread.call<unknown[][]>('all', { sql, params });
      return rows.map((row) => Object.fromEntries(names.map((name, i) => [name, row[i]])) as T);
    },
    stop: thread.stop,
  };
}

/** A look that others who ask meanwhile share. */
export function shared<T>(look: () => Promise<T>): () => Promise<T> {
  let underWay: Promise<T> | undefined;
  return () =>
    (underWay ??= look().finally(() => {
      underWay = undefined;
    }));
}
