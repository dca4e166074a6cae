import { type Command } from 'commander';
import { type Making, type Remote } from '../command.js';
import { connect } from '../connection.js';
import { eraseAddress, exportAddress } from './addresses.js';

/** Commands of this feature. */
export function define(root: Command, { run, remote, example }: Making): void {
  const address = root.command('address').description('track: export or erase everything about one address');

  example(
    remote(
      address
        .command('export <address>')
        .description('export messages with bodies and outcomes, suppressions, returns and captured emails as JSON')
        .option('--out <file>', 'write it to a file that only you can read'),
    ),
    'verbalis address export asa@post.example --space harbour --out asa.json',
  ).action((text: string, options: Remote & Parameters<typeof exportAddress>[2]) =>
    run((output) => exportAddress(connect(options), text, options, output)),
  );

  example(
    remote(
      address
        .command('erase <address>')
        .description('remove everything that is known about an address; its suppressions stay in force')
        .option('--yes', 'do it; without, nothing is removed'),
    ),
    'verbalis address erase asa@post.example --space harbour --yes',
  ).action((text: string, options: Remote & Parameters<typeof eraseAddress>[2]) =>
    run((output) => eraseAddress(connect(options), text, options, output)),
  );
}
