import { type Command } from 'commander';
import { connect } from '../connection.js';
import { type Making, only, type Remote } from '../command.js';
import { listQuarantine, showQuarantined, retryQuarantined, dropQuarantined } from './quarantine.js';

/** Commands of this feature. */
export function define(root: Command, { run, remote, example }: Making): void {
  const quarantine = root.command('quarantine').description('track: items that could not be processed, and wait for you');

  example(
    remote(
      quarantine
        .command('list', { isDefault: true })
        .description('what waits; exits with status 1 when something does')
        .option('--limit <n>', 'how many (50)'),
    ),
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
    remote(quarantine.command('drop <item...>').description('remove items without processing them')),
    'verbalis quarantine drop q01m8ecegajsgygqe83ea8v4p',
  ).action((ids: string[], options: Remote) => run((output) => dropQuarantined(connect(options), ids, output)));
}
