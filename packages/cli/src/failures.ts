import { RefusedError, UnreachableError } from '@verbalis/client';
import type { StartError } from '@verbalis/service';
import type { Command, CommanderError } from 'commander';
import { UsageError, type ExitCode, type Output, type Problem } from './output.js';

/** The words of a command: "verbalis messages show". */
function pathOf(command: Command): string {
  return command.parent === null ? command.name() : `${pathOf(command.parent)} ${command.name()}`;
}

/** What was wrong with the words that were given, instead of the words of the library. */
export function wrongUse(error: CommanderError & { readonly command?: Command }): UsageError {
  const { command } = error;
  const message = error.message.replace(/^error: /, '');
  const [sentence = '', meant] = message.split('\n');
  const part = (shape: RegExp): string => shape.exec(sentence)?.[1] ?? '';
  const usage = command === undefined ? undefined : `Usage: ${pathOf(command)} ${command.usage()}`;
  const hint = /\((Did you mean .*)\)$/.exec(meant ?? '')?.[1] ?? usage;
  switch (error.code) {
    case 'commander.missingArgument':
      return new UsageError(`The argument <${part(/'(.+)'/)}> is missing.`, usage);
    case 'commander.missingMandatoryOptionValue':
      return new UsageError(`The option ${part(/'(.+)'/)} is required.`, usage);
    case 'commander.optionMissingArgument':
      return new UsageError(`The option ${part(/'(.+)'/)} needs a value.`, usage);
    case 'commander.unknownOption':
      return new UsageError(`There is no option ${part(/'(.+)'/)}.`, hint);
    case 'commander.unknownCommand':
      return new UsageError(`There is no command "${part(/'(.+)'/)}".`, hint);
    case 'commander.excessArguments':
      return new UsageError('There are too many arguments.', usage);
    case 'commander.invalidArgument': {
      // "option '--part <part>' argument 'pdf' is invalid. Allowed choices are …"
      const [head = '', why = ''] = sentence.split(/ is invalid(?: for argument '[^']*')?\.? ?/);
      const [option = '', value] = [...head.matchAll(/'([^']*)'/g)].map((match) => match[1]);
      const allowed = why.replace(/^Allowed choices are (.*)\.$/, 'Use one of: $1.');
      const what = value === undefined ? `"${option}" is not a valid argument.` : `"${value}" is not a valid value of ${option}.`;
      return new UsageError(what, allowed);
    }
    default:
      return new UsageError(sentence, hint);
  }
}

/** What failed, and the exit status that stands for it. */
export function problemOf(error: unknown): { readonly status: ExitCode; readonly problem: Problem } {
  if (error instanceof UsageError) return { status: 2, problem: { title: error.message, hint: error.hint } };
  if (error instanceof UnreachableError)
    return {
      status: 3,
      problem: {
        title: error.message,
        hint: error.kind === 'not-verbalis' ? 'Set --url or VERBALIS_URL.' : 'Start it with: verbalis serve; or set VERBALIS_URL.',
      },
    };
  if (error instanceof RefusedError) return { status: error.problem.status >= 500 ? 70 : 4, problem: error.problem };
  // The service is loaded by the commands that need it; its errors are known by their name here.
  if (error instanceof Error && error.name === 'StartError') {
    const { hint } = (error as Error & Pick<StartError, 'more'>).more;
    return { status: 2, problem: { title: error.message, hint } };
  }
  if (error instanceof Error && ['EMFILE', 'ENFILE'].includes((error as NodeJS.ErrnoException).code ?? '')) {
    const hint = 'Raise the limit: ulimit -n 4096, or LimitNOFILE=4096 in a systemd unit.';
    return { status: 2, problem: { title: 'This process may not open enough files.', hint } };
  }
  return { status: 70, problem: { title: error instanceof Error ? (error.stack ?? error.message) : String(error) } };
}

/** What a message begins with that goes on the sentence that the field began: "to[0] is not a valid address". */
const CONTINUES = /^(?:is|are|must|has|have|does|needs|names|cannot|may|holds|leads)\b/;

/** A problem for people. */
export function problemText({ title, detail, hint, problems }: Problem, { color }: Output): string {
  // If the single problems follow, the sentence that lists them is redundant.
  const lines = [`${color.red('✗')} ${title}${detail === undefined || problems !== undefined ? '' : `. ${detail}`}`];
  for (const { path, message, hint: more } of problems ?? [])
    lines.push(`  ${color.bold(path)}${CONTINUES.test(message) ? '' : ':'} ${message}${more === undefined ? '' : `. ${color.cyan(more)}`}`);
  if (hint !== undefined) lines.push(`  ${color.cyan(hint)}`);
  return lines.join('\n');
}
