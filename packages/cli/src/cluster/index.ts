import { type Command } from 'commander';
import { type Making, type Remote } from '../command.js';
import { connect } from '../connection.js';
import type * as Commands from './cluster.js';
import type { InitCommand } from './init.js';

const load = (): Promise<typeof Commands> => import('./cluster.js');

/** Commands of this feature. */
export function define(root: Command, { run, remote, example }: Making): void {
  const cluster = root.command('cluster').description('set up: work with several services that can take over from each other');
  example(
    cluster
      .command('init')
      .description('make a cluster at the brokers; it begins with the database of this machine, whose service must not run')
      .option('--config <file>', 'configuration (verbalis.yaml when left out)')
      .option('--again', 'replace a cluster that the brokers already have: the other nodes start over with this database')
      .option('--yes', 'do not ask'),
    'verbalis cluster init --config /etc/verbalis/verbalis.yaml',
  ).action((options: InitCommand) => run(async (output) => (await import('./init.js')).initialize(options, output)));

  example(
    remote(
      cluster
        .command('status', { isDefault: true })
        .description('show the nodes and how far each is; exits with 1 if no standby could take over'),
    ),
    'verbalis cluster status',
  ).action((options: Remote) => run(async (output) => (await load()).status(connect(options), output)));

  example(
    remote(cluster.command('promote').description('make the node at --url the primary; the present one finishes what is under way first')),
    'verbalis cluster promote --url http://10.0.0.2:8620',
  ).action((options: Remote) => run(async (output) => (await load()).promote(connect(options), output)));

  example(
    remote(
      cluster
        .command('drain')
        .description('take the node at --url out of turn: a primary gives its place to a standby, and the node takes no place any more')
        .option('--undo', 'let it take over again'),
    ),
    'verbalis cluster drain --url http://10.0.0.1:8620',
  ).action((options: Remote & { undo?: boolean }) => run(async (output) => (await load()).drain(connect(options), options, output)));
}
