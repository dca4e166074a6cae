import { readdir, readFile } from 'node:fs/promises';
import { join, relative, sep } from 'node:path';
import type { MailFiles } from '@verbalis/core/folder';
import { fileFault } from '@verbalis/core/system';
import { StartError } from '../../kernel/unavailable.js';

/** Largest mail folder that is read, in bytes and files. */
const MAX_BYTES = 64 * 1024 * 1024;
const MAX_FILES = 20_000;

const HINT = 'Name the folder that holds mail.yaml.';

/** Reads a mail folder from the disk. Names that begin with a dot are left out. @throws StartError */
export async function readMailFolder(folder: string): Promise<MailFiles> {
  let entries;
  try {
    entries = await readdir(folder, { recursive: true, withFileTypes: true });
  } catch (error) {
    throw new StartError(`The mail folder ${folder} cannot be read: ${fileFault(error)}.`, {
      hint: HINT,
    });
  }
  const out = new Map<string, Uint8Array>();
  let total = 0;
  for (const entry of entries) {
    const path = join(entry.parentPath, entry.name);
    const name = relative(folder, path).split(sep).join('/');
    if (!entry.isFile() || name.split('/').some((step) => step.startsWith('.'))) continue;
    const bytes = await readFile(path);
    total += bytes.length;
    if (total > MAX_BYTES || out.size >= MAX_FILES)
      throw new StartError(`The mail folder ${folder} is larger than ${MAX_BYTES / 1024 / 1024} MiB or ${MAX_FILES} files.`, {
        hint: HINT,
      });
    out.set(name, bytes);
  }
  return out;
}
