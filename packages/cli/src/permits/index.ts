import { type Command } from 'commander';
import { connect } from '../connection.js';
import { only, type Making, type Remote } from '../command.js';
import type * as Commands from './permits.js';

const load = (): Promise<typeof Commands> => import('./permits.js');

/** Commands of this feature. */
export function define(root: Command, { run, remote, paged, example }: Making): void {
  const permits = root.command('permits').description('send: let browsers request emails');

  example(
    remote(
      permits
        .command('add <template>')
        .description('create a permit; it is shown once')
        .option('--to <address...>', 'recipients')
        .option('--to-identity', 'the verified address in the token of who is signed in')
        .option('--data <file>', 'JSON data that is fixed')
        .option('--may-add <file>', 'a JSON Schema of what the browser may add')
        .option('--times <n>', 'how often it can be used (1)')
        .option('--minutes <n>', 'how long it can be used (15)')
        .option('--locale <tag>', 'BCP 47 tag')
        .option('--reference <text>', 'your own name for what it is about'),
    ),
    'verbalis permits add sign-in-code --to-identity --data code.json --minutes 5',
  ).action((template: string, options: Remote & Commands.AddOptions) =>
    run(async (output) => (await load()).addPermit(connect(options), template, only(options), output)),
  );

  example(paged(permits.command('list').description('list permits, newest first')), 'verbalis permits list').action(
    (options: Remote & Commands.ListOptions) => run(async (output) => (await load()).listPermits(connect(options), only(options), output)),
  );

  example(remote(permits.command('revoke <permit>').description('revoke a permit')), 'verbalis permits revoke x01k…').action(
    (id: string, options: Remote) => run(async (output) => (await load()).revokePermit(connect(options), id, output)),
  );
}
