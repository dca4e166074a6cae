import { type Command } from 'commander';
import { connect } from '../connection.js';
import { type Making } from '../command.js';
import { addKey } from './keys.js';

/** Commands of this feature. */
export function define(root: Command, { run, remote, example }: Making): void {
  const keys = root.command('keys').description('set up: keys of a space');

  example(
    remote(
      keys
        .command('add <name>')
        .description('make a key; shown once')
        .requiredOption('--scopes <list>', 'send, read, write, admin; separated by commas'),
    ),
    'verbalis keys add shop --space harbour --scopes send,read',
  ).action((name: string, options: Parameters<typeof addKey>[2] & Parameters<typeof connect>[0]) =>
    run((output) => addKey(connect(options), name, options, output)),
  );
}
