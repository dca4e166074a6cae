import { Argument, type Command } from 'commander';
import type { Making } from '../command.js';
import { SHELLS, type Shell } from './shells.js';

/** Commands of this feature. */
export function define(root: Command, { run, example, whole }: Making): void {
  example(
    root
      .command('completion')
      .addArgument(new Argument('<shell>', 'which one').choices(SHELLS))
      .description('set up: print the completion script for bash, zsh or fish'),
    'verbalis completion bash > /etc/bash_completion.d/verbalis',
    'verbalis completion zsh > ~/.zfunc/_verbalis',
    'verbalis completion fish > ~/.config/fish/completions/verbalis.fish',
  ).action((shell: Shell) =>
    run(async (output) => {
      const { scriptOf } = await import('./shells.js');
      const { treeOf } = await import('./tree.js');
      output.out(scriptOf(shell, treeOf(await whole())));
      return 0;
    }),
  );
}
