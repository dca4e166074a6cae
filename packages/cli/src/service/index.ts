import { type Command } from 'commander';
import { type Making, type Remote } from '../command.js';
import { connect } from '../connection.js';
import type { ReadConfig } from '@verbalis/service/settings';
import type { serve } from './serve.js';
import { defineCopying } from './copying.js';
import type { DeliverCommand } from './deliver.js';
import type { ProveOptions } from './prove.js';

/** Commands that read the configuration without a running service. */
function defineConfiguration(root: Command, { run, example }: Making): void {
  const config = root.command('config').description('set up: check and show the configuration');
  const read = async (file: string | undefined): Promise<() => ReadConfig> => {
    const { readConfig } = await import('@verbalis/service/settings');
    return () => readConfig(file, process.env);
  };
  example(
    config
      .command('check [file]')
      .description(
        'check the configuration (verbalis.yaml), its profiles and what was recorded beside them; exits with 1 if it has an error',
      ),
    'verbalis config check',
    'verbalis config check /etc/verbalis/verbalis.yaml',
  ).action((file: string | undefined) => run(async (output) => (await import('./configuration.js')).checkConfig(await read(file), output)));

  example(
    config
      .command('show [file]')
      .description('print each setting and where it came from (file, environment, default), with secrets masked'),
    'verbalis config show',
  ).action((file: string | undefined) =>
    run(async (output) => (await import('./configuration.js')).explainConfig((await read(file))(), output)),
  );
}

/** Commands of this feature. */
export function define(root: Command, making: Making): void {
  const { run, remote, example } = making;
  example(
    root
      .command('serve')
      .description('set up: run the service')
      .option('--config <file>', 'configuration (verbalis.yaml when left out)')
      .option('--workers <n>', 'threads that render, sign and hand over (1: the service does it itself)')
      .option('--sign-in-link', 'print a link to the console, also where no terminal shows it')
      .option('--ends-with-stdin', 'end when standard input ends: for programs that start it as a child')
      .option('--json', 'print where it listens as JSON'),
    'verbalis serve --config verbalis.yaml',
  ).action((options: Parameters<typeof serve>[0]) => run(async (output) => (await import('./serve.js')).serve(options, output)));

  example(
    root
      .command('deliver')
      .description('set up: run a delivery worker of a cluster, which makes and sends emails for the primary and has no database')
      .option('--config <file>', 'configuration (verbalis.yaml when left out)')
      .option('--most <n>', 'concurrent emails (64)')
      .option('--ends-with-stdin', 'end when standard input ends: for programs that start it as a child')
      .option('--json', 'print its name as JSON'),
    'verbalis deliver --config verbalis.yaml',
  ).action((options: DeliverCommand) => run(async (output) => (await import('./deliver.js')).deliver(options, output)));

  example(
    remote(
      root
        .command('status')
        .description('set up: show whether the service is ready, what waits and what is wrong; exits with 1 if it is not ready'),
    ),
    'verbalis status',
  ).action((options: Remote) => run(async (output) => (await import('./status.js')).status(options, output)));

  example(
    remote(root.command('reload').description('set up: make a running service read its configuration again')),
    'verbalis reload',
  ).action((options: Remote) => run(async (output) => (await import('./configuration.js')).reload(connect(options), output)));

  defineConfiguration(root, making);
  defineCopying(root, making);

  example(
    root
      .command('prove')
      .description('set up: kill a service under load and compare its reports with what was received')
      .option('--kills <n>', 'how often it is killed (20)')
      .option('--workers <n>', 'threads that render, sign and hand over (1)')
      .option('--cluster', 'a cluster of three brokers, two nodes and two delivery workers (needs nats-server)')
      .option('--logs <folder>', 'with --cluster: where the logs of its nodes go')
      .option('--json', 'the figures as JSON'),
    'verbalis prove --kills 60',
    'verbalis prove --cluster --kills 20',
  ).action((options: ProveOptions) => run(async (output) => (await import('./prove.js')).prove(options, output)));
}
