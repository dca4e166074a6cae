import { spawnSync } from 'node:child_process';
import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { temporaryFolder, until } from './service.js';

/** A file system of its own that can be filled. */
export interface SmallDisk {
  readonly path: string;
  /** Takes so much of its room; what was taken before is free again. 0: none. */
  readonly fill: (bytes: number) => void;
  readonly remove: () => Promise<void>;
}

/** @param megabytes its size. Needs root, as the tests of mail servers do. */
export function smallDisk(megabytes: number): SmallDisk {
  const folder = temporaryFolder();
  const path = join(folder.path, 'disk');
  const ballast = join(path, 'ballast');
  mkdirSync(path);
  const mounted = spawnSync('mount', ['-t', 'tmpfs', '-o', `size=${megabytes}m`, 'tmpfs', path]);
  if (mounted.status !== 0) throw new Error(`No small disk could be made (mount needs root): ${mounted.stderr.toString()}`);
  return {
    path,
    fill(bytes) {
      rmSync(ballast, { force: true });
      if (bytes > 0) writeFileSync(ballast, Buffer.alloc(bytes));
    },
    async remove() {
      // A process that was killed holds its files for a moment.
      await until(() => (spawnSync('umount', [path]).status === 0 ? true : undefined));
      folder.remove();
    },
  };
}
