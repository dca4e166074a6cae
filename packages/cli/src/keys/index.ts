import { type Command } from 'commander';
import { connect } from '../connection.js';
import { confirmed, type Making } from '../command.js';
import { addKey, listKeys, revokeKey, rotateKey, showKey } from './keys.js';

type Connected = Parameters<typeof connect>[0];

/** Commands of this feature. */
export function define(root: Command, { run, remote, listed, example }: Making): void {
  const keys = root.command('keys').description('set up: work with the keys of a space');

  example(
    remote(
      keys
        .command('add <name>')
        .description('create a key; its secret is shown once')
        .requiredOption('--scopes <list>', 'signals, send, read, write, manage, read-sensitive; separated by commas')
        .option('--expires <when>', 'when it ends: a date (2027-03-31), an instant, or days from now (90d)')
        .option('--templates <list>', 'only messages of these templates')
        .option('--topics <list>', 'only messages of these topics')
        .option('--senders <list>', 'only these senders: addresses or domains, also with "*"')
        .option('--recipients <list>', 'only these recipients: addresses or domains, also with "*"')
        .option('--used-from <list>', 'only from these IP addresses or networks')
        .option('--per-hour <n>', 'at most so many emails within an hour'),
    ),
    'verbalis keys add shop --space harbour --scopes send,read',
    'verbalis keys add migration --space harbour --scopes write --expires 7d',
    'verbalis keys add gate --space harbour --scopes send --templates boarding-reminder --used-from 10.1.0.0/16 --per-hour 2000',
  ).action((name: string, options: Parameters<typeof addKey>[2] & Connected) =>
    run((output) => addKey(connect(options), name, options, output)),
  );

  listed(keys.command('list').description('list keys, with the time and address of their last use')).action(
    (options: Parameters<typeof listKeys>[1] & Connected) => run((output) => listKeys(connect(options), options, output)),
  );

  remote(keys.command('show <key>').description('show a key, without its secret')).action(
    (id: string, options: Parameters<typeof showKey>[2] & Connected) => run((output) => showKey(connect(options), id, output)),
  );

  example(
    remote(
      keys
        .command('rotate <key>')
        .description('give a key a new secret; the old one stays valid for a time')
        .option('--overlap <hours>', 'how long the old one stays valid; 0 for a key that has leaked', '24'),
    ),
    'verbalis keys rotate k01k… --overlap 48',
  ).action((id: string, options: Parameters<typeof rotateKey>[2] & Connected) =>
    run((output) => rotateKey(connect(options), id, options, output)),
  );

  remote(
    keys.command('revoke <key>').description('revoke a key: requests with it are refused from now on').option('--yes', 'do not ask'),
  ).action((id: string, options: Connected & { yes?: boolean }) =>
    run(async (output) => ((await confirmed(`Revoke the key ${id}?`, options, output)) ? revokeKey(connect(options), id, output) : 1)),
  );
}
