import { type Command } from 'commander';
import { connect } from '../connection.js';
import { type Making, type Remote } from '../command.js';
import { listProviders, testProvider, pauseProvider } from './providers.js';
import { tryProvider, type TryOptions } from './try.js';

/** Commands of this feature. */
export function define(root: Command, { run, remote, listed, example }: Making): void {
  const providers = root.command('providers').description('set up: work with providers');

  example(listed(providers.command('list').description('list providers with their state')), 'verbalis providers list').action(
    (options: { json?: boolean } & Parameters<typeof connect>[0]) => run((output) => listProviders(connect(options), options, output)),
  );

  example(
    remote(
      providers
        .command('test <name>')
        .description('test a provider step by step; exits with status 1 when it does not work')
        .option('--to <address>', 'also send a test email'),
    ),
    'verbalis providers test north-relay --to asa@post.example',
  ).action((name: string, options: { to?: string; json?: boolean } & Parameters<typeof connect>[0]) =>
    run((output) => testProvider(connect(options), name, options, output)),
  );

  example(
    remote(
      providers
        .command('try <name>')
        .description('show how a profile handles an email, an answer or a call; nothing is sent')
        .option('--template <name>', 'a template of the space')
        .option('--sample <name>', 'one of its samples (the first when left out)')
        .option('--message <id>', 'a message that was sent')
        .option('--to <address>', 'the recipient (asa@post.example when left out)')
        .option('--show', 'the whole body of the request')
        .option('--answer <file>', 'an answer, as HTTP/1.1 writes it; or its body, with --status')
        .option('--status <code>', 'the status of an answer of which the file holds the body')
        .option('--callback <file>', 'a call, as HTTP/1.1 writes it; or its body, with --headers')
        .option('--headers <file>', 'the header fields of a call of which the file holds the body'),
    ),
    'verbalis providers try packet-api --template booking-confirmed --show',
  ).action((name: string, options: TryOptions & Remote) => run((output) => tryProvider(connect(options), name, options, output)));

  for (const verb of ['pause', 'resume'] as const) {
    const words = verb === 'pause' ? 'stop using a provider' : 'use a provider again';
    example(remote(providers.command(`${verb} <name>`).description(words)), `verbalis providers ${verb} north-relay`).action(
      (name: string, options: Remote) => run((output) => pauseProvider(connect(options), name, { paused: verb === 'pause' }, output)),
    );
  }
}
