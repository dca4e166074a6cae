import { type Command } from 'commander';
import { connect } from '../connection.js';
import { type Making, only, type Remote } from '../command.js';
import { listEvents } from './events.js';

/** Commands of this feature. */
export function define(root: Command, { run, paged, example }: Making): void {
  example(
    paged(
      root
        .command('events')
        .description('track: list events')
        .option('--filter <filter>', 'only these events')
        .option('--try', 'only say how many of the last day’s events the filter lets through'),
    ),
    "verbalis events --filter 'cause = mailbox-full'",
    "verbalis events --filter 'type in [failed, complained]' --try",
  ).action((options: Remote & Parameters<typeof listEvents>[1]) => run((output) => listEvents(connect(options), only(options), output)));
}
