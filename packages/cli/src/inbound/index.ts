import { type Command } from 'commander';
import { connect } from '../connection.js';
import { only, type Making, type Remote } from '../command.js';
import type * as Commands from './inbound.js';

const load = (): Promise<typeof Commands> => import('./inbound.js');

/** Commands of this feature. */
export function define(root: Command, making: Making): void {
  const { run, remote, paged, example } = making;
  const inbound = root.command('inbound').description('track: work with inbound email');

  example(
    paged(
      inbound
        .command('list')
        .description('list inbound email, newest first')
        .option('--inbox <name>', 'reply, or an inbox of the configuration')
        .option('--from <address>', 'only of this author')
        .option('--message <message>', 'only answers to this message'),
    ),
    'verbalis inbound list',
    'verbalis inbound list --inbox lost-property',
  ).action((options: Remote & Commands.ListOptions) =>
    run(async (output) => (await load()).listInbound(connect(options), only(options), output)),
  );

  example(
    remote(
      inbound
        .command('show <email>')
        .description('show an email: its new text, its files and its authenticity')
        .option('--all', 'what it answers and its signature, too')
        .option('--source', 'its bytes'),
    ),
    'verbalis inbound show v01k…',
  ).action((id: string, options: Remote & Commands.ShowOptions) =>
    run(async (output) => (await load()).showInbound(connect(options), id, options, output)),
  );

  example(
    remote(inbound.command('save <email>').description('save the email and its files').option('--folder <folder>', 'where to (its id)')),
    'verbalis inbound save v01k… --folder scarf',
  ).action((id: string, options: Remote & { folder?: string }) =>
    run(async (output) => (await load()).saveInbound(connect(options), id, options, output)),
  );
  defineAnswers(inbound, making);
}

/** Commands that answer, hand in and delete. */
function defineAnswers(inbound: Command, { run, remote, example }: Making): void {
  example(
    remote(
      inbound
        .command('reply <email>')
        .description('answer an email in its thread')
        .option('--text <text>', 'the answer; without it, standard input is read')
        .option('--template <template>', 'a template instead of a text')
        .option('--data <file>', 'JSON data of the template')
        .option('--attach <files...>', 'files that go with it')
        .option('--from <address>', 'another sender')
        .option('--no-quote', 'do not quote what it answers')
        .option('--automatic', 'a program answers: only where that is proper (RFC 3834)'),
    ),
    'verbalis inbound reply v01k… --text "We have found it."',
    'verbalis inbound reply v01k… < answer.txt',
  ).action((id: string, options: Remote & Commands.ReplyOptions) =>
    run(async (output) => (await load()).replyTo(connect(options), id, options, output)),
  );

  example(
    remote(
      inbound
        .command('add <file>')
        .description('hand in an email as if it had arrived at an inbound address')
        .requiredOption('--to <address>', 'the address that it is for'),
    ),
    'verbalis inbound add reply.eml --to help@returns.saltmarsh-ferries.example',
  ).action((file: string, options: Remote & { to: string }) =>
    run(async (output) => (await load()).addInbound(connect(options), file, options, output)),
  );

  example(remote(inbound.command('remove <email>').description('delete one email')), 'verbalis inbound remove v01k…').action(
    (id: string, options: Remote) => run(async (output) => (await load()).removeInbound(connect(options), id, output)),
  );
}
