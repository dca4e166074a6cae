import { Option, type Command } from 'commander';
import { connect } from '../connection.js';
import { only, type Making, type Remote } from '../command.js';
import type * as Commands from './engagement.js';

const load = (): Promise<typeof Commands> => import('./engagement.js');

/** Commands of this feature. */
export function define(root: Command, { run, remote, example }: Making): void {
  example(
    remote(
      root
        .command('engagement')
        .description('track: show link and picture hits, by people and by machines')
        .option('--days <n>', 'of the last days', '7')
        .option('--template <name>', 'of one template')
        .option('--topic <name>', 'of one topic')
        .addOption(new Option('--by <what>', 'a line for each').choices(['template', 'link', 'hour'])),
    ),
    'verbalis engagement --days 30 --by link',
  ).action((options: Remote & Parameters<typeof Commands.engagement>[1]) =>
    run(async (output) => (await load()).engagement(connect(options), only(options), output)),
  );
}
