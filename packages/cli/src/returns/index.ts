import { type Command } from 'commander';
import { connect } from '../connection.js';
import { type Making, only, type Remote } from '../command.js';
import { listReturns, showReturn, addReturns, matchReturn } from './returns.js';

/** Commands of this feature. */
export function define(root: Command, { run, remote, paged, example }: Making): void {
  const returns = root.command('returns').description('track: work with bounces, complaints and other returns');

  example(
    returns
      .command('read <files...>')
      .description('read returned emails: .eml, mbox, Maildir; needs no service')
      .option('--envelope-to <address>', 'the address that they were sent to')
      .option('--profile <provider>', 'the files are bodies of a provider’s calls, read by its profile')
      .option('--config <file>', 'the configuration with the profile, or with phrases of your own')
      .option('--json', 'one JSON line an email'),
    'verbalis returns read bounce.eml',
    'verbalis returns read ~/Maildir --json',
    'verbalis returns read --profile packet-api --config demo/verbalis.yaml call.json',
  ).action((files: string[], options: { json?: boolean; envelopeTo?: string; profile?: string; config?: string }) =>
    run(async (output) => {
      const { profile } = options;
      if (profile !== undefined) return (await import('./read-calls.js')).readCalls(files, { ...options, profile }, output);
      return (await import('./read.js')).readReturns(files, options, output);
    }),
  );

  example(
    paged(
      returns
        .command('list')
        .description('list returns, newest first')
        .option('--kind <kind>', 'delivery-status, complaint, feedback, auto-reply, read-receipt, other')
        .option('--matched <yes|no>', 'whether its delivery is known')
        .option('--message <message>', 'only what is about this message'),
    ),
    'verbalis returns list --matched no',
  ).action((options: Remote & Parameters<typeof listReturns>[1]) => run((output) => listReturns(connect(options), only(options), output)));

  example(
    remote(returns.command('show <return>').description('show a return and its reading').option('--source', 'its bytes')),
    'verbalis returns show r01…',
  ).action((id: string, options: Remote & { source?: boolean }) => run((output) => showReturn(connect(options), id, options, output)));

  example(
    remote(
      returns
        .command('add <files...>')
        .description('upload returned emails: .eml, mbox, Maildir')
        .option('--envelope-to <address>', 'the address that they were sent to'),
    ),
    'verbalis returns add bounces.mbox',
  ).action((files: string[], options: Remote & { envelopeTo?: string }) =>
    run((output) => addReturns(connect(options), files, options, output)),
  );

  example(
    remote(returns.command('match <return> <delivery>').description('assign a return to a delivery')),
    'verbalis returns match r01… d01…',
  ).action((id: string, delivery: string, options: Remote) => run((output) => matchReturn(connect(options), { id, delivery }, output)));
}
