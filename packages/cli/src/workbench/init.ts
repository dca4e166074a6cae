import { cpSync, existsSync, readdirSync } from 'node:fs';
import { join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import { UsageError, type ExitCode, type Output } from '../output.js';

const STARTER = fileURLToPath(new URL('../../starter/', import.meta.url));

/** Makes a small mail folder that works. */
export function init(folder: string, output: Output): Promise<ExitCode> {
  if (existsSync(folder) && readdirSync(folder).length > 0)
    throw new UsageError(`${folder} is not empty.`, 'Name a folder that does not exist yet.');
  cpSync(STARTER, folder, { recursive: true });
  for (const entry of readdirSync(folder, { recursive: true, withFileTypes: true })) {
    if (entry.isFile()) output.out(`made ${join(folder, relative(folder, join(entry.parentPath, entry.name)))}`);
  }
  output.note(`\nTry it:\n  verbalis check ${folder}\n  verbalis render ${folder} loan-due --part text`);
  return Promise.resolve(0);
}
