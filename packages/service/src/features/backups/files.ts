import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { manifestFile, Manifest } from '../../kernel/index.js';

/** A backup that is whole by its manifest. */
export interface Backup {
  readonly file: string;
  readonly manifest: Manifest;
}

const NAME = /^verbalis-[0-9TZ]+\.sqlite$/;
const PART = /^verbalis-[0-9TZ]+\.sqlite\.part$/;

/** A name for a backup; the later it is made, the later it sorts. */
export const backupName = (at: number): string => `verbalis-${new Date(at).toISOString().replaceAll(/[-:.]/g, '')}.sqlite`;

/** The backups of a folder, oldest first. What else lies there is left alone. It blocks: a share may answer late, or never. */
export function backupsIn(folder: string): Backup[] {
  mkdirSync(folder, { recursive: true, mode: 0o700 });
  return readdirSync(folder)
    .filter((name) => NAME.test(name))
    .flatMap((name): Backup[] => {
      const file = join(folder, name);
      try {
        return [{ file, manifest: Manifest.parse(JSON.parse(readFileSync(manifestFile(file), 'utf8'))) }];
      } catch {
        // A manifest that cannot be read: not whole, and a person may want to look at it.
        return [];
      }
    })
    .sort((a, b) => Date.parse(a.manifest.asOf) - Date.parse(b.manifest.asOf));
}

/** When the last backup of a folder was made, in milliseconds since the epoch. It makes no folder. */
export function lastBackupIn(folder: string): number | undefined {
  const last = existsSync(folder) ? backupsIn(folder).at(-1) : undefined;
  return last === undefined ? undefined : Date.parse(last.manifest.asOf);
}

/** Removes what was left of backups that were broken off. @param before date, in milliseconds since the epoch */
export function removeParts(folder: string, before: number): void {
  for (const name of readdirSync(folder)) {
    if (PART.test(name) && statSync(join(folder, name)).mtimeMs < before) rmSync(join(folder, name), { force: true });
  }
}

/** Removes all but the newest. @returns how many */
export function removeOld(folder: string, keep: number): number {
  const old = backupsIn(folder).slice(0, -keep);
  for (const { file } of old) {
    rmSync(manifestFile(file), { force: true });
    rmSync(file, { force: true });
  }
  return old.length;
}
