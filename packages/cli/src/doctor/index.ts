import { type Command } from 'commander';
import { type Making, type Remote } from '../command.js';
import type * as Commands from './doctor.js';

const load = (): Promise<typeof Commands> => import('./doctor.js');

/** Commands of this feature. */
export function define(root: Command, { run, remote, example }: Making): void {
  example(
    remote(
      root
        .command('doctor')
        .description('set up: list what is missing or risky; exits with 1 if something must be done')
        .option('--config <file>', 'look at this configuration and its database instead of asking a running service'),
    ),
    'VERBALIS_OPERATOR_SECRET=… verbalis doctor',
    'verbalis doctor --config verbalis.yaml',
  ).action((options: Remote & Commands.DoctorOptions) => run(async (output) => (await load()).doctor(options, output)));
}
