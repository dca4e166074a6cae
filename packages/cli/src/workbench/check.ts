import { linkFolder } from '@verbalis/core/folder';
import { adviseFolder } from '@verbalis/core/check';
import { codeFrame, inReadingOrder, type Problem } from '@verbalis/core/problems';
import { compileFolder } from '@verbalis/core/program';
import { readMailFolder } from '@verbalis/service/mail-folder';
import type { ExitCode, Output } from '../output.js';
import { deadLinks } from './links.js';

export async function check(folder: string, options: { json?: boolean; links?: boolean }, output: Output): Promise<ExitCode> {
  const project = linkFolder(await readMailFolder(folder));
  const compiled = compileFolder(project);
  const now = Date.now();
  const dead = options.links === true ? await deadLinks(project, compiled, now) : [];
  const problems = inReadingOrder([...compiled.problems, ...adviseFolder(project, compiled, now), ...dead]);
  const errors = problems.filter((problem) => problem.severity === 'error').length;
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
  for (const problem of problems) output.out(`${problemText(problem, project.texts.get(problem.place.file), output)}\n`);
  const { color } = output;
  const count = (n: number, what: string): string => `${n} ${what}${n === 1 ? '' : 's'}`;
  const warnings = problems.filter((problem) => problem.severity === 'warning').length;
  const counts = [count(errors, 'error'), count(warnings, 'warning'), count(problems.length - errors - warnings, 'suggestion')];
  const templates = count(project.templates.size, 'template');
  if (problems.length === 0) output.out(`${color.green('✓')} ${templates}, nothing to say`);
  else output.out(`${errors > 0 ? color.red('✗') : color.green('✓')} ${templates}: ${counts.join(', ')}`);
  return errors > 0 ? 1 : 0;
}

/** A problem as a terminal shows it: place, sentence, frame, hint. */
export function problemText(problem: Problem, source: string | undefined, { color }: Output): string {
  const { file, line, column } = problem.place;
  const mark = { error: color.red, warning: color.yellow, suggestion: color.blue }[problem.severity](problem.severity);
  const lines = [`${color.bold(`${file}:${line}:${column}`)}  ${mark} ${color.dim(problem.code)}`, `  ${problem.message}`];
  if (source !== undefined) lines.push(codeFrame(source, problem.place).replace(/^/gm, '  '));
  if (problem.hint !== undefined) lines.push(`  ${color.cyan(problem.hint)}`);
  return lines.join('\n');
}
