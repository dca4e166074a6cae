import { type Command } from 'commander';
import { connect } from '../connection.js';
import { type Making, only, type Remote } from '../command.js';
import { listSuppressions, addSuppression, liftSuppression, importSuppressions, exportSuppressions } from './suppressions.js';

/** Commands of this feature. */
export function define(root: Command, { run, remote, paged, example }: Making): void {
  const suppressions = root.command('suppressions').description('track: work with suppressed addresses');

  example(
    paged(
      suppressions
        .command('list')
        .description('list suppressed addresses, newest first')
        .option('--address <address>', 'one address')
        .option('--topic <topic>', 'of one topic')
        .option('--reason <reason>', 'failed, failed-repeatedly, complained, unsubscribed, added, imported')
        .option('--lifted', 'also those that were removed'),
    ),
    'verbalis suppressions list --address asa@post.example',
  ).action((options: Remote & Parameters<typeof listSuppressions>[1]) =>
    run((output) => listSuppressions(connect(options), only(options), output)),
  );

  example(
    remote(
      suppressions
        .command('add <address>')
        .description('suppress an address')
        .option('--topic <topic>', 'only of this topic')
        .option('--note <text>', 'why'),
    ),
    'verbalis suppressions add asa@post.example --note "asked by phone"',
  ).action((address: string, options: Remote & { topic?: string; note?: string }) =>
    run((output) => addSuppression(connect(options), address, only(options), output)),
  );

  example(
    remote(suppressions.command('lift <address>').description('lift a suppression').requiredOption('--note <text>', 'why')),
    'verbalis suppressions lift asa@post.example --note "has emptied the mailbox"',
  ).action((what: string, options: Remote & { note: string }) => run((output) => liftSuppression(connect(options), what, options, output)));

  example(
    remote(suppressions.command('import <file>').description('add the addresses of a CSV file with a column "address"')),
    'verbalis suppressions import old.csv',
  ).action((file: string, options: Remote) => run((output) => importSuppressions(connect(options), file, options, output)));

  example(
    remote(
      suppressions
        .command('export')
        .description('export all suppressions in force as CSV')
        .option('--out <file>', 'a file (standard output when left out)'),
    ),
    'verbalis suppressions export --out suppressed.csv',
  ).action((options: Remote & { out?: string }) => run((output) => exportSuppressions(connect(options), options, output)));
}
