import { Option, type Command } from 'commander';
import type { listAlerts, setRule } from '../commands/alerts.js';
import type { figures } from '../commands/figures.js';
import type {
  ACTIONS,
  addSubscription,
  followEvents,
  listEvents,
  listNotifications,
  listSubscriptions,
  replaySubscription,
  testSubscription,
} from '../commands/subscriptions.js';
import { connect } from '../connection.js';
import { only, type Making, type Remote } from './shared.js';

/** Commands that tell what has become known: subscriptions, events, figures, alerts. */
export function trackingCommands(root: Command, messages: Command, { run, remote, example }: Making): void {
  const load = () => import('../commands/subscriptions.js');
  example(
    remote(messages.command('follow').description('what becomes known, as it does').option('--filter <filter>', 'only these events')),
    "verbalis messages follow --filter 'type in [failed, complained]'",
  ).action((options: Remote & Parameters<typeof followEvents>[1]) =>
    run(async (output) => (await load()).followEvents(connect(options), only(options), output)),
  );

  const subscriptions = root.command('subscriptions').description('track: where events are sent, signed');
  example(remote(subscriptions.command('list').description('all of the space')), 'verbalis subscriptions list').action(
    (options: Remote & Parameters<typeof listSubscriptions>[1]) =>
      run(async (output) => (await load()).listSubscriptions(connect(options), only(options), output)),
  );
  example(
    remote(
      subscriptions
        .command('add <url>')
        .description('send events to an address; it is asked first whether it wants them')
        .option('--name <name>', 'what to call it (the host when left out)')
        .option('--filter <filter>', 'only these events (all when left out)')
        .option('--shape <json>', 'a JSON template in place of the event, or a file that holds one')
        .option('--batch <n>', 'events in one notification at most')
        .option('--header <field...>', 'header fields that go with it: "NAME: VALUE"')
        .option('--no-handshake', 'do not ask (needs the scope admin)'),
    ),
    `verbalis subscriptions add https://app.example/mail-events --filter 'type in [failed, complained]'`,
    `verbalis subscriptions add https://chat.example/hooks/harbour --no-handshake --shape '{"text": "{{ event.data.address }}: {{ event.data.cause }}"}'`,
  ).action((url: string, options: Remote & Parameters<typeof addSubscription>[2]) =>
    run(async (output) => (await load()).addSubscription(connect(options), url, only(options), output)),
  );
  example(
    remote(subscriptions.command('show <subscription>').description('one, by its id or name')),
    'verbalis subscriptions show office',
  ).action((id: string, options: Remote) =>
    run(async (output) => (await load()).showSubscription(connect(options), id, only(options), output)),
  );
  const actions: readonly (readonly [(typeof ACTIONS)[number], string])[] = [
    ['pause', 'send nothing until it is resumed; nothing is lost meanwhile'],
    ['resume', 'go on; asks the address again where it has not said yes'],
    ['renew-secret', 'a new secret that signs beside the old one'],
  ];
  for (const [action, words] of actions)
    example(remote(subscriptions.command(`${action} <subscription>`).description(words)), `verbalis subscriptions ${action} office`).action(
      (id: string, options: Remote) =>
        run(async (output) => (await load()).changeSubscription(connect(options), id, action, only(options), output)),
    );
  example(
    remote(subscriptions.command('test <subscription>').description('send a test at once')),
    'verbalis subscriptions test office',
  ).action((id: string, options: Remote & Parameters<typeof testSubscription>[2]) =>
    run(async (output) => (await load()).testSubscription(connect(options), id, only(options), output)),
  );
  example(
    remote(
      subscriptions
        .command('replay <subscription>')
        .description('send again what became known since a time')
        .requiredOption('--since <time>', 'a time'),
    ),
    'verbalis subscriptions replay office --since 2026-12-04T08:15:00Z',
  ).action((id: string, options: Remote & Parameters<typeof replaySubscription>[2]) =>
    run(async (output) => (await load()).replaySubscription(connect(options), id, only(options), output)),
  );
  example(
    remote(
      subscriptions.command('again <subscription> [notifications...]').description('send again what was set aside: some of it, or all'),
    ),
    'verbalis subscriptions again office',
  ).action((id: string, notifications: string[], options: Remote) =>
    run(async (output) => (await load()).againSubscription(connect(options), id, notifications, output)),
  );
  example(
    remote(
      subscriptions
        .command('notifications <subscription>')
        .description('what was sent to it, newest first')
        .addOption(new Option('--state <state>', 'in this state').choices(['waiting', 'delivered', 'set-aside']))
        .option('--limit <n>', 'a page (50)')
        .option('--cursor <cursor>', 'the next page'),
    ),
    'verbalis subscriptions notifications office --state set-aside',
  ).action((id: string, options: Remote & Parameters<typeof listNotifications>[2]) =>
    run(async (output) => (await load()).listNotifications(connect(options), id, only(options), output)),
  );
  example(
    remote(subscriptions.command('remove <subscription>').description('take it away, with its notifications')),
    'verbalis subscriptions remove office',
  ).action((id: string, options: Remote) => run(async (output) => (await load()).removeSubscription(connect(options), id, output)));

  example(
    remote(
      root
        .command('events')
        .description('track: what has become known, newest first')
        .option('--filter <filter>', 'only these events')
        .option('--limit <n>', 'a page (50)')
        .option('--cursor <cursor>', 'the next page'),
    ),
    "verbalis events --filter 'cause = mailbox-full'",
  ).action((options: Remote & Parameters<typeof listEvents>[1]) =>
    run(async (output) => (await load()).listEvents(connect(options), only(options), output)),
  );

  example(
    remote(
      root
        .command('figures')
        .description('track: how many, what became of them, how long it took')
        .option('--days <n>', 'of the last days', '7')
        .addOption(new Option('--by <what>', 'a line for each').choices(['template', 'topic', 'provider', 'domain', 'cause']))
        .option('--csv', 'as a table for other programs'),
    ),
    'verbalis figures --days 30 --by domain',
  ).action((options: Remote & Parameters<typeof figures>[1]) =>
    run(async (output) => (await import('../commands/figures.js')).figures(connect(options), only(options), output)),
  );

  const alerts = root.command('alerts').description('track: rules over what happens, and what holds by them');
  const loadAlerts = () => import('../commands/alerts.js');
  example(
    remote(
      alerts
        .command('list', { isDefault: true })
        .description('what is firing, what was, and the rules; exits with status 1 when one is firing'),
    ),
    'verbalis alerts',
  ).action((options: Remote & Parameters<typeof listAlerts>[1]) =>
    run(async (output) => (await loadAlerts()).listAlerts(connect(options), only(options), output)),
  );
  example(
    remote(
      alerts
        .command('set <rule>')
        .description('set a rule, or change it')
        .option('--of <kind...>', 'kinds of events that it counts (failed when left out)')
        .option('--percent <n>', 'fires above so many per cent of the hand-overs')
        .option('--count <n>', 'fires above so many events')
        .option('--queue-seconds <n>', 'fires when the oldest due mail has waited so long')
        .option('--minutes <n>', 'within the last minutes (15)')
        .option('--least <n>', 'says nothing below so many events (5)')
        .addOption(new Option('--by <what>', 'each of them on its own').choices(['template', 'topic', 'provider', 'domain', 'cause']))
        .option('--where <filter>', 'only these events'),
    ),
    'verbalis alerts set many-fail --percent 5 --by topic --minutes 15',
    `verbalis alerts set complaints --of complained --count 3 --minutes 1440 --least 1 --where 'topic = "pier-news"'`,
    'verbalis alerts set stuck --queue-seconds 300',
  ).action((name: string, options: Remote & Parameters<typeof setRule>[2]) =>
    run(async (output) => (await loadAlerts()).setRule(connect(options), name, only(options), output)),
  );
  example(remote(alerts.command('remove <rule>').description('take a rule away')), 'verbalis alerts remove many-fail').action(
    (name: string, options: Remote) => run(async (output) => (await loadAlerts()).removeRule(connect(options), name, output)),
  );

  const quarantine = root.command('quarantine').description('track: items that could not be processed, and wait for you');
  const loadQuarantine = () => import('../commands/quarantine.js');
  example(
    remote(
      quarantine
        .command('list', { isDefault: true })
        .description('what waits; exits with status 1 when something does')
        .option('--limit <n>', 'how many (50)'),
    ),
    'verbalis quarantine',
  ).action((options: Remote & { limit?: string }) =>
    run(async (output) => (await loadQuarantine()).listQuarantine(connect(options), only(options), output)),
  );
  example(
    remote(quarantine.command('show <item>').description('the error, and all that is known of one item')),
    'verbalis quarantine show q01m8ecegajsgygqe83ea8v4p',
  ).action((id: string, options: Remote) =>
    run(async (output) => (await loadQuarantine()).showQuarantined(connect(options), id, only(options), output)),
  );
  example(
    remote(quarantine.command('retry <item...>').description('put items back into the queue they came from')),
    'verbalis quarantine retry q01m8ecegajsgygqe83ea8v4p',
  ).action((ids: string[], options: Remote) =>
    run(async (output) => (await loadQuarantine()).retryQuarantined(connect(options), ids, output)),
  );
  example(
    remote(quarantine.command('drop <item...>').description('remove items without processing them')),
    'verbalis quarantine drop q01m8ecegajsgygqe83ea8v4p',
  ).action((ids: string[], options: Remote) =>
    run(async (output) => (await loadQuarantine()).dropQuarantined(connect(options), ids, output)),
  );
}
