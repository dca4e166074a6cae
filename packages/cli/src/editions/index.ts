import { type Command } from 'commander';
import { connect } from '../connection.js';
import { type Making, type Remote } from '../command.js';
import type { CompareOptions } from './compare.js';
import { listEditions, promoteEdition, showEdition, useEdition } from './editions.js';

/** Commands of this feature. */
export function define(root: Command, { run, remote, listed, example }: Making): void {
  example(
    remote(root.command('publish <mailfolder>').description('send: check a mail folder and publish it as the edition of a space')),
    'verbalis publish demo/mail',
  ).action((folder: string, options: Remote) =>
    run(async (output) => (await import('./publish.js')).publish(connect(options), folder, options, output)),
  );

  const editions = root.command('editions').description('send: work with the editions of a space');

  example(listed(editions.command('list').description('list them, newest first')), 'verbalis editions list').action((options: Remote) =>
    run((output) => listEditions(connect(options), options, output)),
  );

  example(remote(editions.command('show <number>').description('list the files of an edition')), 'verbalis editions show 3').action(
    (number: string, options: Remote) => run((output) => showEdition(connect(options), number, output)),
  );

  example(
    remote(
      editions
        .command('diff <from> <to>')
        .description('show what differs between two editions or mail folders, for their readers too; exits with 1 if anything does')
        .option('--files-only', 'only which files differ')
        .option('--pictures <folder>', 'write a page with pictures side by side to a folder (needs Chromium)'),
    ),
    'verbalis editions diff 2 3',
    'verbalis editions diff 3 demo/mail --pictures review',
    'verbalis editions diff main/mail branch/mail   (needs no service)',
  ).action((from: string, to: string, options: Remote & Pick<CompareOptions, 'pictures' | 'filesOnly'>) =>
    run(async (output) => (await import('./compare.js')).compare(() => connect(options), { ...options, from, to }, output)),
  );

  example(
    remote(
      editions
        .command('promote <number>')
        .description('publish an edition of one space in another: the same files, with the same hash')
        .requiredOption('--from <space>', 'the space that has it')
        .requiredOption('--to <space>', 'the space that gets it')
        .option('--from-key <key>', 'a key of the space that has it; an operator needs none'),
    ),
    'verbalis editions promote 7 --from drydock --to harbour',
  ).action((number: string, options: Remote & Parameters<typeof promoteEdition>[2]) =>
    run((output) => promoteEdition(connect({ ...options, space: options.to }), number, options, output)),
  );

  example(remote(editions.command('use <number>').description('use another edition')), 'verbalis editions use 2').action(
    (number: string, options: Remote) => run((output) => useEdition(connect(options), number, output)),
  );
}
