import { Option, type Command } from 'commander';
import { connect } from '../connection.js';
import { confirmed, type Making, only, type Remote } from '../command.js';
import type { CaptureOptions } from './capture-here.js';
import { listCaptured, showCaptured, waitForCaptured, clearCaptured, simulate, removeCaptured } from './captured.js';

function defineCapture(root: Command, { run, example }: Pick<Making, 'run' | 'example'>): void {
  example(
    root
      .command('capture')
      .description('try: capture what apps on this machine send; needs no configuration and sends nothing')
      .option('--port <port>', 'of the page and the API; 0 for any (8620)')
      .option('--smtp-port <port>', 'where apps hand in email; 0 for any (8628)')
      .option('--mail-folder <folder>', 'templates that apps send')
      .option('--dir <folder>', 'keep what was captured there; else it is removed in the end')
      .option('--json', 'print where it listens as one line of JSON'),
    'verbalis capture',
    'verbalis capture --json --port 0 --smtp-port 0',
  ).action((options: CaptureOptions) => run(async (output) => (await import('./capture-here.js')).captureHere(options, output)));
}

/** Commands of this feature. */
export function define(root: Command, { run, remote, paged, example }: Making): void {
  defineCapture(root, { run, example });
  const captured = root.command('captured').description('try: work with captured email');

  const filters = (command: Command): Command =>
    command
      .option('--to <address>', 'of the recipient')
      .option('--subject <words>', 'in its subject')
      .option('--find <words>', 'anywhere in it');

  const parts = (command: Command): Command =>
    command
      .addOption(new Option('--part <part>', 'one part of it').choices(['text', 'html', 'source', 'links', 'code']))
      .option('--save <file>', 'write its bytes to a file');

  example(
    paged(filters(captured.command('list').description('list them, newest first'))),
    'verbalis captured list --to asa@post.example',
  ).action((options: Remote & Parameters<typeof listCaptured>[1]) =>
    run((output) => listCaptured(connect(options), only(options), output)),
  );

  example(
    remote(parts(captured.command('show <mail>').description('show a captured email, or a part of it'))),
    'verbalis captured show l01k… --part html',
  ).action((id: string, options: Remote & Parameters<typeof showCaptured>[2]) =>
    run((output) => showCaptured(connect(options), id, only(options), output)),
  );

  example(
    remote(
      parts(
        filters(captured.command('wait').description('wait for an email; exits with 1 if none arrives'))
          .option('--timeout <seconds>', 'how long to wait', '10')
          .option('--after <time>', 'only what comes from then on; "now"'),
      ),
    ),
    'verbalis captured wait --to asa@post.example --part code',
  ).action((options: Remote & Parameters<typeof waitForCaptured>[1]) =>
    run((output) => waitForCaptured(connect(options), only(options), output)),
  );

  example(
    remote(
      filters(captured.command('clear').description('delete captured mail: all, or what matches')).option('--yes', 'do not ask before all'),
    ),
    'verbalis captured clear --to asa@post.example',
    'verbalis captured clear --yes',
  ).action((options: Remote & Parameters<typeof clearCaptured>[1] & { yes?: boolean }) =>
    run(async (output) => {
      const { yes, ...filter } = only(options);
      const isAll = [filter.to, filter.subject, filter.find].every((value) => value === undefined);
      if (isAll && !(await confirmed('Delete all captured mail of the space?', { yes }, output))) return 1;
      return clearCaptured(connect(options), filter, output);
    }),
  );

  example(remote(captured.command('remove <mail>').description('delete one captured email')), 'verbalis captured remove l01k…').action(
    (id: string, options: Remote) => run((output) => removeCaptured(connect(options), id, only(options), output)),
  );

  example(
    remote(
      captured
        .command('simulate <mail> <outcome>')
        .description('simulate an outcome: delivered, delayed, bounced, complained, image-loaded, link-followed')
        .option('--cause <cause>', 'why it bounced or waits')
        .option('--link <address>', 'the link that was followed'),
    ),
    'verbalis captured simulate l01k… bounced --cause mailbox-full',
  ).action((id: string, outcome: string, options: Remote & Parameters<typeof simulate>[2]) =>
    run((output) => simulate(connect(options), { id, outcome }, only(options), output)),
  );
}
