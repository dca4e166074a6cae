import { existsSync } from 'node:fs';
import { RefusedError, UnreachableError } from '@verbalis/client';
import { Command, CommanderError, Option } from 'commander';
import type { check } from './commands/check.js';
import type { demo } from './commands/demo.js';
import type { addKey } from './commands/keys.js';
import type { listReturns } from './commands/returns.js';
import type { listSuppressions } from './commands/suppressions.js';
import type { listMessages } from './commands/messages.js';
import type { render } from './commands/render.js';
import type { send } from './commands/send.js';
import type { serve } from './commands/serve.js';
import { connect } from './connection.js';
import { only, type Action, type Remote } from './program/shared.js';
import { trackingCommands } from './program/tracking.js';
import { tryingCommands } from './program/trying.js';
import { processOutput, UsageError, type ExitCode, type Output } from './output.js';

/** Everything the command line can do, in the order of the work. */
function program(run: (action: Action) => Promise<void>): Command {
  const root = new Command('verbalis')
    .description('Write transactional e-mail as files, try it, send it, and track what becomes of it.')
    .version('0.1.0')
    .showHelpAfterError('(--help shows how it is used)')
    .showSuggestionAfterError(true);
  const remote = (command: Command): Command =>
    command
      .addOption(new Option('--url <url>', 'the service (VERBALIS_URL; http://127.0.0.1:8620 when left out)'))
      .addOption(new Option('--key <key>', 'a key of a space (VERBALIS_KEY)'))
      .addOption(new Option('--space <space>', 'the space, with the operator’s secret'))
      .option('--json', 'for machines');
  const example = (command: Command, ...lines: string[]): Command =>
    command.addHelpText('after', `\nFor example\n${lines.map((line) => `  ${line}`).join('\n')}\n`);

  example(root.command('init <folder>').description('write: make a small mail folder that works'), 'verbalis init mail').action(
    (folder: string) => run(async (output) => (await import('./commands/init.js')).init(folder, output)),
  );

  example(
    root
      .command('types <mailfolder>')
      .description('write: TypeScript types of every template’s data')
      .option('--out <file>', 'a file (standard output when left out)'),
    'verbalis types demo/mail --out src/mail-data.ts',
  ).action((folder: string, options: { out?: string }) =>
    run(async (output) => (await import('./commands/types.js')).types(folder, options, output)),
  );

  example(
    root.command('check <mailfolder>').description('write: find what is wrong in a mail folder').option('--json', 'for machines'),
    'verbalis check demo/mail',
  ).action((folder: string, options: Parameters<typeof check>[1]) =>
    run(async (output) => (await import('./commands/check.js')).check(folder, options, output)),
  );

  example(
    root
      .command('render <mailfolder> <template>')
      .description('write: make a mail from a sample or from data')
      .option('--sample <name>', 'a sample of the template (typical, or the first one, when left out)')
      .option('--data <file>', 'JSON data; - for standard input')
      .option('--locale <tag>', 'BCP 47 tag')
      .addOption(new Option('--part <part>', 'one part, as it is').choices(['subject', 'preview', 'html', 'text', 'eml']))
      .option('--json', 'for machines'),
    'verbalis render demo/mail booking-confirmed --sample typical --part text',
  ).action((folder: string, template: string, options: Parameters<typeof render>[2]) =>
    run(async (output) => (await import('./commands/render.js')).render(folder, template, options, output)),
  );

  tryingCommands(root, { run, remote, example });

  example(
    remote(
      root
        .command('send [template]')
        .description('send: ask for a message')
        .option('--to <address...>', 'one recipient or several')
        .option('--data <file>', 'JSON data; - for standard input')
        .option('--file <file>', 'messages as JSON: one, or a list')
        .option('--locale <tag>', 'BCP 47 tag')
        .option('--reference <text>', 'your own name for what it is about')
        .option('--label <name=value...>', 'labels')
        .option('--attach <file...>', 'files to attach')
        .option('--wait', 'wait for the outcome; ends with 1 when a delivery failed'),
    ),
    "verbalis send booking-confirmed --to 'Ása <asa@post.example>' --data booking.json --wait",
  ).action((template: string | undefined, options: Parameters<typeof send>[2] & Parameters<typeof connect>[0]) =>
    run(async (output) => (await import('./commands/send.js')).send(connect(options), template, options, output)),
  );

  example(
    remote(root.command('cancel <message>').description('send: call a message back, as far as it has not gone')),
    'verbalis cancel m01k…',
  ).action((id: string, options: Remote) =>
    run(async (output) => (await import('./commands/queue.js')).cancelMessage(connect(options), id, options, output)),
  );
  example(
    remote(root.command('publish <mailfolder>').description('send: check a mail folder and make it the space’s edition')),
    'verbalis publish demo/mail',
  ).action((folder: string, options: Remote) =>
    run(async (output) => (await import('./commands/editions.js')).publish(connect(options), folder, options, output)),
  );
  const editions = root.command('editions').description('send: publications of a space');
  example(remote(editions.command('list').description('newest first')), 'verbalis editions list').action((options: Remote) =>
    run(async (output) => (await import('./commands/editions.js')).listEditions(connect(options), options, output)),
  );
  example(remote(editions.command('show <number>').description('its files')), 'verbalis editions show 3').action(
    (number: string, options: Remote) =>
      run(async (output) => (await import('./commands/editions.js')).showEdition(connect(options), number, options, output)),
  );
  example(
    remote(editions.command('diff <from> <to>').description('what differs; ends with 1 when something does')),
    'verbalis editions diff 2 3',
  ).action((from: string, to: string, options: Remote) =>
    run(async (output) => (await import('./commands/editions.js')).diffEditions(connect(options), from, to, options, output)),
  );
  example(remote(editions.command('use <number>').description('switch to it')), 'verbalis editions use 2').action(
    (number: string, options: Remote) =>
      run(async (output) => (await import('./commands/editions.js')).useEdition(connect(options), number, options, output)),
  );
  const returns = root.command('returns').description('track: what came back');
  example(
    returns
      .command('read <files...>')
      .description('tell what mails say that came back: .eml, mbox, Maildir; needs no service')
      .option('--envelope-to <address>', 'the address that they were sent to')
      .option('--profile <provider>', 'the files are bodies of a provider’s calls, read by its profile')
      .option('--config <file>', 'the configuration with the profile (verbalis.yaml)')
      .option('--json', 'one JSON line a mail'),
    'verbalis returns read bounce.eml',
    'verbalis returns read ~/Maildir --json',
    'verbalis returns read --profile packet-api --config demo/verbalis.yaml call.json',
  ).action((files: string[], options: { json?: boolean; envelopeTo?: string; profile?: string; config?: string }) =>
    run(async (output) => {
      const { profile } = options;
      if (profile !== undefined) return (await import('./commands/returns-calls.js')).readCalls(files, { ...options, profile }, output);
      return (await import('./commands/returns-read.js')).readReturns(files, options, output);
    }),
  );

  example(
    remote(
      returns
        .command('list')
        .description('what came back, newest first')
        .option('--kind <kind>', 'delivery-status, complaint, auto-reply, read-receipt, other')
        .option('--matched <yes|no>', 'whether its delivery is known')
        .option('--limit <n>', 'how many (50)')
        .option('--cursor <cursor>', 'where the page before ended'),
    ),
    'verbalis returns list --matched no',
  ).action((options: Remote & Parameters<typeof listReturns>[1]) =>
    run(async (output) => (await import('./commands/returns.js')).listReturns(connect(options), only(options), output)),
  );
  example(
    remote(returns.command('show <return>').description('one return, and what was read out of it').option('--source', 'its bytes')),
    'verbalis returns show r01…',
  ).action((id: string, options: Remote & { source?: boolean }) =>
    run(async (output) => (await import('./commands/returns.js')).showReturn(connect(options), id, options, output)),
  );
  example(
    remote(
      returns
        .command('add <files...>')
        .description('hand in mails that came back: .eml, mbox, Maildir')
        .option('--envelope-to <address>', 'the address that they were sent to'),
    ),
    'verbalis returns add bounces.mbox',
  ).action((files: string[], options: Remote & { envelopeTo?: string }) =>
    run(async (output) => (await import('./commands/returns.js')).addReturns(connect(options), files, options, output)),
  );
  example(
    remote(returns.command('match <return> <delivery>').description('say which delivery a return is about')),
    'verbalis returns match r01… d01…',
  ).action((id: string, delivery: string, options: Remote) =>
    run(async (output) => (await import('./commands/returns.js')).matchReturn(connect(options), id, delivery, options, output)),
  );

  const suppressions = root.command('suppressions').description('track: addresses that get no more mail');
  example(
    remote(
      suppressions
        .command('list')
        .description('addresses that get no more mail, newest first')
        .option('--address <address>', 'one address')
        .option('--topic <topic>', 'of one topic')
        .option('--reason <reason>', 'failed, failed-repeatedly, complained, unsubscribed, added, imported')
        .option('--lifted', 'also those that were lifted')
        .option('--limit <n>', 'how many (50)')
        .option('--cursor <cursor>', 'where the page before ended'),
    ),
    'verbalis suppressions list --address asa@post.example',
  ).action((options: Remote & Parameters<typeof listSuppressions>[1]) =>
    run(async (output) => (await import('./commands/suppressions.js')).listSuppressions(connect(options), only(options), output)),
  );
  example(
    remote(
      suppressions
        .command('add <address>')
        .description('send no more mail to an address')
        .option('--topic <topic>', 'only of this topic')
        .option('--note <text>', 'why'),
    ),
    'verbalis suppressions add asa@post.example --note "asked by phone"',
  ).action((address: string, options: Remote & { topic?: string; note?: string }) =>
    run(async (output) => (await import('./commands/suppressions.js')).addSuppression(connect(options), address, only(options), output)),
  );
  example(
    remote(suppressions.command('lift <address>').description('let an address get mail again').requiredOption('--note <text>', 'why')),
    'verbalis suppressions lift asa@post.example --note "has emptied the mailbox"',
  ).action((what: string, options: Remote & { note: string }) =>
    run(async (output) => (await import('./commands/suppressions.js')).liftSuppression(connect(options), what, options, output)),
  );
  example(
    remote(suppressions.command('import <file>').description('take a CSV file with a column "address"')),
    'verbalis suppressions import old.csv',
  ).action((file: string, options: Remote) =>
    run(async (output) => (await import('./commands/suppressions.js')).importSuppressions(connect(options), file, options, output)),
  );
  example(
    remote(
      suppressions.command('export').description('all in force, as CSV').option('--out <file>', 'a file (standard output when left out)'),
    ),
    'verbalis suppressions export --out suppressed.csv',
  ).action((options: Remote & { out?: string }) =>
    run(async (output) => (await import('./commands/suppressions.js')).exportSuppressions(connect(options), options, output)),
  );

  example(remote(root.command('queue').description('track: what waits')), 'verbalis queue').action((options: Remote) =>
    run(async (output) => (await import('./commands/queue.js')).showQueue(connect(options), options, output)),
  );

  const messages = root.command('messages').description('track: messages and what became of them');
  example(
    remote(
      messages
        .command('list')
        .description('messages, newest first')
        .option('--state <state>', 'queued, delayed, accepted, delivered, failed …')
        .option('--address <address>', 'of a recipient')
        .option('--template <name>')
        .option('--reference <text>')
        .option('--limit <n>', 'messages a page (50)')
        .option('--cursor <cursor>', 'the next page'),
    ),
    'verbalis messages list --state failed',
  ).action(({ url, key, space, ...options }: Parameters<typeof listMessages>[1] & Parameters<typeof connect>[0]) =>
    run(async (output) => (await import('./commands/messages.js')).listMessages(connect({ url, key, space }), options, output)),
  );
  example(remote(messages.command('show <message>').description('the story of one message')), 'verbalis messages show m01k…').action(
    (id: string, options: { json?: boolean } & Parameters<typeof connect>[0]) =>
      run(async (output) => (await import('./commands/messages.js')).showMessage(connect(options), id, options, output)),
  );

  trackingCommands(root, messages, { run, remote, example });

  example(
    root
      .command('serve')
      .description('set up: run the service')
      .option('--config <file>', 'configuration (verbalis.yaml when left out)')
      .option('--workers <n>', 'threads that render, sign and hand over (1: the service does it itself)')
      .option('--json', 'say where it listens as JSON'),
    'verbalis serve --config verbalis.yaml',
  ).action((options: Parameters<typeof serve>[0]) => run(async (output) => (await import('./commands/serve.js')).serve(options, output)));

  const providers = root.command('providers').description('set up: what mail goes out by');
  example(remote(providers.command('list').description('providers that are configured')), 'verbalis providers list').action(
    (options: { json?: boolean } & Parameters<typeof connect>[0]) =>
      run(async (output) => (await import('./commands/providers.js')).listProviders(connect(options), options, output)),
  );
  example(
    remote(
      providers
        .command('test <name>')
        .description('look into a provider step by step; ends with 1 when it does not work')
        .option('--to <address>', 'also send a test mail'),
    ),
    'verbalis providers test north-relay --to asa@post.example',
  ).action((name: string, options: { to?: string; json?: boolean } & Parameters<typeof connect>[0]) =>
    run(async (output) => (await import('./commands/providers.js')).testProvider(connect(options), name, options, output)),
  );

  for (const verb of ['pause', 'resume'] as const) {
    const words = verb === 'pause' ? 'give a provider no more mail' : 'give a provider mail again';
    example(remote(providers.command(`${verb} <name>`).description(words)), `verbalis providers ${verb} north-relay`).action(
      (name: string, options: Remote) =>
        run(async (output) => (await import('./commands/queue.js')).pauseProvider(connect(options), name, verb === 'pause', output)),
    );
  }
  example(
    root
      .command('backup <file>')
      .description('set up: copy the database, also of a running service')
      .option('--config <file>', 'configuration (verbalis.yaml when left out)'),
    'verbalis backup /var/backups/verbalis.sqlite',
  ).action((file: string, options: { config?: string }) =>
    run(async (output) => (await import('./commands/backup.js')).backup(file, options, output)),
  );

  const domains = root.command('domains').description('set up: sending domains and the keys that sign their mail');
  example(
    remote(domains.command('add <name>').description('make keys; shows what to publish in the DNS')),
    'verbalis domains add saltmarsh-ferries.example',
  ).action((name: string, options: { json?: boolean } & Parameters<typeof connect>[0]) =>
    run(async (output) => (await import('./commands/domains.js')).addDomain(connect(options), name, options, output)),
  );
  example(remote(domains.command('list').description('domains with their records')), 'verbalis domains list').action(
    (options: { json?: boolean } & Parameters<typeof connect>[0]) =>
      run(async (output) => (await import('./commands/domains.js')).listDomains(connect(options), options, output)),
  );

  const keys = root.command('keys').description('set up: keys of a space');
  example(
    remote(
      keys
        .command('add <name>')
        .description('make a key; shown once')
        .requiredOption('--scopes <list>', 'send, read, write, admin; separated by commas'),
    ),
    'verbalis keys add shop --space harbour --scopes send,read',
  ).action((name: string, options: Parameters<typeof addKey>[2] & Parameters<typeof connect>[0]) =>
    run(async (output) => (await import('./commands/keys.js')).addKey(connect(options), name, options, output)),
  );

  example(
    root
      .command('demo')
      .description('the whole thing with made-up data')
      .option('--once', 'show the outcome and end: 0 when all came out as scripted')
      .option('--dir <folder>', 'where its database goes (.demo)'),
    'verbalis demo --once',
  ).action((options: Parameters<typeof demo>[0]) => run(async (output) => (await import('./commands/demo.js')).demo(options, output)));
  return root;
}

