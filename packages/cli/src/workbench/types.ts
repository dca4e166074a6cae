import { writeFileSync } from 'node:fs';
import { linkFolder } from '@verbalis/core/folder';
import { compileRules } from '@verbalis/core/signals';
import { declareData } from '@verbalis/core/typing';
import { readMailFolder } from '@verbalis/service/mail-folder';
import type { ExitCode, Output } from '../output.js';
import { problemText } from './check.js';

/** Writes TypeScript types of every template's data, so that an app's build fails where the data does not fit. */
export async function types(folder: string, options: { out?: string }, output: Output): Promise<ExitCode> {
  const project = linkFolder(await readMailFolder(folder));
  const errors = project.problems.filter((problem) => problem.severity === 'error' && /schema|json|mail\.yaml/.test(problem.place.file));
  if (errors.length > 0) {
    for (const error of errors) output.note(`${problemText(error, project.texts.get(error.place.file), output)}\n`);
    return 1;
  }
  const text = declareData(
    new Map([...project.templates].map(([name, template]) => [name, template.schema])),
    compileRules(project).schemas,
  );
  if (options.out === undefined) output.out(text);
  else {
    writeFileSync(options.out, text);
    output.note(`${project.templates.size} template${project.templates.size === 1 ? '' : 's'}, written to ${options.out}`);
  }
  return 0;
}
