import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { fileFault } from '@verbalis/core/system';
import { UsageError } from './output.js';

const faultOf = (error: unknown): string => ((error as NodeJS.ErrnoException).code === 'EEXIST' ? 'it is a file' : fileFault(error));

/** Makes a folder that an option names, with those above it. @throws UsageError where there is something else */
export function makeFolder(folder: string): void {
  try {
    mkdirSync(folder, { recursive: true });
  } catch (error) {
    throw new UsageError(`The folder ${folder} cannot be made: ${faultOf(error)}.`);
  }
}

/**
 * Writes the file that an option names; its folder is made when it is missing.
 * @param mode who may read it, as in chmod; by default whom the umask lets
 * @throws UsageError where it cannot be written
 */
export function writeOut(file: string, content: string | Uint8Array, mode?: number): void {
  try {
    mkdirSync(dirname(file), { recursive: true });
    writeFileSync(file, content, mode === undefined ? {} : { mode });
  } catch (error) {
    throw new UsageError(`The file ${file} cannot be written: ${faultOf(error)}.`);
  }
}
