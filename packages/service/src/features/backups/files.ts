import { mkdir, readdir, readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { manifestFile, Manifest } from '../../kernel/index.js';

/** A backup that is whole by its manifest. */
export interface Backup {
  readonly file: string;
  readonly manifest: Manifest;
}

const NAME = /^verbalis-[0-9TZ]+\.sqlite$/;

/** A name for a backup; the later it is made, the later it sorts. */
export const backupName = (at: number): string => `verbalis-${new Date(at).toISOString().replaceAll(/[-:.]/g, '')}.sqlite`;

/** The backups of a folder, oldest first. What else lies there is left alone. */
export async function backupsIn(folder: string): Promise<Backup[]> {
  await mkdir(folder, { recursive: true, mode: 0o700 });
  const names = (await readdir(folder)).filter((name) => NAME.test(name)).sort();
  const found = await Promise.all(
    names.map(async (name): Promise<Backup | undefined> => {
      const file = join(folder, name);
      try {
        return { file, manifest: Manifest.parse(JSON.parse(await readFile(manifestFile(file), 'utf8'))) };
      } catch {
        // A manifest that cannot be read: not whole, and a person may want to look at it.
        return undefined;
      }
    }),
  );
  return found.flatMap((backup) => backup ?? []).sort((a, b) => Date.parse(a.manifest.asOf) - Date.parse(b.manifest.asOf));
}

/** Removes all but the newest. */
export async function removeOld(folder: string, keep: number): Promise<number> {
  const old = (await backupsIn(folder)).slice(0, -keep);
  for (const { file } of old) {
    await rm(manifestFile(file), { force: true });
    await rm(file, { force: true });
  }
  return old.length;
}
