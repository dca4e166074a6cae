import { type Command } from 'commander';
import { connect } from '../connection.js';
import { only, type Making, type Remote } from '../command.js';
import { cancelWaiting, hold, listHeld, listHolds, release, type FilterOptions } from './holds.js';
import { listPlanned, showQueue } from './queue.js';

const collect = (value: string, before: readonly string[] = []): readonly string[] => [...before, value];

/** Adds the options that say which emails are meant. */
function filtered(command: Command): Command {
  return command
    .option('--template <name>', 'of a template')
    .option('--edition <n>', 'of an edition')
    .option('--topic <topic>', 'of a topic')
    .option('--domain <domain>', 'to a recipient domain')
    .option('--label <name=value>', 'with a label; may be repeated', collect)
    .option('--all', 'everything in the space');
}

/** Commands of this feature. */
export function define(root: Command, { run, remote, paged, listed, example }: Making): void {
  const queue = example(remote(root.command('queue').description('send: show and change what waits to be sent')), 'verbalis queue').action(
    (options: Remote) => run((output) => showQueue(connect(options), options, output)),
  );

  example(listed(queue.command('holds').description('list holds in force')), 'verbalis queue holds').action((options: Remote) =>
    run((output) => listHolds(connect(options), options, output)),
  );

  example(
    paged(
      queue
        .command('held')
        .description('list held deliveries with the reason; after a restore, also whether they may have been sent')
        .option('--hold <hold>', 'only what this hold keeps'),
    ),
    'verbalis queue held',
  ).action((options: Remote & { hold?: string; limit?: string }) => run((output) => listHeld(connect(options), only(options), output)));

  example(
    paged(queue.command('planned').description('list deliveries that wait for their date, the next one first')),
    'verbalis queue planned',
  ).action((options: Remote & { limit?: string; cursor?: string }) =>
    run((output) => listPlanned(connect(options), only(options), output)),
  );

  example(
    remote(
      filtered(queue.command('hold').description('hold the deliveries that match until they are released')).option(
        '--reason <text>',
        'why',
      ),
    ),
    'verbalis queue hold --template booking-confirmed --edition 12 --reason "wrong prices"',
  ).action((options: Remote & FilterOptions & { reason?: string }) => run((output) => hold(connect(options), only(options), output)));

  example(
    remote(
      filtered(
        queue
          .command('release [hold]')
          .description('release a hold, or all holds that match the filter; after a restore, the deliveries that match'),
      ),
    ),
    'verbalis queue release h01kxyz…',
    'verbalis queue release --template booking-confirmed',
  ).action((id: string | undefined, options: Remote & FilterOptions) =>
    run((output) => release(connect(options), id, only(options), output)),
  );

  example(
    remote(
      filtered(queue.command('cancel').description('cancel the waiting and held deliveries that match'))
        .option('--hold <hold>', 'only what this hold keeps')
        .option('--yes', 'cancel; without it, only count'),
    ),
    'verbalis queue cancel --template booking-confirmed --edition 12 --yes',
  ).action((options: Remote & FilterOptions & { yes?: boolean; hold?: string }) =>
    run((output) => cancelWaiting(connect(options), only(options), output)),
  );
}
