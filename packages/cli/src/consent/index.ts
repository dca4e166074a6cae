import type { Command } from 'commander';
import type { Making } from '../command.js';
import { connect } from '../connection.js';
import type * as Commands from './consent.js';

type Options = Parameters<typeof connect>[0] & { json?: boolean };

const load = (): Promise<typeof Commands> => import('./consent.js');

/** Commands of this feature. */
export function define(root: Command, { run, remote, listed, example }: Making): void {
  const consents = root.command('consents').description('track: work with consent to topics');
  example(
    listed(consents.command('topics').description('list topics, with the number of addresses that have left them')),
    'verbalis consents topics',
  ).action((options: Options) => run(async (output) => (await load()).listTopics(connect(options), options, output)));
  example(
    remote(consents.command('show <address>').description('show the topics of an address and their history')),
    'verbalis consents show asa@post.example',
  ).action((address: string, options: Options) =>
    run(async (output) => (await load()).showConsent(connect(options), address, options, output)),
  );
  const change = (name: 'leave' | 'rejoin', kind: 'left' | 'rejoined', description: string): void => {
    const command = consents
      .command(`${name} <address> <topic>`)
      .description(description)
      .requiredOption('--source <text>', 'how you know; it stays in the history')
      .option('--at <instant>', 'when it happened (now)');
    if (kind === 'rejoined')
      command.option('--confirm', 'ask the address first: it joins when its owner confirms').option('--locale <tag>', 'of that email');
    else command.option('--until <instant>', 'a pause: email of the topic comes again from then on');
    example(remote(command), `verbalis consents ${name} asa@post.example pier-news --source "letter of 2 November"`).action(
      (
        address: string,
        topic: string,
        options: Options & { source: string; at?: string; until?: string; confirm?: boolean; locale?: string },
      ) => run(async (output) => (await load()).changeConsent(connect(options), { address, topic, kind }, options, output)),
    );
  };
  change('leave', 'left', 'record that an address leaves a topic');
  change('rejoin', 'rejoined', 'record that an address joins a topic again');
}
