import { Option, type Command } from 'commander';
import { connect } from '../connection.js';
import { type Making, only, type Remote } from '../command.js';
import { figures } from './figures.js';

/** Commands of this feature. */
export function define(root: Command, { run, remote, example }: Making): void {
  example(
    remote(
      root
        .command('figures')
        .description('track: show counts, outcomes and times')
        .option('--days <n>', 'of the last days', '7')
        .addOption(new Option('--by <what>', 'a line for each').choices(['template', 'topic', 'provider', 'domain', 'cause']))
        .option('--csv', 'as a table for other programs'),
    ),
    'verbalis figures --days 30 --by domain',
  ).action((options: Remote & Parameters<typeof figures>[1]) => run((output) => figures(connect(options), only(options), output)));
}
