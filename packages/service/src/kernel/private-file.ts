import { chmodSync, closeSync, existsSync, openSync, rmSync } from 'node:fs';

const OWNER_ONLY = 0o600;

/** Makes a database file that only its owner reads and writes, or makes an existing one so. SQLite gives its log the mode of the file. */
export function keepPrivate(file: string): void {
  closeSync(openSync(file, 'a', OWNER_ONLY));
  for (const path of [file, `${file}-wal`, `${file}-shm`]) {
    try {
      if (existsSync(path)) chmodSync(path, OWNER_ONLY);
    } catch (error) {
      // It belongs to somebody else, who has decided about it.
      if ((error as NodeJS.ErrnoException).code !== 'EPERM') throw error;
    }
  }
}

/** Writes a file that only its owner reads, from its first byte; one that could not be written is not left behind. */
export async function writePrivately(file: string, write: (file: string) => Promise<unknown>): Promise<void> {
  const isNew = !existsSync(file);
  keepPrivate(file);
  try {
    await write(file);
  } catch (error) {
    if (isNew) rmSync(file, { force: true });
    throw error;
  }
}
