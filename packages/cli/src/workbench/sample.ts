import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { linkFolder } from '@verbalis/core/folder';
import { didYouMean } from '@verbalis/core/problems';
import { SAMPLE_KINDS, sampleOf, type SampleKind } from '@verbalis/core/typing';
import { readMailFolder } from '@verbalis/service/mail-folder';
import { writeOut } from '../out-file.js';
import { UsageError, type ExitCode, type Output } from '../output.js';
import { problemText } from './check.js';

export interface SampleOptions {
  readonly kind?: SampleKind;
  readonly write?: boolean;
  readonly force?: boolean;
  readonly json?: boolean;
}

interface Sample {
  readonly kind: SampleKind;
  readonly data: unknown;
  /** Where the schema has a condition or a pattern that the sample does not meet. */
  readonly faults: readonly string[];
}

/** Makes samples of a template from its data schema. @returns 1 if one of them does not fit the schema, or a file already exists */
export async function sample(folder: string, name: string, options: SampleOptions, output: Output): Promise<ExitCode> {
  const project = linkFolder(await readMailFolder(folder));
  const template = project.templates.get(name);
  if (template === undefined) {
    const errors = project.problems.filter(({ severity, place }) => severity === 'error' && place.file.startsWith(`templates/${name}/`));
    if (errors.length === 0)
      throw new UsageError(`There is no template "${name}" in ${folder}.`, didYouMean(name, project.templates.keys()));
    for (const error of errors) output.note(`${problemText(error, project.texts.get(error.place.file), output)}\n`);
    return 1;
  }
  const kinds = options.kind !== undefined ? [options.kind] : options.write === true ? SAMPLE_KINDS : (['typical'] as const);
  const samples = kinds.map((kind): Sample => {
    const data = sampleOf(template.schema, kind);
    const faults = template.checkData(data).map(({ path, message }) => `${path === '' ? 'the data' : `"${path}"`} ${message}`);
    return { kind, data, faults };
  });
  let status: ExitCode = 0;
  for (const { kind, faults } of samples) {
    if (faults.length === 0) continue;
    status = 1;
    output.note(`The ${kind} sample does not fit the data schema: ${faults.join('; ')}. Give the field "examples" in the schema.`);
  }
  if (options.write === true) return writeSamples(join(folder, 'templates', name, 'samples'), samples, { options, output, status });
  output.result({ template: name, samples }, samples.map(({ data }) => JSON.stringify(data, null, 2)).join('\n'));
  return status;
}

function writeSamples(
  folder: string,
  samples: readonly Sample[],
  { options, output, status }: { readonly options: SampleOptions; readonly output: Output; readonly status: ExitCode },
): ExitCode {
  let result = status;
  const written: string[] = [];
  for (const { kind, data } of samples) {
    const file = join(folder, `${kind}.json`);
    if (existsSync(file) && options.force !== true) {
      output.note(`${file} exists already. Replace it with --force.`);
      result = 1;
      continue;
    }
    writeOut(file, `${JSON.stringify(data, null, 2)}\n`);
    written.push(file);
  }
  output.result({ written }, written.map((file) => `Written: ${file}`).join('\n'));
  return result;
}
