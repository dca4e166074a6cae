import { type Command } from 'commander';
import { type Making, type Remote } from '../command.js';
import { connect } from '../connection.js';
import { listBackups, makeBackup } from './backups.js';
import { beginCopies, copiesStatus, takeSnapshot } from './copies.js';
import type { RestoreCommand } from './restore.js';

/** Backups, continuous copies, and what is made of them. */
export function defineCopying(root: Command, making: Making): void {
  defineBackups(root, making);
  defineCopies(root, making);
  defineRestore(root, making);
}

function defineBackups(root: Command, { run, remote, listed, example }: Making): void {
  example(
    root
      .command('backup <file>')
      .description('set up: copy the database, also while the service runs')
      .option('--config <file>', 'configuration (verbalis.yaml when left out)'),
    'verbalis backup /var/backups/verbalis.sqlite',
  ).action((file: string, options: { config?: string }) =>
    run(async (output) => (await import('./backup.js')).backup(file, options, output)),
  );

  const backups = root.command('backups').description('set up: work with the backups of the service');
  example(
    listed(backups.command('list', { isDefault: true }).description('list backups; exits with 1 if the last one failed')),
    'verbalis backups',
  ).action((options: Remote) => run((output) => listBackups(connect(options), options, output)));
  example(remote(backups.command('make').description('make a backup now')), 'verbalis backups make').action((options: Remote) =>
    run((output) => makeBackup(connect(options), output)),
  );
}

function defineCopies(root: Command, { run, remote, example }: Making): void {
  const copies = root.command('copies').description('set up: work with continuous copies');
  example(
    remote(
      copies.command('status', { isDefault: true }).description('show the state of the copies; exits with 1 if they are behind or off'),
    ),
    'verbalis copies status',
  ).action((options: Remote) => run((output) => copiesStatus(connect(options), options, output)));
  example(remote(copies.command('snapshot').description('take a snapshot of the whole database now')), 'verbalis copies snapshot').action(
    (options: Remote) => run((output) => takeSnapshot(connect(options), options, output)),
  );

  example(
    remote(copies.command('begin').description('start the copies again after the disk of the folder was replaced')),
    'verbalis copies begin',
  ).action((options: Remote) => run((output) => beginCopies(connect(options), options, output)));
}

function defineRestore(root: Command, { run, example }: Making): void {
  example(
    root
      .command('restore [backup]')
      .description('set up: restore the database from a backup or from continuous copies')
      .option('--from <folder>', 'a folder of continuous copies')
      .option('--at <time>', 'as it was then (2026-11-28T17:00:00Z); the newest state when left out')
      .option('--to <file>', 'write another file than the database of the configuration')
      .option('--replace', 'move the database that is there aside')
      .option('--config <file>', 'configuration (verbalis.yaml when left out)')
      .option('--json', 'for machines'),
    'verbalis restore /var/backups/verbalis.sqlite --replace',
    'verbalis restore --from /mnt/other/copies --at 2026-11-28T17:00:00Z --to /tmp/as-it-was.sqlite',
  ).action((file: string | undefined, options: RestoreCommand) =>
    run(async (output) => (await import('./restore.js')).restore(file, options, output)),
  );

  example(
    root
      .command('integrity [file]')
      .description('set up: check the integrity of a database, also while the service runs; exits with 1 if something is wrong')
      .option('--config <file>', 'configuration (verbalis.yaml when left out)')
      .option('--json', 'for machines'),
    'verbalis integrity',
    'verbalis integrity /var/backups/verbalis.sqlite',
  ).action((file: string | undefined, options: { config?: string; json?: boolean }) =>
    run(async (output) => (await import('./integrity.js')).integrity(file, options, output)),
  );
}
