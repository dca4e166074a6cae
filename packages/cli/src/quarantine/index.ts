import { type Command } from 'commander';
import { connect } from '../connection.js';
import { confirmed, type Making, only, type Remote } from '../command.js';
import { listQuarantine, showQuarantined, retryQuarantined, dropQuarantined } from './quarantine.js';

/** Commands of this feature. */
export function define(root: Command, { run, remote, paged, example }: Making): void {
  const quarantine = root.command('quarantine').description('track: items that could not be processed, and wait for you');

  example(
    paged(quarantine.command('list', { isDefault: true }).description('what waits; exits with status 1 when something does')),
    'verbalis quarantine',
  ).action((options: Remote & { limit?: string }) => run((output) => listQuarantine(connect(options), only(options), output)));

  example(
    remote(quarantine.command('show <item>').description('the error, and all that is known of one item')),
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
