import { InvalidArgumentError, type Command } from 'commander';
import type { connect } from './connection.js';
import { UsageError, type ExitCode, type Output } from './output.js';

// Each command's code is loaded when it is called: most need little of the whole.
export type Action = (output: Output) => Promise<ExitCode>;

/** What every part of the command line is made with. */
export interface Making {
  readonly run: (action: Action) => Promise<void>;
  /** Adds the options that say where the service is. */
  readonly remote: (command: Command) => Command;
  /** As `remote`, for a list that comes in pages: --limit, --cursor, --all, --csv. */
  readonly paged: (command: Command) => Command;
  /** As `remote`, for a list that is always whole: --csv. */
  readonly listed: (command: Command) => Command;
  /** Adds examples to its help. */
  readonly example: (command: Command, ...lines: string[]) => Command;
  /** The whole command line, with the commands of all features. */
  readonly whole: () => Promise<Command>;
}

export type Remote = { json?: boolean } & Parameters<typeof connect>[0];

/** Options of a command, without those that say where the service is. */
export function only<O extends Remote>(options: O): Omit<O, 'url' | 'key' | 'keyFile' | 'space' | 'allPages'> {
  const apart = new Set(['url', 'key', 'keyFile', 'space', 'allPages']);
  return Object.fromEntries(Object.entries(options).filter(([name]) => !apart.has(name))) as ReturnType<typeof only<O>>;
}

/** A whole number above 0, as an option. @throws InvalidArgumentError */
export function wholeNumber(text: string): string {
  if (!/^[1-9]\d{0,8}$/.test(text)) throw new InvalidArgumentError('It must be a whole number above 0.');
  return text;
}

/**
 * Asks on the terminal before something that cannot be undone. Where nobody can be asked, --yes must be given.
 * @returns whether it may be done
 */
export async function confirmed(
  question: string,
  { yes = false }: { readonly yes?: boolean | undefined },
  output: Output,
): Promise<boolean> {
  if (yes) return true;
  if (!output.interactive || !process.stdin.isTTY)
    throw new UsageError(`${question} There is no terminal to ask on.`, 'Give --yes to do it.');
  const { createInterface } = await import('node:readline/promises');
  const terminal = createInterface({ input: process.stdin, output: process.stderr });
  try {
    const answer = await terminal.question(`${question} [y/N] `).catch((error: unknown) => {
      // Ctrl+C or Ctrl+D is a no, too.
      if ((error as Error).name !== 'AbortError') throw error;
      process.stderr.write('\n');
      return '';
    });
    if (/^y(?:es)?$/i.test(answer.trim())) return true;
    output.note('Nothing was changed.');
    return false;
  } finally {
    terminal.close();
  }
}

/** Adds the commands of a feature. */
export type Define = (root: Command, making: Making) => void;
