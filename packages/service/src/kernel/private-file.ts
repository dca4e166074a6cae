import { chmodSync, closeSync, copyFileSync, existsSync, openSync } from 'node:fs';

const OWNER_ONLY = 0o600;

/** Makes a database file that only its owner reads and writes, or makes an existing one so. SQLite gives its log the mode of the file. */
export function keepPrivate(file: string): void {
  closeSync(openSync(file, 'a', OWNER_ONLY));
  for (const path of [file, `${file}-wal`, `${file}-shm`]) {
    try {
      if (existsSync(path)) chmodSync(path, OWNER_ONLY);
    } catch (error) {
      // It belongs to another user, who has decided about it.
      if ((error as NodeJS.ErrnoException).code !== 'EPERM') throw error;
    }
  }
}

/** Copies a file to one that only its owner reads. */
export function copyPrivately(from: string, to: string): void {
  closeSync(openSync(to, 'wx', OWNER_ONLY));
  copyFileSync(from, to);
  chmodSync(to, OWNER_ONLY);
}
