import { join } from 'node:path';
import { fileSchemas, type FileSchema } from '@verbalis/core/editing';
import { settingsSchema } from '@verbalis/service/settings';
import { writeOut } from '../out-file.js';
import type { ExitCode, Output } from '../output.js';

/** JSON Schemas of the files that people write by hand. */
export function allFileSchemas(): FileSchema[] {
  return [...fileSchemas(), { name: 'configuration', files: 'verbalis.yaml, the configuration of the service', schema: settingsSchema() }];
}

/** Writes the JSON Schemas of the files of a mail folder and of the configuration, for editors. */
export function schemas(folder: string, output: Output): Promise<ExitCode> {
  const written = allFileSchemas().map(({ name, files, schema }) => {
    const path = join(folder, `${name}.schema.json`);
    writeOut(path, `${JSON.stringify(schema, null, 2)}\n`);
    return { path, files };
  });
  output.result(written, written.map(({ path, files }) => `made ${path}, for ${files}`).join('\n'));
  return Promise.resolve(0);
}
