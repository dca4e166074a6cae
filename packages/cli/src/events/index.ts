import { type Command } from 'commander';
import { connect } from '../connection.js';
import { type Making, only, type Remote } from '../command.js';
import { listEvents } from './events.js';

/** Commands of this feature. */
export function define(root: Command, { run, remote, example }: Making): void {
  example(
    remote(
      root
        .command('events')
        .description('track: events, newest first')
        .option('--filter <filter>', 'only these events')
        .option('--limit <n>', 'a page (50)')
        .option('--cursor <cursor>', 'the next page'),
    ),
    "verbalis events --filter 'cause = mailbox-full'",
  ).action((options: Remote & Parameters<typeof listEvents>[1]) => run((output) => listEvents(connect(options), only(options), output)));
}
