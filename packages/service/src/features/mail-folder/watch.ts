import { relative, resolve, sep } from 'node:path';
import { watch } from 'chokidar';

function pathWithin(folder: string, file: string): string {
  return relative(resolve(folder), file).split(sep).join('/');
}

/**
 * Follows a mail folder on the disk. Files whose names begin with a dot, which editors leave beside others, are none of it.
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
  for (const event of ['add', 'change', 'unlink'] as const)
    watcher.on(event, (file) => {
      changed(pathWithin(folder, file));
    });
  await new Promise<void>((ready) => watcher.once('ready', ready));
  return () => watcher.close();
}
