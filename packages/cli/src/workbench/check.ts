import { linkFolder } from '@verbalis/core/folder';
import { adviseFolder, withoutSilenced } from '@verbalis/core/check';
import { codeFrame, inReadingOrder, type Problem } from '@verbalis/core/problems';
import { compileFolder } from '@verbalis/core/program';
import { sendingProblems } from '@verbalis/core/schedules';
import { readMailFolder, watchMailFolder } from '@verbalis/service/mail-folder';
import type { ExitCode, Output } from '../output.js';
import { asGithub, asSarif, forMachines, type Format } from './check-formats.js';
import { deadLinks } from './links.js';

export interface CheckOptions {
  readonly json?: boolean;
  readonly format?: Format;
  readonly links?: boolean;
  readonly strict?: boolean;
  readonly watch?: boolean;
}

/** Checks a mail folder: once, or again after each change until it is interrupted. @returns 1 if there are errors */
export async function check(folder: string, options: CheckOptions, output: Output): Promise<ExitCode> {
  const first = await checkOnce(folder, options, output);
  return options.watch === true ? followed(folder, options, output, first) : first;
}

/** Changes that come together are one: an editor writes a file in several steps. In milliseconds. */
const TOGETHER_MS = 50;

async function followed(folder: string, options: CheckOptions, output: Output, first: ExitCode): Promise<ExitCode> {
  let last = first;
  let timer: NodeJS.Timeout | undefined;
  let turn: Promise<unknown> = Promise.resolve();
  const again = async (): Promise<void> => {
    output.note(`\nChanged at ${new Date().toLocaleTimeString('en-GB')}.`);
    // A folder that is being written may have no files for a moment.
    last = await checkOnce(folder, options, output).catch((error: unknown): ExitCode => {
      output.note(error instanceof Error ? error.message : String(error));
      return 1;
    });
  };
  const unwatch = await watchMailFolder(folder, () => {
    clearTimeout(timer);
    timer = setTimeout(() => {
      turn = turn.then(again);
    }, TOGETHER_MS);
  });
  output.note('Waiting for changes. End with Ctrl+C.');
  await new Promise<void>((done) => {
    process.once('SIGINT', () => done());
    process.once('SIGTERM', () => done());
  });
  clearTimeout(timer);
  await unwatch();
  await turn;
  return last;
}

async function checkOnce(folder: string, options: CheckOptions, output: Output): Promise<ExitCode> {
  const project = linkFolder(await readMailFolder(folder));
  const compiled = compileFolder(project);
  const now = Date.now();
  const dead = options.links === true ? await deadLinks(project, compiled, now) : [];
  const all = inReadingOrder([
    ...compiled.problems,
    ...sendingProblems(project, compiled),
    ...adviseFolder(project, compiled, now),
    ...dead,
  ]);
  const { problems, silenced } = withoutSilenced(all, project, compiled.templates.values());
  const errors = problems.filter((problem) => problem.severity === 'error').length;
  const warnings = problems.filter((problem) => problem.severity === 'warning').length;
  const isBad = errors > 0 || (options.strict === true && warnings > 0);
  const code: ExitCode = isBad ? 1 : 0;
  switch (options.json === true ? 'json' : (options.format ?? 'text')) {
    case 'json':
      output.json(forMachines(project.templates.size, problems));
      return code;
    case 'sarif':
      output.out(asSarif(folder, problems));
      return code;
    case 'github':
      if (problems.length > 0) output.out(asGithub(folder, problems));
      return code;
    case 'text':
      break;
  }
  for (const problem of problems) output.out(`${problemText(problem, project.texts.get(problem.place.file), output)}\n`);
  const { color } = output;
  const count = (n: number, what: string): string => `${n} ${what}${n === 1 ? '' : 's'}`;
  const counts = [count(errors, 'error'), count(warnings, 'warning'), count(problems.length - errors - warnings, 'suggestion')];
  const rest = silenced === 0 ? '' : `, ${silenced} silenced`;
  const more = (
    [
      [project.rules, 'signal rule'],
      [project.schedules, 'schedule'],
    ] as const
  ).map(([{ size }, what]) => (size === 0 ? '' : `, ${count(size, what)}`));
  const templates = `${count(project.templates.size, 'template')}${more.join('')}`;
  if (problems.length === 0) output.out(`${color.green('✓')} ${templates}, nothing to say${rest}`);
  else output.out(`${isBad ? color.red('✗') : color.green('✓')} ${templates}: ${counts.join(', ')}${rest}`);
  return code;
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
