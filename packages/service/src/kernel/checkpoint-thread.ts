import Sqlite from 'better-sqlite3';
import type { LogState } from './checkpoints.js';
import { inThread } from './thread.js';

inThread((_remote, { file }: { readonly file: string }) => {
  const raw = new Sqlite(file, { timeout: 0 });
  raw.pragma('synchronous = FULL');
  // What it moves goes from one file to the other: pages are not kept.
  raw.pragma('cache_size = -64');
  const left = (): number => {
    const [{ log, checkpointed } = { log: 0, checkpointed: 0 }] = raw.pragma('wal_checkpoint(NOOP)') as LogState[];
    return log - checkpointed;
  };
  return {
    /** Moves pages, and again what came meanwhile. @returns how many are left */
    move: ({ little, passes }: { readonly little: number; readonly passes: number }): number => {
      for (let pass = 0; pass < passes && left() > little; pass += 1) raw.pragma('wal_checkpoint(PASSIVE)');
      return left();
    },
  };
});
