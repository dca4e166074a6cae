import { posix } from 'node:path';
import type { Problem } from '@verbalis/core/problems';

export const FORMATS = ['text', 'json', 'sarif', 'github'] as const;
export type Format = (typeof FORMATS)[number];

/** For machines. */
export function forMachines(templates: number, problems: readonly Problem[]): unknown {
  const flat = problems.map(({ place, code, severity, message, hint }) => ({
    file: place.file,
    line: place.line,
    column: place.column,
    code,
    severity,
    message,
    hint,
  }));
  return { templates, problems: flat };
}

const LEVELS = { error: 'error', warning: 'warning', suggestion: 'note' } as const;

/** SARIF 2.1.0: what services that review code show beside the lines. @param folder how paths of the folder begin in the repository */
export function asSarif(folder: string, problems: readonly Problem[]): string {
  const rules = [...new Set(problems.map(({ code }) => code))].sort();
  return JSON.stringify(
    {
      $schema: 'https://json.schemastore.org/sarif-2.1.0.json',
      version: '2.1.0',
      runs: [
        {
          tool: { driver: { name: 'verbalis', rules: rules.map((id) => ({ id })) } },
          results: problems.map(({ code, severity, message, hint, place }) => ({
            ruleId: code,
            ruleIndex: rules.indexOf(code),
            level: LEVELS[severity],
            message: { text: hint === undefined ? message : `${message} ${hint}` },
            locations: [
              {
                physicalLocation: {
                  artifactLocation: { uri: pathIn(folder, place.file).split('/').map(encodeURIComponent).join('/') },
                  region: { startLine: place.line, startColumn: place.column },
                },
              },
            ],
          })),
        },
      ],
    },
    null,
    2,
  );
}

const COMMANDS = { error: 'error', warning: 'warning', suggestion: 'notice' } as const;

/** Workflow commands: a line for each problem, which continuous integration shows beside the source. */
export function asGithub(folder: string, problems: readonly Problem[]): string {
  const property = (text: string): string => data(text).replaceAll(':', '%3A').replaceAll(',', '%2C');
  return problems
    .map(({ code, severity, message, hint, place }) => {
      const at = `file=${property(pathIn(folder, place.file))},line=${place.line},col=${place.column},title=${property(code)}`;
      return `::${COMMANDS[severity]} ${at}::${data(hint === undefined ? message : `${message} ${hint}`)}`;
    })
    .join('\n');
}

function data(text: string): string {
  return text.replaceAll('%', '%25').replaceAll('\r', '%0D').replaceAll('\n', '%0A');
}

function pathIn(folder: string, file: string): string {
  return posix.join(folder, file);
}
