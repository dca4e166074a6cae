import { type Command } from 'commander';
import { connect } from '../connection.js';
import { only, type Making, type Remote } from '../command.js';
import type * as Commands from './signals.js';
import type * as Trying from './try.js';

const load = (): Promise<typeof Commands> => import('./signals.js');

/** Commands of this feature. */
export function define(root: Command, making: Making): void {
  const { run, remote, example } = making;
  example(
    remote(
      root
        .command('signal [type]')
        .description('send: send a signal; the rules of the mail folder determine which emails follow')
        .option('--data <file>', 'JSON data; - for standard input')
        .option('--file <file>', 'a whole signal as JSON, with its type, or a list')
        .option('--subject <text>', 'what it is about')
        .option('--source <text>', 'the part of the app that reports it')
        .option('--time <time>', 'when it happened; now, when left out')
        .option('--id <id>', 'with the source it identifies the signal: sent again, it is the same one')
        .option('--wait', 'wait until no rule waits to be asked; exits with 1 if one refused it'),
    ),
    'verbalis signal booking.paid --data booking.json --wait',
  ).action((type: string | undefined, options: Remote & Commands.SignalOptions) =>
    run(async (output) => (await load()).sendSignal(connect(options), type, only(options), output)),
  );
  defineSignals(root.command('signals').description('send: work with signals and what followed from them'), making);
}

function defineSignals(signals: Command, { run, remote, paged, listed, example }: Making): void {
  example(
    paged(
      signals
        .command('list')
        .description('list signals, newest first')
        .option('--type <type>', 'of one type')
        .option('--subject <text>', 'about one thing')
        .option('--rule <name>', 'that a rule was asked about')
        .option('--message <id>', 'that led to a message')
        .option('--state <state>', 'waiting, sent, canceled, limited, refused, ignored, open, no-rule'),
    ),
    'verbalis signals list --state refused',
  ).action((options: Remote & Commands.ListOptions) =>
    run(async (output) => (await load()).listSignals(connect(options), only(options), output)),
  );

  example(
    remote(signals.command('show <signal>').description('show a signal, the result of each rule, and its data')),
    'verbalis signals show j01k…',
  ).action((id: string, options: Remote) => run(async (output) => (await load()).showSignal(connect(options), id, options, output)));

  example(
    listed(signals.command('rules').description('list the rules of the edition in use, with counts of the last seven days')),
    'verbalis signals rules',
  ).action((options: Remote) => run(async (output) => (await load()).listRules(connect(options), options, output)));

  example(
    signals
      .command('try <file...>')
      .description('show which emails would follow from signals, by the rules of a mail folder; nothing is sent')
      .option('--folder <folder>', 'the mail folder; that of the first file when left out')
      .option('--data', 'show the data that the templates get')
      .option('--json', 'as JSON'),
    'verbalis signals try mail/signals/samples/booking-paid.json',
  ).action((files: readonly string[], options: Trying.TryOptions) =>
    run(async (output) => (await import('./try.js')).trySignals(files, options, output)),
  );

  example(
    remote(signals.command('cancel <signal>').description('cancel what still waits for a signal')),
    'verbalis signals cancel j01k…',
  ).action((id: string, options: Remote) => run(async (output) => (await load()).cancelSignal(connect(options), id, output)));

  example(
    remote(signals.command('retry <signal>').description('retry what was refused, with the rules and templates in use now')),
    'verbalis signals retry j01k…',
  ).action((id: string, options: Remote) => run(async (output) => (await load()).retrySignal(connect(options), id, options, output)));
}
