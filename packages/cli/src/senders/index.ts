import type { Command } from 'commander';
import type { Making } from '../command.js';
import { connect } from '../connection.js';
import type * as Commands from './senders.js';

type Options = Parameters<typeof connect>[0] & { json?: boolean };

const load = (): Promise<typeof Commands> => import('./senders.js');

/** Commands of this feature. */
export function define(root: Command, { run, remote, listed, example }: Making): void {
  const senders = root.command('senders').description('set up: work with senders and their confirmations');
  example(listed(senders.command('list').description('list senders with their state')), 'verbalis senders list').action(
    (options: Options) => run(async (output) => (await load()).listSenders(connect(options), options, output)),
  );
  example(
    remote(
      senders
        .command('add <address>')
        .description('add a sender; its owner must confirm if the domain is not yours')
        .option('--name <name>', 'the display name of emails that name none'),
    ),
    'verbalis senders add agnes@harbour-mail.example --name "Agnes at the harbour"',
  ).action((address: string, options: Options & { name?: string }) =>
    run(async (output) => (await load()).addSender(connect(options), address, options, output)),
  );
  example(
    remote(
      senders
        .command('change <address>')
        .description('change the display name')
        .requiredOption('--name <name>', 'the new one; empty for none'),
    ),
    'verbalis senders change agnes@harbour-mail.example --name "The ticket office"',
  ).action((address: string, options: Options & { name: string }) =>
    run(async (output) => (await load()).renameSender(connect(options), address, options, output)),
  );
  example(
    remote(senders.command('ask <address>').description('send the confirmation request again')),
    'verbalis senders ask agnes@harbour-mail.example',
  ).action((address: string, options: Options) =>
    run(async (output) => (await load()).askSender(connect(options), address, options, output)),
  );
  example(
    remote(senders.command('remove <address>').description('remove a sender')),
    'verbalis senders remove agnes@harbour-mail.example',
  ).action((address: string, options: Options) => run(async (output) => (await load()).removeSender(connect(options), address, output)));
}
