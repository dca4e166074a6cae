import { type Command } from 'commander';
import { connect } from '../connection.js';
import { confirmed, type Making, only, type Remote } from '../command.js';
import { listQuarantine, showQuarantined, retryQuarantined, dropQuarantined } from './quarantine.js';

/** Commands of this feature. */
export function define(root: Command, { run, remote, paged, example }: Making): void {
  const quarantine = root.command('quarantine').description('track: work with items that could not be processed');

  example(
    paged(quarantine.command('list', { isDefault: true }).description('list items in quarantine; exits with 1 if there are any')),
    'verbalis quarantine',
  ).action((options: Remote & { limit?: string }) => run((output) => listQuarantine(connect(options), only(options), output)));

  example(
    remote(quarantine.command('show <item>').description('show an item with its error')),
    'verbalis quarantine show q01m8ecegajsgygqe83ea8v4p',
  ).action((id: string, options: Remote) => run((output) => showQuarantined(connect(options), id, only(options), output)));

  example(
    remote(quarantine.command('retry <item...>').description('put items back into the queue they came from')),
    'verbalis quarantine retry q01m8ecegajsgygqe83ea8v4p',
  ).action((ids: string[], options: Remote) => run((output) => retryQuarantined(connect(options), ids, output)));

  example(
    remote(quarantine.command('drop <item...>').description('remove items without processing them').option('--yes', 'do not ask')),
    'verbalis quarantine drop q01m8ecegajsgygqe83ea8v4p',
  ).action((ids: string[], options: Remote & { yes?: boolean }) =>
    run(async (output) => {
      const what = ids.length === 1 ? `the item ${ids[0] ?? ''}` : `${ids.length} items`;
      return (await confirmed(`Remove ${what} without processing?`, options, output)) ? dropQuarantined(connect(options), ids, output) : 1;
    }),
  );
}
