import { join } from 'node:path';
import { linkFolder } from '@verbalis/core/folder';
import { compileRules } from '@verbalis/core/signals';
import { declareData, type JsonSchema } from '@verbalis/core/typing';
import { readMailFolder } from '@verbalis/service/mail-folder';
import { writeOut } from '../out-file.js';
import type { ExitCode, Output } from '../output.js';
import { problemText } from './check.js';

export interface TypesOptions {
  readonly out?: string;
  readonly format?: 'typescript' | 'json-schema';
}

/**
 * Writes types of every template's data, so that an app's build fails where the data does not fit: TypeScript, or a JSON Schema (2020-12) for each
 * template and signal, whole in itself, for the generators of other languages.
 */
export async function types(folder: string, options: TypesOptions, output: Output): Promise<ExitCode> {
  const project = linkFolder(await readMailFolder(folder));
  const errors = project.problems.filter((problem) => problem.severity === 'error' && /schema|json|mail\.yaml/.test(problem.place.file));
  if (errors.length > 0) {
    for (const error of errors) output.note(`${problemText(error, project.texts.get(error.place.file), output)}\n`);
    return 1;
  }
  const schemas = new Map([...project.templates].map(([name, template]) => [name, template.schema]));
  const signals = compileRules(project).schemas;
  if (options.format === 'json-schema') return writeSchemas([...schemas, ...signals], options, output);
  const text = declareData(schemas, signals);
  if (options.out === undefined) output.out(text);
  else {
    writeOut(options.out, text);
    output.note(`${project.templates.size} template${project.templates.size === 1 ? '' : 's'}, written to ${options.out}`);
  }
  return 0;
}

/** A file for each schema; one document with all of them, by name, where no folder is named. */
function writeSchemas(schemas: readonly (readonly [name: string, schema: JsonSchema])[], { out }: TypesOptions, output: Output): ExitCode {
  if (out === undefined) {
    const all = Object.fromEntries(schemas);
    output.result({ schemas: all }, JSON.stringify(all, null, 2));
    return 0;
  }
  for (const [name, schema] of schemas) writeOut(join(out, `${name}.schema.json`), `${JSON.stringify(schema, null, 2)}\n`);
  output.note(`${schemas.length} schema${schemas.length === 1 ? '' : 's'}, written to ${out}`);
  return 0;
}
