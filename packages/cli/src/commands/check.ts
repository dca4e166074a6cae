import { linkFolder } from '@verbalis/core/folder';
import { codeFrame, type Problem } from '@verbalis/core/problems';
import { compileFolder } from '@verbalis/core/program';
import { readMailFolder } from '@verbalis/service/mail-folder';
import type { ExitCode, Output } from '../output.js';

export async function check(folder: string, options: { json?: boolean }, output: Output): Promise<ExitCode> {
  const project = linkFolder(await readMailFolder(folder));
  const { problems } = compileFolder(project);
  const errors = problems.filter((one) => one.severity === 'error').length;
  if (options.json === true) {
    const flat = problems.map(({ place, code, severity, message, hint }) => ({
      file: place.file,
      line: place.line,
      column: place.column,
      code,
      severity,
      message,
      hint,
    }));
    output.out(JSON.stringify({ templates: project.templates.size, problems: flat }, null, 2));
    return errors > 0 ? 1 : 0;
  }
  for (const one of problems) output.out(`${problemText(one, project.texts.get(one.place.file), output)}\n`);
  const { color } = output;
  const count = (n: number, what: string): string => `${n} ${what}${n === 1 ? '' : 's'}`;
  const warnings = problems.length - errors;
  const templates = count(project.templates.size, 'template');
  if (problems.length === 0) output.out(`${color.green('✓')} ${templates}, nothing to say`);
  else
    output.out(`${errors > 0 ? color.red('✗') : color.green('✓')} ${templates}, ${count(errors, 'error')}, ${count(warnings, 'warning')}`);
  return errors > 0 ? 1 : 0;
}

/** A problem as a terminal shows it: place, sentence, frame, hint. */
export function problemText(one: Problem, source: string | undefined, { color }: Output): string {
  const { file, line, column } = one.place;
  const mark = one.severity === 'error' ? color.red(one.severity) : color.yellow(one.severity);
  const lines = [`${color.bold(`${file}:${line}:${column}`)}  ${mark} ${color.dim(one.code)}`, `  ${one.message}`];
  if (source !== undefined) lines.push(codeFrame(source, one.place).replace(/^/gm, '  '));
  if (one.hint !== undefined) lines.push(`  ${color.cyan(one.hint)}`);
  return lines.join('\n');
}
