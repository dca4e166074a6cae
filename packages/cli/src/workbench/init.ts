import { cpSync, existsSync, readdirSync, statSync } from 'node:fs';
import { join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import { makeFolder, writeOut } from '../out-file.js';
import { UsageError, type ExitCode, type Output } from '../output.js';

const STARTER = fileURLToPath(new URL('../../starter/', import.meta.url));

const STARTER_CONFIGURATION = fileURLToPath(new URL('../../starter-configuration/verbalis.yaml', import.meta.url));

/** Makes a configuration to begin with, and the schema by which editors complete and check it. */
export async function initConfiguration(folder: string, output: Output): Promise<ExitCode> {
  const [file, schema] = [join(folder, 'verbalis.yaml'), join(folder, 'verbalis.schema.json')];
  if (existsSync(file)) throw new UsageError(`${file} already exists.`, 'Name another folder, or remove it.');
  const { settingsSchema } = await import('@verbalis/service/settings');
  makeFolder(folder);
  cpSync(STARTER_CONFIGURATION, file);
  writeOut(schema, `${JSON.stringify(settingsSchema(), null, 2)}\n`);
  for (const made of [file, schema]) output.out(`made ${made}`);
  output.note(`\nTry it:\n  verbalis config check ${file}\n  verbalis serve --config ${file}`);
  return 0;
}

/** Makes a small mail folder that works. */
export function init(folder: string, output: Output): Promise<ExitCode> {
  if (existsSync(folder) && (!statSync(folder).isDirectory() || readdirSync(folder).length > 0))
    throw new UsageError(`${folder} is not empty.`, 'Name a folder that does not exist yet.');
  makeFolder(folder);
  cpSync(STARTER, folder, { recursive: true });
  for (const entry of readdirSync(folder, { recursive: true, withFileTypes: true })) {
    if (entry.isFile()) output.out(`made ${join(folder, relative(folder, join(entry.parentPath, entry.name)))}`);
  }
  output.note(`\nTry it:\n  verbalis check ${folder}\n  verbalis render ${folder} loan-due --part text`);
  return Promise.resolve(0);
}
