import { type Command } from 'commander';
import { connect } from '../connection.js';
import { type Making, type Remote } from '../command.js';
import { showQueue } from './queue.js';

/** Commands of this feature. */
export function define(root: Command, { run, remote, example }: Making): void {
  example(remote(root.command('queue').description('send: deliveries that wait')), 'verbalis queue').action((options: Remote) =>
    run((output) => showQueue(connect(options), options, output)),
  );
}
