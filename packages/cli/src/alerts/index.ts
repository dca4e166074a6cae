import { Option, type Command } from 'commander';
import { connect } from '../connection.js';
import { type Making, only, type Remote } from '../command.js';
import { listAlerts, setRule, removeRule } from './alerts.js';

/** Commands of this feature. */
export function define(root: Command, { run, remote, example }: Making): void {
  const alerts = root.command('alerts').description('track: work with alerts and their rules');

  example(
    remote(
      alerts
        .command('list', { isDefault: true })
        .description('list firing and resolved alerts and the rules; exits with 1 if one is firing'),
    ),
    'verbalis alerts',
  ).action((options: Remote & Parameters<typeof listAlerts>[1]) => run((output) => listAlerts(connect(options), only(options), output)));

  example(
    remote(
      alerts
        .command('set <rule>')
        .description('add or change a rule')
        .option('--of <kind...>', 'kinds of events that it counts (failed when left out)')
        .option('--percent <n>', 'fires above so many per cent of the hand-overs')
        .option('--count <n>', 'fires above so many events')
        .option('--queue-seconds <n>', 'fires when the oldest due mail has waited so long')
        .option('--fewer <n>', 'fires below so many events: something is missing')
        .option('--hours <from-to>', 'with --fewer: only within these hours of the day, like 06:00-22:00')
        .option('--time-zone <zone>', 'of the hours (UTC)')
        .option('--minutes <n>', 'within the last minutes (15)')
        .option('--least <n>', 'fires at no fewer events than this (5)')
        .addOption(new Option('--by <what>', 'each of them on its own').choices(['template', 'topic', 'provider', 'domain', 'cause']))
        .option('--where <filter>', 'only these events'),
    ),
    'verbalis alerts set topic-fails --percent 5 --by topic --minutes 15',
    `verbalis alerts set complaints --of complained --count 3 --minutes 1440 --least 1 --where 'topic = "pier-news"'`,
    'verbalis alerts set stuck --queue-seconds 300',
    `verbalis alerts set no-codes --of accepted --fewer 1 --minutes 30 --where 'template = "sign-in-code"' --hours 06:00-22:00`,
  ).action((name: string, options: Remote & Parameters<typeof setRule>[2]) =>
    run((output) => setRule(connect(options), name, only(options), output)),
  );

  example(remote(alerts.command('remove <rule>').description('remove a rule')), 'verbalis alerts remove topic-fails').action(
    (name: string, options: Remote) => run((output) => removeRule(connect(options), name, output)),
  );
}