function explain(error: unknown, output: Output): ExitCode {
  const { color } = output;
  if (error instanceof UsageError) {
    output.note(`${color.red('✗')} ${error.message}${error.hint === undefined ? '' : `\n  ${error.hint}`}`);
    return 2;
  }
  if (error instanceof UnreachableError) {
    output.note(`${color.red('✗')} ${error.message}\n  Start it with: verbalis serve; or set VERBALIS_URL.`);
    return 3;
  }
  if (error instanceof RefusedError) {
    const { title, detail, hint, problems } = error.problem;
    const lines = [`${color.red('✗')} ${title}${detail === undefined ? '' : `. ${detail}`}`];
    for (const one of problems ?? [])
      lines.push(`  ${color.bold(one.path)} ${one.message}${one.hint === undefined ? '' : `. ${color.cyan(one.hint)}`}`);
    if (hint !== undefined) lines.push(`  ${color.cyan(hint)}`);
    output.note(lines.join('\n'));
    return 1;
  }
  if (error instanceof Error && error.name === 'FolderError') {
    output.note(`${color.red('✗')} ${error.message}\n  Name the folder that holds mail.yaml.`);
    return 2;
  }
  if (error instanceof Error && ['EMFILE', 'ENFILE'].includes((error as NodeJS.ErrnoException).code ?? '')) {
    const raise = 'Raise the limit: ulimit -n 4096, or LimitNOFILE=4096 in a systemd unit.';
    output.note(`${color.red('✗')} This process may not open enough files.\n  ${raise}`);
    return 2;
  }
  output.note(`${color.red('✗')} ${error instanceof Error ? (error.stack ?? error.message) : String(error)}`);
  return 1;
}

/** Runs the command line. @returns the exit code */
export async function main(args: readonly string[]): Promise<ExitCode> {
  const output = processOutput();
  if (existsSync('.env')) process.loadEnvFile('.env');
  let code: ExitCode = 0;
  const root = program(async (action) => {
    try {
      code = await action(output);
    } catch (error) {
      code = explain(error, output);
    }
  });
  const settle = (command: Command): void => {
    command.exitOverride();
    command.commands.forEach(settle);
  };
  settle(root);
  try {
    await root.parseAsync([...args], { from: 'user' });
  } catch (error) {
    if (!(error instanceof CommanderError)) throw error;
    return error.exitCode === 0 ? 0 : 2;
  }
  return code;
}
