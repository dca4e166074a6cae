import { type Command } from 'commander';
import { connect } from '../connection.js';
import { only, type Making, type Remote } from '../command.js';
import type * as Commands from './schedules.js';

const load = (): Promise<typeof Commands> => import('./schedules.js');

/** Commands of this feature. */
export function define(root: Command, { run, remote, listed, example }: Making): void {
  const schedules = root.command('schedules').description('send: work with recurring sends');

  example(listed(schedules.command('list').description('list the schedules of the edition in use')), 'verbalis schedules list').action(
    (options: Remote) => run(async (output) => (await load()).listSchedules(connect(options), options, output)),
  );

  example(
    remote(
      schedules
        .command('show <schedule>')
        .description('show a schedule with its next times and last runs')
        .option('--limit <n>', 'how many runs (10)')
        .option('--cursor <cursor>', 'where the runs before ended'),
    ),
    'verbalis schedules show pier-bulletin',
  ).action((name: string, options: Remote & Commands.ShowOptions) =>
    run(async (output) => (await load()).showSchedule(connect(options), name, only(options), output)),
  );

  example(
    remote(
      schedules
        .command('run <schedule>')
        .description('run a schedule now; its planned times do not change')
        .option('--first <n>', 'only the first recipients: a test run')
        .option('--wait', 'show how it goes until it ends; exits with 1 if it failed or was canceled'),
    ),
    'verbalis schedules run pier-bulletin --first 3 --wait',
  ).action((name: string, options: Remote & Commands.RunOptions) =>
    run(async (output) => (await load()).runSchedule(connect(options), name, only(options), output)),
  );

  example(
    remote(
      schedules
        .command('skip <schedule>')
        .description('skip the next time, or another one')
        .option('--at <time>', 'one of the next five times; the next, when left out'),
    ),
    'verbalis schedules skip pier-bulletin',
  ).action((name: string, options: Remote & { at?: string }) =>
    run(async (output) => (await load()).skipTime(connect(options), name, only(options), output)),
  );

  example(
    remote(
      schedules
        .command('unskip <schedule>')
        .description('run at a time after all that was to be skipped')
        .requiredOption('--at <time>', 'one of the next five times'),
    ),
    'verbalis schedules unskip pier-bulletin --at 2026-12-04T06:00:00Z',
  ).action((name: string, options: Remote & { at: string }) =>
    run(async (output) => (await load()).unskipTime(connect(options), name, options.at, output)),
  );

  for (const [action, description] of [
    ['pause', 'run it no more, until it is resumed'],
    ['resume', 'run it again, from its next time on'],
  ] as const)
    example(
      remote(schedules.command(`${action} <schedule>`).description(description)),
      `verbalis schedules ${action} pier-bulletin`,
    ).action((name: string, options: Remote) =>
      run(async (output) => (await load()).moveSchedule(connect(options), { name, action }, output)),
    );
}
