import { resolve } from 'node:path';
import { existsSync } from 'node:fs';
import { readConfig } from '@verbalis/service/settings';
import { backupDatabase } from '@verbalis/service';
import { UsageError, type ExitCode, type Output } from '../output.js';
import { bytesText } from '../words.js';

/** Copies the database of a service, which may be running, to a file, and reads the copy again. */
export function backup(file: string, options: { config?: string }, output: Output): Promise<ExitCode> {
  const target = resolve(file);
  if (existsSync(target)) throw new UsageError(`${target} exists already.`, 'Name a file that does not.');
  const { bytes, rows, asOf } = backupDatabase(readConfig(options.config, process.env), target);
  output.out(target);
  output.note(`${bytesText(bytes)}, ${String(rows['messages'] ?? 0)} messages, as of ${asOf}. It was read again and is whole.`);
  output.note(`Beside it: ${target}.json. Keep both, and the secrets file: without it, encrypted keys cannot be read.`);
  return Promise.resolve(0);
}
