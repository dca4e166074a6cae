import { statSync } from 'node:fs';
import { relative, resolve, sep } from 'node:path';
import { watch } from 'chokidar';

function pathWithin(folder: string, file: string): string {
  return relative(resolve(folder), file).split(sep).join('/');
}

/** How long after a change a file is looked at once more, in milliseconds. */
const SETTLE_MS = 60;

/** What differs once a file was written; undefined where there is none. */
function stateOf(file: string): string | undefined {
  const stats = statSync(file, { throwIfNoEntry: false });
  return stats === undefined ? undefined : `${stats.ino} ${stats.size} ${stats.mtimeMs}`;
}

/**
 * Follows a mail folder on the disk. Files whose names begin with a dot, which editors leave beside others, are ignored.
 * @param changed is called for each file that is added, changed or removed, with its path in the folder
 * @returns once it is followed: a function that ends that
 */
export async function watchMailFolder(folder: string, changed: (path: string) => void): Promise<() => Promise<void>> {
  const watcher = watch(resolve(folder), {
    ignoreInitial: true,
    ignored: (file) =>
      pathWithin(folder, file)
        .split('/')
        .some((name) => name.startsWith('.') && name !== '..'),
  });
  const looks = new Map<string, NodeJS.Timeout>();
  // A file is emptied and then written, and the watcher keeps to itself what follows within milliseconds: one who read it in between would
  // go on with half of it.
  const tell = (file: string): void => {
    const state = stateOf(file);
    clearTimeout(looks.get(file));
    looks.set(
      file,
      setTimeout(() => {
        looks.delete(file);
        if (stateOf(file) !== state) tell(file);
      }, SETTLE_MS).unref(),
    );
    changed(pathWithin(folder, file));
  };
  for (const event of ['add', 'change', 'unlink'] as const) watcher.on(event, tell);
  await new Promise<void>((ready) => watcher.once('ready', ready));
  return async () => {
    for (const look of looks.values()) clearTimeout(look);
    looks.clear();
    await watcher.close();
  };
}
