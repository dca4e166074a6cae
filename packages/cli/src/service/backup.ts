import { resolve } from 'node:path';
import { existsSync } from 'node:fs';
import { readConfig } from '@verbalis/service/settings';
import { backupDatabase } from '@verbalis/service';
import { UsageError, type ExitCode, type Output } from '../output.js';

/** Copies the database of a service, which may be running, to a file. */
export async function backup(file: string, options: { config?: string }, output: Output): Promise<ExitCode> {
  const target = resolve(file);
  if (existsSync(target)) throw new UsageError(`${target} is there already.`, 'Name a file that is not.');
  await backupDatabase(readConfig(options.config, process.env), target);
  output.out(target);
  output.note('Keep the secrets file with it: without it, encrypted keys cannot be read.');
  return 0;
}
