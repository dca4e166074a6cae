import { randomBytes } from 'node:crypto';
import { closeSync, existsSync, fsyncSync, mkdirSync, openSync, readdirSync, readFileSync, renameSync, rmSync, writeSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { StoreUnavailable } from '../../kernel/index.js';

/** Keys of days ("2026-06-04", UTC), each in a file of its own. */
export interface DayKeys {
  /** The key of a day, made where there is none; it is on the disk. @throws StoreUnavailable where it cannot be read or written */
  readonly of: (day: string) => Uint8Array;
  /** The key of a day; undefined where there is none, or no longer. @throws StoreUnavailable where it cannot be read */
  readonly find: (day: string) => Uint8Array | undefined;
  /** Days that have a key, the oldest first. */
  readonly days: () => string[];
  readonly remove: (day: string) => void;
}

/** The folder of keys: as it is configured, or beside the database, where the service may write. */
export function dayKeysFolder(settings: { readonly dayKeysFolder?: string | undefined; readonly databaseFile: string }): string {
  return settings.dayKeysFolder ?? join(dirname(settings.databaseFile), 'day-keys');
}

const KEY_BYTES = 32;
const FILE = /^(\d{4,6}-\d\d-\d\d)\.key$/;

/** Keys in the files of a folder, which is made when the first key is needed. */
export function dayKeysIn(folder: string): DayKeys {
  const known = new Map<string, Uint8Array>();
  const pathOf = (day: string): string => join(folder, `${day}.key`);

  function attempt<T>(doing: string, run: () => T): T {
    try {
      return run();
    } catch (error) {
      throw new StoreUnavailable(`The key of a day cannot be ${doing} in ${folder}: ${(error as Error).message}.`, error);
    }
  }

  function find(day: string): Uint8Array | undefined {
    const kept = known.get(day);
    if (kept !== undefined) return kept;
    const path = pathOf(day);
    const bytes = attempt('read', () => (existsSync(path) ? readFileSync(path) : undefined));
    if (bytes?.length !== KEY_BYTES) return undefined;
    known.set(day, bytes);
    return bytes;
  }

  /** The file gets its name when its content is on the disk: a key is there whole, or not at all. */
  function make(day: string): Uint8Array {
    const bytes = randomBytes(KEY_BYTES);
    attempt('written', () => {
      mkdirSync(folder, { recursive: true, mode: 0o700 });
      const part = `${pathOf(day)}.part`;
      rmSync(part, { force: true });
      const file = openSync(part, 'wx', 0o600);
      try {
        writeSync(file, bytes);
        fsyncSync(file);
      } finally {
        closeSync(file);
      }
      renameSync(part, pathOf(day));
      syncFolder();
    });
    known.set(day, bytes);
    return bytes;
  }

  function syncFolder(): void {
    const at = openSync(folder, 'r');
    try {
      fsyncSync(at);
    } finally {
      closeSync(at);
    }
  }

  return {
    of: (day) => find(day) ?? make(day),
    find,
    days: () =>
      attempt('listed', () => (existsSync(folder) ? readdirSync(folder) : []))
        .flatMap((name) => FILE.exec(name)?.[1] ?? [])
        .sort(),
    remove(day) {
      attempt('removed', () => {
        rmSync(pathOf(day), { force: true });
        syncFolder();
      });
      known.delete(day);
    },
  };
}
