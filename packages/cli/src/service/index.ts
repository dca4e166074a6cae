import { type Command } from 'commander';
import { type Making, type Remote } from '../command.js';
import { connect } from '../connection.js';
import type { serve } from './serve.js';
import { defineCopying } from './copying.js';
import type { ProveOptions } from './prove.js';

/** Commands of this feature. */
export function define(root: Command, { run, remote, example }: Making): void {
  example(
    root
      .command('serve')
      .description('set up: run the service')
      .option('--config <file>', 'configuration (verbalis.yaml when left out)')
      .option('--workers <n>', 'threads that render, sign and hand over (1: the service does it itself)')
      .option('--sign-in-link', 'print a link to the console, also where no terminal shows it')
      .option('--ends-with-stdin', 'end when standard input ends: for programs that start it as a child')
      .option('--check', 'only check the configuration and what was recorded beside profiles; status 1 when it is not right')
      .option('--explain', 'only print each setting with where it came from, secrets masked')
      .option('--json', 'print where it listens as JSON'),
    'verbalis serve --config verbalis.yaml',
  ).action((options: Parameters<typeof serve>[0]) => run(async (output) => (await import('./serve.js')).serve(options, output)));

  example(
    remote(root.command('reload').description('set up: let a running service read its configuration again')),
    'verbalis reload',
  ).action((options: Remote) => run(async (output) => (await import('./configuration.js')).reload(connect(options), options, output)));

  defineCopying(root, { run, remote, example });

  example(
    root
      .command('prove')
      .description('set up: kill a service under load, and hold what it says against what was received')
      .option('--kills <n>', 'how often it is killed (20)')
      .option('--workers <n>', 'threads that render, sign and hand over (1)')
      .option('--json', 'the figures as JSON'),
    'verbalis prove --kills 60',
  ).action((options: ProveOptions) => run(async (output) => (await import('./prove.js')).prove(options, output)));
}
