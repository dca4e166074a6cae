import { Option, type Command } from 'commander';
import { connect } from '../connection.js';
import { type Making, only, type Remote } from '../command.js';
import {
  listSubscriptions,
  addSubscription,
  showSubscription,
  changeSubscription,
  testSubscription,
  replaySubscription,
  againSubscription,
  listNotifications,
  removeSubscription,
  type ACTIONS,
} from './subscriptions.js';

/** Commands of this feature. */
export function define(root: Command, making: Making): void {
  const { run, remote, listed, example } = making;
  const subscriptions = root.command('subscriptions').description('track: work with webhooks');

  example(listed(subscriptions.command('list').description('list the subscriptions of the space')), 'verbalis subscriptions list').action(
    (options: Remote & Parameters<typeof listSubscriptions>[1]) =>
      run((output) => listSubscriptions(connect(options), only(options), output)),
  );

  example(
    remote(
      subscriptions
        .command('add <url>')
        .description('send events to an address, after it has agreed')
        .option('--name <name>', 'what to call it (the host when left out)')
        .option('--filter <filter>', 'only these events (all when left out)')
        .option('--payload <json>', 'a JSON template in place of the event, or a file that holds one')
        .option('--batch <n>', 'events in one notification at most')
        .option('--header <field...>', 'header fields that go with it: "NAME: VALUE"')
        .option('--no-handshake', 'do not ask (needs the scope manage)'),
    ),
    `verbalis subscriptions add https://app.example/mail-events --filter 'type in [failed, complained]'`,
    `verbalis subscriptions add https://chat.example/hooks/harbour --no-handshake --payload '{"text": "{{ event.data.address }}: {{ event.data.cause }}"}'`,
  ).action((url: string, options: Remote & Parameters<typeof addSubscription>[2]) =>
    run((output) => addSubscription(connect(options), url, only(options), output)),
  );

  example(
    remote(subscriptions.command('show <subscription>').description('show a subscription, by id or name')),
    'verbalis subscriptions show office',
  ).action((id: string, options: Remote) => run((output) => showSubscription(connect(options), id, output)));

  const actions: readonly (readonly [(typeof ACTIONS)[number], string])[] = [
    ['pause', 'send nothing until it is resumed; no event is lost'],
    ['resume', 'go on; asks the address again where it has not said yes'],
    ['renew-secret', 'a new secret; until the next one, the old one signs too'],
  ];

  for (const [action, words] of actions)
    example(remote(subscriptions.command(`${action} <subscription>`).description(words)), `verbalis subscriptions ${action} office`).action(
      (id: string, options: Remote) => run((output) => changeSubscription(connect(options), { id, action }, output)),
    );

  example(
    remote(subscriptions.command('test <subscription>').description('send a test event now')),
    'verbalis subscriptions test office',
  ).action((id: string, options: Remote & Parameters<typeof testSubscription>[2]) =>
    run((output) => testSubscription(connect(options), id, only(options), output)),
  );

  defineNotifications(subscriptions, making);

  example(
    remote(subscriptions.command('remove <subscription>').description('remove a subscription with its notifications')),
    'verbalis subscriptions remove office',
  ).action((id: string, options: Remote) => run((output) => removeSubscription(connect(options), id, output)));
}

function defineNotifications(subscriptions: Command, { run, remote, paged, example }: Making): void {
  example(
    remote(
      subscriptions
        .command('replay <subscription>')
        .description('send events since a time again')
        .requiredOption('--since <time>', 'a time'),
    ),
    'verbalis subscriptions replay office --since 2026-12-04T08:15:00Z',
  ).action((id: string, options: Remote & Parameters<typeof replaySubscription>[2]) =>
    run((output) => replaySubscription(connect(options), id, only(options), output)),
  );

  example(
    remote(subscriptions.command('again <subscription> [notifications...]').description('send dead letters again, some or all')),
    'verbalis subscriptions again office',
  ).action((id: string, notifications: string[], options: Remote) =>
    run((output) => againSubscription(connect(options), id, notifications, output)),
  );

  example(
    paged(
      subscriptions
        .command('notifications <subscription>')
        .description('list notifications, newest first')
        .addOption(new Option('--state <state>', 'in this state').choices(['waiting', 'delivered', 'dead-letter'])),
    ),
    'verbalis subscriptions notifications office --state dead-letter',
  ).action((id: string, options: Remote & Parameters<typeof listNotifications>[2]) =>
    run((output) => listNotifications(connect(options), id, only(options), output)),
  );
}
