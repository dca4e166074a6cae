import type { Command } from 'commander';

/** A command as the completion of a shell needs it. */
export interface CommandNode {
  /** The words that lead to it, without the name of the program. */
  readonly path: readonly string[];
  readonly description: string;
  readonly commands: readonly { readonly name: string; readonly description: string }[];
  readonly options: readonly OptionNode[];
}

export interface OptionNode {
  readonly name: string;
  readonly description: string;
  readonly takesValue: boolean;
  /** Whether its value is a path. */
  readonly isPath: boolean;
  readonly choices: readonly string[];
}

const PATHS = new Set(['file', 'folder', 'dir', 'path', 'config', 'files', 'mailfolder']);

/** Every command below one, itself included. */
export function treeOf(command: Command, path: readonly string[] = []): CommandNode[] {
  const node: CommandNode = {
    path,
    description: command.description(),
    commands: command.commands.map((child) => ({ name: child.name(), description: child.description() })),
    options: command.options.flatMap((option) => {
      if (option.long === undefined || option.hidden) return [];
      const value = /[<[]([\w-]+)/.exec(option.flags)?.[1];
      return [
        {
          name: option.long,
          description: option.description,
          takesValue: option.required || option.optional,
          isPath: value !== undefined && PATHS.has(value),
          choices: option.argChoices ?? [],
        },
      ];
    }),
  };
  return [node, ...command.commands.flatMap((child) => treeOf(child, [...path, child.name()]))];
}
